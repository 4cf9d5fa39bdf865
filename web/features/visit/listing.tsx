"use client";
import { useVirtualizer } from "@tanstack/react-virtual";
import {
  ArrowDown,
  ArrowUp,
  CornerDownRight,
  File as FileSign,
  FileText,
  Film,
  Folder,
  Image as ImageSign,
  Music,
} from "lucide-react";
import { type KeyboardEvent, type ReactNode, useMemo, useRef, useState } from "react";
import type { VisitEntry } from "@eremos/server/contract";
import { lastName, parentHref } from "./hrefs";
import { previewKindOf } from "./kinds";
import { cn } from "@/lib/cn";
import { formatBytes } from "@/lib/format";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/visit";

interface ListingProps {
  readonly entries: readonly VisitEntry[];
  readonly isLoading: boolean;
  readonly isSearch: boolean;
  /** The one that is previewed. */
  readonly current: string | null;
  readonly chosen: ReadonlySet<string>;
  readonly onChoose: (chosen: ReadonlySet<string>) => void;
  readonly onOpen: (entry: VisitEntry) => void;
  readonly onShow: (entry: VisitEntry | null) => void;
}

type Column = "name" | "size" | "modifiedAt";
interface Sort {
  readonly by: Column;
  readonly down: boolean;
}
const COLUMNS: readonly (readonly [Column, string, string])[] = [
  ["name", say("name"), "flex-1"],
  ["size", say("size"), "w-24 text-right"],
  ["modifiedAt", say("changed"), "w-32 pl-3"],
];
const ROW_PX = 40;
const collator = new Intl.Collator("en", { numeric: true, sensitivity: "base" });

function compare(a: VisitEntry, b: VisitEntry, column: Column): number {
  if ((a.kind === "dir") !== (b.kind === "dir")) return a.kind === "dir" ? -1 : 1;
  return (column === "name" ? 0 : a[column] - b[column]) || collator.compare(a.name, b.name);
}

/** To which row a key leads from this one; undefined: none that moves. */
function stepOf(key: string, from: number, rows: number): number | undefined {
  const moves: Readonly<Record<string, number>> = {
    ArrowDown: from + 1,
    ArrowUp: from - 1,
    Home: 0,
    End: rows - 1,
    PageDown: from + 12,
    PageUp: from - 12,
  };
  return moves[key];
}

/** Directories first, whichever way the rest is sorted. */
function sortedBy(entries: readonly VisitEntry[], { by, down }: Sort): VisitEntry[] {
  return [...entries].sort((a, b) => compare(a, b, by) * (down && (a.kind === "dir") === (b.kind === "dir") ? -1 : 1));
}

/** A directory's entries; only the rows in view are in the page, so tens of thousands are no matter. */
export function Listing({
  entries,
  isLoading,
  isSearch,
  current,
  chosen,
  onChoose,
  onOpen,
  onShow,
}: ListingProps): ReactNode {
  const [sort, setSort] = useState<Sort>({ by: "name", down: false });
  const [active, setActive] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const sorted = useMemo(() => sortedBy(entries, sort), [entries, sort]);
  const rows = useVirtualizer({
    count: sorted.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_PX,
    overscan: 12,
  });
  const toggle = (href: string): void => {
    const next = new Set(chosen);
    if (!next.delete(href)) next.add(href);
    onChoose(next);
  };
  const step = (to: number): void => {
    const at = Math.max(0, Math.min(sorted.length - 1, to));
    setActive(at);
    rows.scrollToIndex(at);
    if (current && sorted[at]?.kind !== "dir") onShow(sorted[at] ?? null);
    // The row may be made only when the list has scrolled there.
    requestAnimationFrame(() => scroller.current?.querySelector<HTMLElement>(`[data-row="${at}"]`)?.focus());
  };
  const onKey = (event: KeyboardEvent, i: number, entry: VisitEntry): void => {
    const to = stepOf(event.key, i, sorted.length);
    if (to !== undefined) step(to);
    else if (event.key === "Enter") onOpen(entry);
    else if (event.key === " ") toggle(entry.href);
    else return;
    event.preventDefault();
  };
  return (
    <div
      role="grid"
      aria-label={say("contents-folder")}
      aria-rowcount={sorted.length + 1}
      aria-multiselectable="true"
      className="flex min-h-0 flex-1 flex-col"
    >
      <ColumnHeads sort={sort} onSort={setSort} />
      <div ref={scroller} role="rowgroup" className="min-h-0 flex-1 overflow-y-auto">
        {sorted.length === 0 && !isLoading && <Nothing isSearch={isSearch} />}
        <div role="presentation" className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map(({ index, start }) => {
            const entry = sorted[index];
            if (!entry) return null;
            return (
              <Row
                key={entry.href}
                entry={entry}
                index={index}
                top={start}
                isActive={index === active}
                isCurrent={entry.href === current}
                isChosen={chosen.has(entry.href)}
                isSearch={isSearch}
                onKey={(event) => onKey(event, index, entry)}
                onToggle={() => toggle(entry.href)}
                onPoint={() => {
                  setActive(index);
                  onShow(entry.kind === "dir" ? null : entry);
                }}
                onOpen={() => onOpen(entry)}
              />
            );
          })}
        </div>
      </div>
    </div>
  );
}

