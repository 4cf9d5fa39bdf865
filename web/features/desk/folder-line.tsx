"use client";
import { ArrowDown, ArrowUp } from "lucide-react";
import type { ReactNode } from "react";
import type { DeskView } from "@eremos/server/contract";
import { conditionWord, doorwayOf } from "@/parts/folders/conditions";
import { useSelection } from "@/parts/folders/selection";
import { Doorway } from "@/ui/doorway";
import { Time } from "@/ui/time";
import { cn } from "@/lib/cn";
import { baseName, formatBytes, parentOf } from "@/lib/format";
import { type EntryProps, Tick } from "./folder-card";
import { SORT_WORDS } from "./list-tools";
import { say } from "@eremos/words/page/desk";

const COLUMNS =
  "grid grid-cols-[24px_minmax(0,1fr)_96px_64px] items-center gap-2 xl:grid-cols-[24px_minmax(0,1.5fr)_104px_64px_minmax(0,1fr)] 2xl:grid-cols-[24px_minmax(0,1.5fr)_108px_72px_100px_minmax(0,1fr)]";
/** Where there is no room for all. */
const WIDE = "max-xl:hidden";
const WIDEST = "max-2xl:hidden";

/** A folder in a line, for long lists. */
export function FolderLine({ folder, job, isChosen, onChoose, onTick, onKey }: EntryProps): ReactNode {
  const { path } = useSelection();
  return (
    <article
      aria-label={folder.name}
      className={cn(
        COLUMNS,
        "h-9 border-b border-line/70 px-2 text-[13.5px]",
        isChosen || path === folder.path ? "bg-sand" : "hover:bg-sand/50",
      )}
    >
      <Tick name={folder.name} isOn={isChosen} onTick={onTick} />
      <button
        type="button"
        data-entry
        aria-pressed={path === folder.path}
        onClick={onChoose}
        onKeyDown={onKey}
        className="col-span-full col-start-2 row-start-1 grid h-9 grid-cols-subgrid items-center gap-2 text-left"
      >
        <span className="flex min-w-0 items-center gap-2">
          <Doorway state={job ? "working" : doorwayOf(folder)} className="h-[18px] w-[15px] shrink-0" />
          <span className="truncate font-medium">{folder.name}</span>
        </span>
        <span
          className={cn(
            "truncate",
            folder.state === "open" ? "text-clay" : folder.attention !== null ? "text-ochre" : "text-dusk",
          )}
          title={folder.attention ?? undefined}
        >
          {job ? say("working") : conditionWord(folder)}
        </span>
        <span className="truncate text-right text-mute tabular-nums">
          {folder.bytes > 0 ? formatBytes(folder.bytes) : ""}
        </span>
        <span className={cn(WIDEST, "truncate text-mute")}>{folder.openedAt ? <Time at={folder.openedAt} /> : ""}</span>
        <span className={cn(WIDE, "truncate text-mute")} title={folder.path}>
          {baseName(parentOf(folder.path))}
        </span>
      </button>
    </article>
  );
}

interface LineHeadsProps {
  readonly view: DeskView;
  readonly onView: (change: Partial<DeskView>) => void;
}

/** What the columns are; a press sorts by one, another the other way round. */
export function LineHeads({ view, onView }: LineHeadsProps): ReactNode {
  const head = (sort: DeskView["sort"], className = ""): ReactNode => {
    const Arrow = view.isDescending ? ArrowDown : ArrowUp;
    return (
      <button
        type="button"
        className={cn("flex items-center gap-1 truncate text-left hover:text-ink", className)}
        aria-label={say("sort-by-this", { what: SORT_WORDS[sort], isUp: view.sort === sort && !view.isDescending })}
        onClick={() =>
          onView(view.sort === sort ? { isDescending: !view.isDescending } : { sort, isDescending: false })
        }
      >
        <span className="truncate">{SORT_WORDS[sort]}</span>
        {view.sort === sort && <Arrow className="size-3.5 shrink-0" aria-hidden />}
      </button>
    );
  };
  return (
    <div className={cn(COLUMNS, "sticky top-0 z-10 border-b border-line bg-paper px-2 py-1.5 text-[12.5px] text-mute")}>
      <span />
      {head("name")}
      {head("state")}
      {head("size", "justify-end")}
      {head("opened", WIDEST)}
      {head("place", WIDE)}
    </div>
  );
}
