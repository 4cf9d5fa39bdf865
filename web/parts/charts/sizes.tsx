"use client";
import { type ReactNode, useState } from "react";
import { Area, AreaChart, CartesianGrid, Tooltip, XAxis, YAxis } from "recharts";
import type { ChartsView } from "@eremos/server/contract";
import { exactTime, formatBytes } from "@/lib/format";
import { Select } from "@/ui/select";
import { ChartFrame } from "./frame";
import { AXIS, GRID, MARGIN, STILL, Tip } from "./look";
import { say } from "@eremos/words/page/activity";

type Sized = ChartsView["sizes"][number];

/** How large a folder was, and how many files it held, state by state. */
export function Sizes({ view, when }: { readonly view: ChartsView; readonly when: string }): ReactNode {
  const [chosen, setChosen] = useState<string | null>(null);
  const folders = view.sizes.filter(({ states }) => states.length > 1);
  const [most] = [...folders].sort((a, b) => b.states.length - a.states.length);
  const folder = folders.find(({ id }) => id === chosen) ?? most;
  if (!folder)
    return <ChartFrame title={say("size-title")} sentence={say("size-none", { when })} chart={null} table={null} />;
  const { name, states } = folder;
  return (
    <ChartFrame
      title={say("size-title")}
      sentence={sentenceOf(folder)}
      height={130}
      chart={<Line states={states} of="bytes" label={say("size-chart", { name })} color="var(--chart-1)" />}
      legend={
        <div className="mt-2 text-[12px]">
          <p className="text-[13px] text-mute">{say("files")}</p>
          <Files folder={folder} />
        </div>
      }
      table={{
        heads: [say("state"), say("locked"), say("size"), say("files")],
        rows: [...states]
          .reverse()
          .map(({ generation, at, bytes, files }) => [
            String(generation),
            exactTime(at),
            formatBytes(bytes),
            String(files),
          ]),
      }}
      caption={say("size")}
    >
      {folders.length > 1 && (
        <Select
          className="mt-2 max-w-56"
          label={say("folder")}
          value={folder.id}
          choices={folders.map((one) => [one.id, one.name] as const)}
          onChoose={setChosen}
        />
      )}
    </ChartFrame>
  );
}

function Files({ folder: { name, states } }: { readonly folder: Sized }): ReactNode {
  return <Line states={states} of="files" label={say("files-chart", { name })} color="var(--chart-3)" isBelow />;
}

interface LineProps {
  readonly states: Sized["states"];
  readonly of: "bytes" | "files";
  readonly label: string;
  readonly color: string;
  /** The second of two: as wide as the first, and not so high. */
  readonly isBelow?: boolean;
}

function Line({ states, of, label, color, isBelow = false, ...given }: LineProps): ReactNode {
  const words = (value: unknown): string => (of === "bytes" ? formatBytes(Number(value)) : String(value));
  const headOf = (nth: unknown): string => {
    const state = states[Number(nth) - 1];
    return state ? exactTime(state.at) : "";
  };
  return (
    <AreaChart
      {...given}
      {...(isBelow ? { responsive: true, style: { width: "100%", height: 110 } } : {})}
      data={states.map((state, i) => ({ ...state, nth: i + 1 }))}
      margin={MARGIN}
      accessibilityLayer
      title={label}
      desc={say("chart-keys")}
    >
      <CartesianGrid {...GRID} />
      <XAxis dataKey="nth" minTickGap={20} {...AXIS} />
      <YAxis width={62} tickCount={4} allowDecimals={false} tickFormatter={words} {...AXIS} />
      <Tooltip content={(props) => <Tip {...props} head={headOf} value={words} />} />
      <Area
        type="stepAfter"
        dataKey={of}
        name={of === "bytes" ? say("size") : say("files")}
        stroke={color}
        fill={color}
        fillOpacity={0.18}
        strokeWidth={2}
        {...STILL}
      />
    </AreaChart>
  );
}

function sentenceOf({ name, states }: Sized): string {
  const [first, last] = [states[0], states.at(-1)];
  if (!first || !last) return "";
  const id = last.bytes > first.bytes ? "size-of" : last.bytes < first.bytes ? "size-less" : "size-same";
  return say(id, {
    name,
    before: formatBytes(first.bytes),
    now: formatBytes(last.bytes),
    filesBefore: first.files,
    files: last.files,
    states: states.length,
  });
}