interface ColumnHeadsProps {
  readonly sort: Sort;
  readonly onSort: (sort: Sort) => void;
}

function ColumnHeads({ sort, onSort }: ColumnHeadsProps): ReactNode {
  return (
    <div
      role="row"
      aria-rowindex={1}
      className="flex h-9 items-center gap-3 border-b border-line px-6 text-[13px] text-mute"
    >
      <span role="columnheader" className="w-5">
        <span className="sr-only">{say("chosen")}</span>
      </span>
      {COLUMNS.map(([column, word, width]) => (
        <span
          key={column}
          role="columnheader"
          aria-sort={sort.by === column ? (sort.down ? "descending" : "ascending") : "none"}
          className={width}
        >
          <button
            type="button"
            className="inline-flex items-center gap-1 font-medium hover:text-ink"
            onClick={() => onSort({ by: column, down: sort.by === column && !sort.down })}
          >
            {word}
            {sort.by === column &&
              (sort.down ? (
                <ArrowDown className="size-3.5" aria-hidden />
              ) : (
                <ArrowUp className="size-3.5" aria-hidden />
              ))}
          </button>
        </span>
      ))}
    </div>
  );
}

interface RowProps {
  readonly entry: VisitEntry;
  readonly index: number;
  /** Pixels from the first row. */
  readonly top: number;
  /** The one that the keyboard is at. */
  readonly isActive: boolean;
  readonly isCurrent: boolean;
  readonly isChosen: boolean;
  readonly isSearch: boolean;
  readonly onKey: (event: KeyboardEvent) => void;
  readonly onToggle: () => void;
  readonly onPoint: () => void;
  readonly onOpen: () => void;
}

function Row(of: RowProps): ReactNode {
  const { entry, index, isChosen } = of;
  return (
    <div
      role="row"
      data-row={index}
      aria-rowindex={index + 2}
      aria-selected={isChosen}
      tabIndex={of.isActive ? 0 : -1}
      onKeyDown={of.onKey}
      onClick={of.onPoint}
      onDoubleClick={of.onOpen}
      className={cn(
        "absolute inset-x-0 flex cursor-default items-center gap-3 border-b border-line/60 px-6 text-sm select-none",
        of.isCurrent ? "bg-dusk-soft" : isChosen ? "bg-sand/60" : "hover:bg-sand/40",
      )}
      style={{ top: of.top, height: ROW_PX }}
    >
      <span role="gridcell" className="grid w-5 place-items-center">
        <input
          type="checkbox"
          tabIndex={-1}
          aria-label={say("choose", { name: entry.name })}
          checked={isChosen}
          onClick={(event) => event.stopPropagation()}
          onChange={of.onToggle}
          className="size-4 accent-(--dusk)"
        />
      </span>
      <Name entry={entry} isSearch={of.isSearch} onOpen={of.onOpen} />
      <span role="gridcell" className="w-24 text-right text-[13px] text-mute tabular-nums">
        {entry.kind === "file" ? formatBytes(entry.size) : ""}
      </span>
      <span role="gridcell" className="w-32 pl-3 text-[13px] text-mute">
        <Time at={entry.modifiedAt} />
      </span>
    </div>
  );
}

function Name({ entry, isSearch, onOpen }: Pick<RowProps, "entry" | "isSearch" | "onOpen">): ReactNode {
  return (
    <span role="gridcell" className="flex min-w-0 flex-1 items-center gap-2.5">
      <Sign entry={entry} />
      <button
        type="button"
        tabIndex={-1}
        onClick={(event) => {
          event.stopPropagation();
          onOpen();
        }}
        className={cn("truncate hover:underline", entry.kind === "dir" && "font-semibold")}
      >
        {entry.name}
      </button>
      {entry.leadsTo !== null && (
        <span className="truncate text-[13px] text-mute">{say("leads", { leadsTo: entry.leadsTo })}</span>
      )}
      {isSearch && (
        <span className="truncate text-[13px] text-mute">
          {say("in", {
            parentHref: parentHref(entry.href) === "/" ? say("folder-itself") : lastName(parentHref(entry.href)),
          })}
        </span>
      )}
    </span>
  );
}

function Nothing({ isSearch }: Pick<RowProps, "isSearch">): ReactNode {
  return (
    <p className="p-10 text-center text-sm text-mute">
      {isSearch ? say("nothing-in-here-has-that") : say("nothing-is-in-here-yet")}
    </p>
  );
}

const SIGNS = {
  image: ImageSign,
  audio: Music,
  video: Film,
  text: FileText,
  markdown: FileText,
  pdf: FileText,
  table: FileText,
  zip: FileSign,
  none: FileSign,
} as const;

function Sign({ entry }: { readonly entry: VisitEntry }): ReactNode {
  const Icon = entry.kind === "dir" ? Folder : entry.kind === "link" ? CornerDownRight : SIGNS[previewKindOf(entry)];
  return <Icon className={cn("size-[18px] shrink-0", entry.kind === "dir" ? "text-dusk" : "text-mute")} aria-hidden />;
}
