"use client";
import { type ReactElement, type ReactNode, useId } from "react";
import { ResponsiveContainer } from "recharts";
import { say } from "@eremos/words/page/activity";

interface FrameProps {
  readonly title: string;
  /** What the chart shows, in one sentence. */
  readonly sentence: string;
  /** Null: there is nothing to show but the sentence. */
  readonly chart: ReactElement | null;
  readonly height?: number;
  /** What it measures, where that is not plain. */
  readonly caption?: string;
  readonly legend?: ReactNode;
  readonly table: TableProps | null;
  readonly children?: ReactNode;
}

/** A chart with what it says: in a sentence before it, and in numbers behind it. */
export function ChartFrame({
  title,
  sentence,
  chart,
  height = 220,
  caption,
  legend,
  table,
  children,
}: FrameProps): ReactNode {
  const id = useId();
  return (
    <section aria-labelledby={id} className="min-w-0 rounded-2xl border border-line bg-sheet px-4 py-4 sm:px-5">
      <h2 id={id} className="text-lg">
        {title}
      </h2>
      <p className="mt-0.5 text-sm">{sentence}</p>
      {children}
      {chart && caption && <p className="mt-3 text-[13px] text-mute">{caption}</p>}
      {chart && (
        <div className="mt-3 text-[12px]" style={{ height }}>
          <ResponsiveContainer width="100%" height="100%" initialDimension={{ width: 480, height }}>
            {chart}
          </ResponsiveContainer>
        </div>
      )}
      {chart && legend}
      {table && <Table {...table} title={title} />}
    </section>
  );
}

interface TableProps {
  readonly heads: readonly string[];
  readonly rows: readonly (readonly string[])[];
}

function Table({ title, heads, rows }: TableProps & { readonly title: string }): ReactNode {
  return (
    <details className="mt-2 text-sm">
      <summary className="w-fit rounded text-[13px] font-medium text-dusk">{say("as-table")}</summary>
      <div
        className="mt-2 max-h-72 overflow-auto"
        tabIndex={0}
        role="region"
        aria-label={`${title}: ${say("as-table")}`}
      >
        <table className="w-full text-left tabular-nums">
          <thead>
            <tr>
              {heads.map((head) => (
                <th key={head} scope="col" className="border-b border-line py-1 pr-4 font-semibold">
                  {head}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map(([first = "", ...cells], nth) => (
              <tr key={`${first} ${nth}`}>
                <th scope="row" className="border-b border-line/60 py-1 pr-4 font-normal whitespace-nowrap">
                  {first}
                </th>
                {cells.map((cell, i) => (
                  <td key={heads[i + 1]} className="border-b border-line/60 py-1 pr-4">
                    {cell}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </details>
  );
}

interface LegendItem {
  readonly name: string;
  readonly color: string;
}

/** Which colour is which. */
export function Legend({ items, note }: { readonly items: readonly LegendItem[]; readonly note?: string }): ReactNode {
  return (
    <ul className="mt-1 flex flex-wrap gap-x-4 gap-y-1 text-[13px]">
      {items.map(({ name, color }) => (
        <li key={name} className="flex min-w-0 items-center gap-1.5">
          <span className="size-2.5 shrink-0 rounded-[3px]" style={{ background: color }} aria-hidden />
          <bdi className="truncate">{name}</bdi>
        </li>
      ))}
      {note && <li className="text-mute">{note}</li>}
    </ul>
  );
}
