import type { ReactNode } from "react";
import type { TooltipContentProps } from "recharts";

/** A chart's colours, by the number of what they stand for; more than there are share the last. */
const COLORS = 6;
export function colorOf(nth: number): string {
  return `var(--chart-${Math.min(nth, COLORS - 1) + 1})`;
}
export const MOST_APART = COLORS - 1;

export const AXIS = {
  stroke: "var(--line-strong)",
  tick: { fill: "var(--mute)", fontSize: 12 },
  tickLine: false,
} as const;
export const GRID = { stroke: "var(--line)", vertical: false } as const;
/** Room for the words at its edges, and no wait before it is there. */
export const MARGIN = { top: 8, right: 8, bottom: 0, left: 0 } as const;
export const STILL = { isAnimationActive: false } as const;

interface TipProps extends Pick<TooltipContentProps, "active" | "payload" | "label"> {
  readonly head: (label: unknown) => string;
  readonly value: (value: unknown) => string;
}

/** What stands beside the pointer, or the bar that the arrow keys are at; what is nothing is left out. */
export function Tip({ active, payload, label, head, value }: TipProps): ReactNode {
  const shown = (payload ?? []).filter((one) => Number(one.value) > 0);
  if (!active) return null;
  return (
    <div className="rounded-lg border border-line bg-paper px-3 py-2 text-[13px] shadow-lg">
      <p className="font-semibold">{head(label)}</p>
      {shown.length === 0 && <p className="text-mute">{value(0)}</p>}
      {shown.map((one) => (
        <p key={String(one.name)} className="flex items-center gap-1.5">
          <span className="size-2.5 rounded-[3px]" style={{ background: one.color }} aria-hidden />
          <bdi>{one.name}</bdi>
          <span className="ml-auto pl-3 tabular-nums">{value(one.value)}</span>
        </p>
      ))}
    </div>
  );
}
