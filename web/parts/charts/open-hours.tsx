"use client";
import { type ReactNode, useId } from "react";
import { Bar, BarChart, CartesianGrid, Tooltip, XAxis, YAxis } from "recharts";
import type { ChartsView } from "@eremos/server/contract";
import { type Bar as DayBar, barHead, barsOf, hoursWords, longDay, shortDay, sumOf } from "./days";
import { ChartFrame, Legend } from "./frame";
import { AXIS, GRID, MARGIN, MOST_APART, STILL, Tip, colorOf } from "./look";
import { say } from "@eremos/words/page/activity";

type Open = ChartsView["open"][number];

interface OpenHoursProps {
  readonly view: ChartsView;
  readonly when: string;
}

/** How long folders lay open, day by day, and how much of that at night. */
export function OpenHours({ view, when }: OpenHoursProps): ReactNode {
  const patterns = useId();
  const bars = barsOf(view.days);
  const folders = together(view.open, bars.length > 0 ? view.days.length : 0);
  const data = bars.map((bar) => ({
    at: bar.at,
    ...Object.fromEntries(
      folders.flatMap(({ id, day, night }) => [
        [`${id} day`, sumOf(day, bar)],
        [`${id} night`, sumOf(night, bar)],
      ]),
    ),
  }));
  return (
    <ChartFrame
      title={say("open-title")}
      sentence={sentenceOf(view.open, when)}
      height={240}
      chart={
        folders.length === 0 ? null : (
          <BarChart data={data} margin={MARGIN} accessibilityLayer title={say("open-title")} desc={say("chart-keys")}>
            <defs>
              {folders.map(({ id }, nth) => (
                <Hatch key={id} id={`${patterns}${nth}`} color={colorOf(nth)} />
              ))}
            </defs>
            <CartesianGrid {...GRID} />
            <XAxis dataKey="at" tickFormatter={shortDay} minTickGap={28} {...AXIS} />
            <YAxis width={34} allowDecimals={false} tickFormatter={(hours: number) => `${hours} h`} {...AXIS} />
            <Tooltip
              cursor={{ fill: "var(--sand)", opacity: 0.5 }}
              content={(props) => (
                <Tip {...props} head={(at) => longDay(Number(at))} value={(v) => hoursWords(Number(v))} />
              )}
            />
            {folders.flatMap(({ id, name }, nth) => [
              <Bar
                key={`${id} day`}
                dataKey={`${id} day`}
                name={say("by-day", { name })}
                stackId="open"
                fill={colorOf(nth)}
                {...STILL}
              />,
              <Bar
                key={`${id} night`}
                dataKey={`${id} night`}
                name={say("at-night", { name })}
                stackId="open"
                fill={`url(#${patterns}${nth})`}
                stroke={colorOf(nth)}
                {...STILL}
              />,
            ])}
          </BarChart>
        )
      }
      legend={
        <Legend items={folders.map(({ name }, nth) => ({ name, color: colorOf(nth) }))} note={say("night-mark")} />
      }
      table={folders.length === 0 ? null : tableOf(folders, bars)}
    />
  );
}

/** Night hours are hatched, so that they are told by more than a colour. */
function Hatch({ id, color }: { readonly id: string; readonly color: string }): ReactNode {
  return (
    <pattern id={id} width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
      <rect width="5" height="5" fill="var(--sheet)" />
      <rect width="2.6" height="5" fill={color} />
    </pattern>
  );
}

/** Those that lay open longest by themselves, and the others as one. */
function together(open: readonly Open[], days: number): readonly Pick<Open, "id" | "name" | "day" | "night">[] {
  const longest = [...open].sort((a, b) => hoursOf(b) - hoursOf(a));
  if (longest.length <= MOST_APART + 1) return longest;
  const others = longest.slice(MOST_APART);
  const sum = (of: "day" | "night"): number[] =>
    Array.from({ length: days }, (_, nth) => others.reduce((all, one) => all + (one[of][nth] ?? 0), 0));
  const name = say("others-together", { count: others.length });
  return [...longest.slice(0, MOST_APART), { id: "others", name, day: sum("day"), night: sum("night") }];
}

function hoursOf({ day, night }: Pick<Open, "day" | "night">): number {
  return [...day, ...night].reduce((sum, hours) => sum + hours, 0);
}

function sentenceOf(open: readonly Open[], when: string): string {
  const atNight = [...open].filter(({ nights }) => nights > 0).sort((a, b) => b.nights - a.nights);
  const [most] = atNight;
  if (most) return say("open-nights", { name: most.name, nights: most.nights, others: atNight.length - 1, when });
  const [longest] = [...open].sort((a, b) => hoursOf(b) - hoursOf(a));
  if (!longest) return say("open-none", { when });
  return say("open-days", { name: longest.name, hours: hoursWords(hoursOf(longest)), when });
}

function tableOf(folders: readonly Pick<Open, "id" | "name" | "day" | "night">[], bars: readonly DayBar[]) {
  const heads = folders.flatMap(({ name }) => [say("by-day", { name }), say("at-night", { name })]);
  const rows = bars
    .map((bar) => ({ at: bar.at, hours: folders.flatMap(({ day, night }) => [sumOf(day, bar), sumOf(night, bar)]) }))
    .filter(({ hours }) => hours.some((one) => one > 0))
    .reverse()
    .map(({ at, hours }) => [longDay(at), ...hours.map((one) => (one === 0 ? "" : hoursWords(one)))]);
  return { heads: [barHead(bars), ...heads], rows };
}
