"use client";
import type { ReactNode } from "react";
import { Bar, BarChart, CartesianGrid, Tooltip, XAxis, YAxis } from "recharts";
import type { ChartsView } from "@eremos/server/contract";
import { type Bar as DayBar, barHead, barsOf, longDay, shortDay, sumOf } from "./days";
import { ChartFrame, Legend } from "./frame";
import { AXIS, GRID, MARGIN, STILL, Tip } from "./look";
import { say } from "@eremos/words/page/activity";

const KINDS = [
  { of: "gate", name: say("wrong-gate"), color: "var(--chart-4)" },
  { of: "folder", name: say("wrong-folder"), color: "var(--chart-2)" },
  { of: "drive", name: say("wrong-drive"), color: "var(--chart-5)" },
  { of: "strangers", name: say("wrong-strangers"), color: "var(--chart-6)" },
] as const;

/** Wrong passwords, and other accounts that were sent away, over time. */
export function WrongTries({ view, when }: { readonly view: ChartsView; readonly when: string }): ReactNode {
  const bars = barsOf(view.days);
  const kinds = KINDS.filter(({ of }) => view.wrong[of].some((count) => count > 0));
  const data = bars.map((bar) => ({
    at: bar.at,
    ...Object.fromEntries(kinds.map(({ of }) => [of, sumOf(view.wrong[of], bar)])),
  }));
  return (
    <ChartFrame
      title={say("wrong-title")}
      sentence={sentenceOf(view, when)}
      height={200}
      chart={
        kinds.length === 0 ? null : (
          <BarChart data={data} margin={MARGIN} accessibilityLayer title={say("wrong-title")} desc={say("chart-keys")}>
            <CartesianGrid {...GRID} />
            <XAxis dataKey="at" tickFormatter={shortDay} minTickGap={28} {...AXIS} />
            <YAxis width={34} allowDecimals={false} {...AXIS} />
            <Tooltip
              cursor={{ fill: "var(--sand)", opacity: 0.5 }}
              content={(props) => <Tip {...props} head={(at) => longDay(Number(at))} value={String} />}
            />
            {kinds.map(({ of, name, color }) => (
              <Bar key={of} dataKey={of} name={name} stackId="wrong" fill={color} {...STILL} />
            ))}
          </BarChart>
        )
      }
      legend={<Legend items={kinds} />}
      table={kinds.length === 0 ? null : tableOf(view, kinds, bars)}
    />
  );
}

function sentenceOf({ days, wrong }: ChartsView, when: string): string {
  const perDay = days.map((at, nth) => ({
    at,
    count: (wrong.gate[nth] ?? 0) + (wrong.folder[nth] ?? 0) + (wrong.drive[nth] ?? 0),
  }));
  const count = perDay.reduce((sum, one) => sum + one.count, 0);
  const [most] = [...perDay].sort((a, b) => b.count - a.count);
  if (count === 0 || !most) return say("wrong-none", { when });
  const day = longDay(most.at);
  if (count === 1) return say("wrong-one", { when, day });
  return say("wrong-some", { count, when, most: most.count, day });
}

function tableOf({ wrong }: ChartsView, kinds: readonly (typeof KINDS)[number][], bars: readonly DayBar[]) {
  const rows = bars
    .map((bar) => ({ at: bar.at, counts: kinds.map(({ of }) => sumOf(wrong[of], bar)) }))
    .filter(({ counts }) => counts.some((one) => one > 0))
    .reverse()
    .map(({ at, counts }) => [longDay(at), ...counts.map(String)]);
  return { heads: [barHead(bars), ...kinds.map(({ name }) => name)], rows };
}
