"use client";
import type { ReactNode } from "react";
import { CartesianGrid, Scatter, ScatterChart, Tooltip, XAxis, YAxis } from "recharts";
import type { ChartsView } from "@eremos/server/contract";
import { ago, exactTime } from "@/lib/format";
import { shortDay } from "./days";
import { ChartFrame } from "./frame";
import { AXIS, GRID, MARGIN, STILL, Tip } from "./look";
import { say } from "@eremos/words/page/activity";

type Proofs = ChartsView["proofs"];

/** Days that are named below it. */
const TICKS = 4;
const DAY_MS = 24 * 3_600_000;

/** When each way back was seen to work: a mark for each time, the last one filled. */
export function WaysProven({ view: { proofs, days } }: { readonly view: ChartsView }): ReactNode {
  const wordOf = (row: unknown): string =>
    proofs[Number(row)] ? say(`way-${proofs[Number(row)]?.way ?? "code"}`) : "";
  const marks = proofs.flatMap(({ at }, row) => at.map((time, nth) => ({ time, row, isLast: nth === at.length - 1 })));
  const until = Math.max((days.at(-1) ?? 0) + DAY_MS, ...marks.map(({ time }) => time));
  const from = Math.min(days[0] ?? until, ...marks.map(({ time }) => time));
  const ticks = Array.from({ length: TICKS }, (_, nth) => from + ((until - from) * nth) / (TICKS - 1));
  const known = marks.filter(({ isLast }) => isLast);
  const before = marks.filter(({ isLast }) => !isLast);
  return (
    <ChartFrame
      title={say("proof-title")}
      sentence={sentenceOf(proofs)}
      height={190}
      chart={
        marks.length === 0 ? null : (
          <ScatterChart
            margin={{ ...MARGIN, right: 24 }}
            accessibilityLayer
            title={say("proof-title")}
            desc={say("chart-keys")}
          >
            <CartesianGrid {...GRID} horizontal />
            <XAxis
              dataKey="time"
              type="number"
              domain={[from, until]}
              ticks={ticks}
              tickFormatter={shortDay}
              {...AXIS}
            />
            <YAxis
              dataKey="row"
              type="number"
              domain={[-0.5, proofs.length - 0.5]}
              ticks={proofs.map((_, row) => row)}
              interval={0}
              tickFormatter={wordOf}
              reversed
              width={118}
              {...AXIS}
            />
            <Tooltip
              cursor={false}
              content={({ active, payload }) => (
                <Tip
                  active={active}
                  payload={[]}
                  label=""
                  head={() => wordOf(payload[1]?.value)}
                  value={() => exactTime(Number(payload[0]?.value ?? 0))}
                />
              )}
            />
            <Scatter data={before} fill="var(--sheet)" stroke="var(--chart-1)" {...STILL} />
            <Scatter data={known} fill="var(--chart-1)" stroke="var(--chart-1)" {...STILL} />
          </ScatterChart>
        )
      }
      table={{
        heads: [say("proof-way"), say("proof-last"), say("proof-times")],
        rows: proofs.map(({ way, at }) => {
          const last = at.at(-1);
          return [say(`way-${way}`), last === undefined ? say("never") : exactTime(last), String(at.length)];
        }),
      }}
    />
  );
}

function sentenceOf(proofs: Proofs): string {
  const never = proofs.filter(({ at }) => at.length === 0);
  if (never.length > 0) {
    const ways = never.map(({ way }) => say(`way-${way}`)).join(", ");
    return say("proof-never", { ways });
  }
  const [oldest] = [...proofs].sort((a, b) => (a.at.at(-1) ?? 0) - (b.at.at(-1) ?? 0));
  if (!oldest) return "";
  return say("proof-all", { way: say(`way-${oldest.way}`), ago: ago(oldest.at.at(-1) ?? 0) });
}
