"use client";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type ReactNode, useState } from "react";
import type { FolderView, JobView } from "@eremos/server/contract";
import { DesktopSwitches } from "@/parts/desktop/switches";
import { mainActOf } from "@/parts/folders/acts";
import { useActs } from "@/parts/folders/acts-provider";
import { BatchReport } from "@/parts/folders/batch";
import { GROUP_WORDS, type Group } from "@/parts/folders/conditions";
import { Interruptions, useInterruptions } from "@/parts/folders/interruptions";
import { useSelection } from "@/parts/folders/selection";
import { Button } from "@/ui/button";
import { Doorway } from "@/ui/doorway";
import { ContextMenu } from "@/ui/menu";
import { useDeskView } from "@/lib/desk-view";
import { isRunning, useFolders, useJobs } from "@/lib/queries";
import { type Chosen, choosingOf, useChosen } from "./chosen";
import { useDoubleClick } from "./double-click";
import { ChosenBar } from "./chosen-bar";
import { FolderCard } from "./folder-card";
import { FolderLine, LineHeads } from "./folder-line";
import { menuOf } from "./folder-menu";
import { ListTools } from "./list-tools";
import { GROUPS, type Listed, NO_FILTERS, isFiltered, listedIn, listedOf } from "./listed";
import { OwnDataTrouble, useOwnDataTrouble } from "./own-data-trouble";
import { SinceLastTime } from "./since-last-time";
import { Trash } from "./trash";
import { say } from "@eremos/words/page/desk";

type Row =
  | { readonly kind: "heading"; readonly group: Group }
  | { readonly kind: "interruptions" }
  | ({ readonly kind: "folder" } & Pick<Listed, "folder" | "job">);

/** What is protected, in the order and the form that was chosen. */
export function FolderList(): ReactNode {
  const folders = useFolders();
  const trouble = useOwnDataTrouble();
  const jobs = useJobs().filter(isRunning);
  const { run } = useActs();
  const [view, setView] = useDeskView();
  const [filters, setFilters] = useState(NO_FILTERS);
  // What is in it can only be laid out once it is there.
  const [scroller, setScroller] = useState<HTMLDivElement | null>(null);
  const all = listedOf(folders ?? [], jobs);
  const listed = listedIn(all, filters, view);
  const inGroups = view.sort === "state" && !view.isTable && !isFiltered(filters);
  const isCutOff = useInterruptions().length > 0;
  const rows = rowsOf(listed, inGroups, inGroups && isCutOff);
  const chosen = useChosen(listed.map(({ folder }) => folder.id));
  const chosenFolders = listed.filter(({ folder }) => chosen.ids.has(folder.id)).map(({ folder }) => folder);
  const open = folders?.filter((folder) => folder.state === "open").length ?? 0;
  return (
    <section aria-labelledby="folders" className="flex shrink-0 flex-col lg:min-h-0">
      <div className="flex items-center gap-2.5 px-5 pt-3 pb-1">
        <h2 id="folders" className="text-base whitespace-nowrap">
          {say("your-folders")}
        </h2>
        {all.length > 0 && (
          <>
            <span className="truncate text-[13px] text-mute">
              {say("protected-open", { folders: all.length, hasOpen: open > 0, open })}
            </span>
            <ListTools listed={all} view={view} onView={setView} filters={filters} onFilters={setFilters} />
          </>
        )}
      </div>
      {chosen.ids.size > 1 && <ChosenBar folders={chosenFolders} onNone={() => chosen.chooseAll([])} run={run} />}
      <div ref={setScroller} className="px-5 pb-6 lg:min-h-0 lg:flex-1 lg:overflow-y-auto">
        {trouble && <OwnDataTrouble words={trouble} />}
        <SinceLastTime />
        <BatchReport />
        {!inGroups && <Interruptions />}
        {folders?.length === 0 && !trouble && <NothingYet />}
        {isFiltered(filters) && listed.length === 0 && <NoneFits onAll={() => setFilters(NO_FILTERS)} />}
        {view.isTable && listed.length > 0 && <LineHeads view={view} onView={setView} />}
        <Rows rows={rows} scroller={scroller} isTable={view.isTable} chosen={chosen} chosenFolders={chosenFolders} />
        <Trash />
      </div>
    </section>
  );
}

interface RowsProps {
  readonly rows: readonly Row[];
  readonly scroller: HTMLDivElement | null;
  readonly isTable: boolean;
  readonly chosen: Chosen;
  readonly chosenFolders: readonly FolderView[];
}

function Rows({ rows, scroller, isTable, chosen, chosenFolders }: RowsProps): ReactNode {
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller,
    estimateSize: (i) => (isTable ? 36 : rows[i]?.kind === "heading" ? 34 : 76),
    overscan: 12,
    getItemKey: (i) => keyOf(rows[i]),
  });
  const onKey = useKeys(rows, scroller, chosen, (at) => virtual.scrollToIndex(at));
  const { run } = useActs();
  const onClick = useDoubleClick((id) => {
    const row = rows.find((one) => one.kind === "folder" && one.folder.id === id);
    if (row?.kind === "folder" && !row.job) run(mainActOf(row.folder), [row.folder]);
  });
  return (
    <div className="relative w-full" style={{ height: virtual.getTotalSize() }} onClickCapture={onClick}>
      {virtual.getVirtualItems().map((item) => {
        const row = rows[item.index];
        return (
          row && (
            <div
              key={item.key}
              data-index={item.index}
              ref={virtual.measureElement}
              className="absolute top-0 left-0 w-full"
              style={{ transform: `translateY(${item.start}px)` }}
            >
              {row.kind === "heading" ? (
                <h3 className="pt-3 pb-1.5 font-sans text-[13px] font-normal tracking-normal text-mute">
                  {GROUP_WORDS[row.group]}
                </h3>
              ) : row.kind === "interruptions" ? (
                <Interruptions />
              ) : (
                <Entry {...row} isTable={isTable} chosen={chosen} chosenFolders={chosenFolders} onKey={onKey} />
              )}
            </div>
          )
        );
      })}
    </div>
  );
}

