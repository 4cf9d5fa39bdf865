"use client";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useRef } from "react";
import type { FolderView, JobView } from "@eremos/server/contract";
import { GROUP_WORDS, type Group, groupOf } from "@/parts/folders/conditions";
import { Interruptions } from "@/parts/folders/interruptions";
import { FolderCard } from "./folder-card";
import { OwnDataTrouble, useOwnDataTrouble } from "./own-data-trouble";
import { Button } from "@/ui/button";
import { Doorway } from "@/ui/doorway";
import { useSelection } from "@/parts/folders/selection";
import { isRunning, useFolders, useJobs } from "@/lib/queries";
import { say } from "@eremos/words/page/desk";

const ORDER = Object.keys(GROUP_WORDS) as readonly Group[];

type Row =
  | { readonly kind: "heading"; readonly group: Group }
  | { readonly kind: "folder"; readonly folder: FolderView; readonly job: JobView | null };

export function FolderList(): ReactNode {
  const folders = useFolders();
  const trouble = useOwnDataTrouble();
  const jobs = useJobs().filter(isRunning);
  const rows = rowsOf(folders ?? [], jobs);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => (rows[i]?.kind === "heading" ? 34 : 76),
    overscan: 12,
    getItemKey: (i) => keyOf(rows[i]),
  });
  const open = folders?.filter((folder) => folder.state === "open").length ?? 0;
  return (
    <section aria-labelledby="folders" className="flex shrink-0 flex-col lg:min-h-0">
      <div className="flex items-baseline gap-2.5 px-5 pt-4 pb-1">
        <h2 id="folders" className="text-base">
          {say("your-folders")}
        </h2>
        {folders && folders.length > 0 && (
          <span className="text-[13px] text-mute">
            {say("protected-open", { folders: folders.length, hasOpen: open > 0, open })}
          </span>
        )}
      </div>
      <div ref={scroller} className="px-5 pb-6 lg:min-h-0 lg:flex-1 lg:overflow-y-auto">
        {trouble && <OwnDataTrouble words={trouble} />}
        <Interruptions />
        {folders?.length === 0 && !trouble && <NothingYet />}
        <div className="relative w-full" style={{ height: virtual.getTotalSize() }}>
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
                  ) : (
                    <FolderCard folder={row.folder} job={row.job} />
                  )}
                </div>
              )
            );
          })}
        </div>
      </div>
    </section>
  );
}

function keyOf(row: Row | undefined): string {
  if (!row) return "";
  return row.kind === "heading" ? row.group : row.folder.id;
}

function rowsOf(folders: readonly FolderView[], jobs: readonly JobView[]): Row[] {
  const placed = folders.map((folder) => {
    const job = jobs.find((candidate) => candidate.folder === folder.id) ?? null;
    return { folder, job, group: job ? ("working" as const) : groupOf(folder) };
  });
  return ORDER.flatMap((group): Row[] => {
    const members = placed.filter((item) => item.group === group);
    return members.length === 0
      ? []
      : [{ kind: "heading", group }, ...members.map(({ folder, job }): Row => ({ kind: "folder", folder, job }))];
  });
}

function NothingYet(): ReactNode {
  const { protect } = useSelection();
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
      <Button tone="dusk" className="mt-5" onClick={() => protect("")}>
        {say("protect-folder")}
      </Button>
    </div>
  );
}