type OnKey = (event: KeyboardEvent, folder: FolderView) => void;

/** Up and down walk the list; Enter does what the state calls for, Space takes one more; all, with Ctrl. */
function useKeys(
  rows: readonly Row[],
  scroller: HTMLDivElement | null,
  chosen: Chosen,
  scrollTo: (at: number) => void,
): OnKey {
  const { run } = useActs();
  const order = rows.flatMap((row) => (row.kind === "folder" ? [row.folder.id] : []));
  const goTo = (id: string): void => {
    scrollTo(rows.findIndex((row) => row.kind === "folder" && row.folder.id === id));
    requestAnimationFrame(() => scroller?.querySelector<HTMLElement>(`[data-folder="${id}"] [data-entry]`)?.focus());
  };
  return (event, folder) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step !== undefined) {
      const next = order[order.indexOf(folder.id) + step];
      if (next === undefined) return;
      if (event.shiftKey) chosen.choose(next, "up-to");
      goTo(next);
    } else if (event.key === "Enter") run(mainActOf(folder), [folder]);
    else if (event.key === " ") chosen.choose(folder.id, "besides");
    else if (event.key === "a" && (event.ctrlKey || event.metaKey)) chosen.chooseAll(order);
    else if (event.key === "Escape") chosen.chooseAll([]);
    else return;
    event.preventDefault();
  };
}

interface EntryOfProps extends Pick<RowsProps, "isTable" | "chosen" | "chosenFolders"> {
  readonly folder: FolderView;
  readonly job: JobView | null;
  readonly onKey: OnKey;
}

/** One folder, with what can be done with it: by a double click, by Enter, by its menu. */
function Entry({ folder, job, isTable, chosen, chosenFolders, onKey }: EntryOfProps): ReactNode {
  const { select } = useSelection();
  const { run } = useActs();
  const isOneOfSeveral = chosen.ids.size > 1 && chosen.ids.has(folder.id);
  const Form = isTable ? FolderLine : FolderCard;
  return (
    <ContextMenu choices={job ? [] : menuOf(isOneOfSeveral ? chosenFolders : [folder], run)}>
      <div data-folder={folder.id}>
        <Form
          folder={folder}
          job={job}
          isChosen={chosen.ids.has(folder.id)}
          onChoose={(event) => {
            const how = choosingOf(event);
            chosen.choose(folder.id, how);
            if (how === "alone") select(folder.path);
          }}
          onTick={() => chosen.choose(folder.id, "besides")}
          onKey={(event) => onKey(event, folder)}
        />
      </div>
    </ContextMenu>
  );
}

function NoneFits({ onAll }: { readonly onAll: () => void }): ReactNode {
  return (
    <p className="mt-3 text-sm text-mute">
      {say("none-fits")}{" "}
      <button type="button" className="font-medium text-dusk underline underline-offset-4" onClick={onAll}>
        {say("show-all")}
      </button>
    </p>
  );
}

function keyOf(row: Row | undefined): string {
  if (!row) return "";
  return row.kind === "heading" ? row.group : row.kind === "folder" ? row.folder.id : row.kind;
}

/** By state they stand in groups, each under its name; what was cut off needs its owner, too. */
function rowsOf(listed: readonly Listed[], inGroups: boolean, isCutOff: boolean): Row[] {
  const entry = ({ folder, job }: Listed): Row => ({ kind: "folder", folder, job });
  if (!inGroups) return listed.map(entry);
  return GROUPS.flatMap((group): Row[] => {
    const members = listed.filter((one) => one.group === group);
    const also: Row[] = group === "attention" && isCutOff ? [{ kind: "interruptions" }] : [];
    return members.length + also.length === 0 ? [] : [{ kind: "heading", group }, ...also, ...members.map(entry)];
  });
}

function NothingYet(): ReactNode {
  const { protect, make } = useSelection();
  return (
    <div className="mt-3 rounded-xl border border-dashed border-line-strong bg-sheet/60 px-6 py-8">
      <div className="flex gap-2" aria-hidden="true">
        <Doorway state="ordinary" />
        <Doorway state="sealed" />
        <Doorway state="hidden" />
      </div>
      <p className="mt-4 font-display text-xl font-semibold">{say("nothing-is-protected-yet")}</p>
      <ol className="mt-2 list-decimal space-y-1 pl-5 text-[15px] text-mute">
        <li>{say("choose-folder-or-file-under")}</li>
        <li>{say("lock-it-its-files-are")}</li>
        <li>{say("watch-onlooker-it-shows-same")}</li>
      </ol>
      <div className="mt-5 flex flex-wrap gap-2">
        <Button tone="dusk" onClick={() => protect("")}>
          {say("protect-folder")}
        </Button>
        <Button onClick={() => make("")}>{say("new-private-folder")}</Button>
      </div>
      <p className="mt-7 text-[15px] font-semibold">{say("how-it-is-started-tomorrow")}</p>
      <p className="mt-1 text-sm text-mute">{say("by-the-command-or")}</p>
      <DesktopSwitches />
    </div>
  );
}
