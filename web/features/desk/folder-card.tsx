"use client";
import Link from "next/link";
import type { ReactNode } from "react";
import type { FolderView, JobView } from "@eremos/server/contract";
import { conditionWord, doorwayOf, guardWords } from "@/parts/folders/conditions";
import { JobProgress } from "@/parts/folders/job-progress";
import { MainAction } from "@/parts/folders/main-action";
import { TimeLeft } from "@/parts/folders/time-left";
import { buttonClasses } from "@/ui/button";
import { Doorway } from "@/ui/doorway";
import { Time } from "@/ui/time";
import { useSelection } from "@/parts/folders/selection";
import { cn } from "@/lib/cn";
import { baseName, formatBytes, parentOf } from "@/lib/format";
import { say } from "@eremos/words/page/desk";

export function FolderCard({ folder, job }: { readonly folder: FolderView; readonly job: JobView | null }): ReactNode {
  const { path, select } = useSelection();
  const selected = path === folder.path;
  return (
    <article
      aria-label={folder.name}
      className={cn(
        "mb-1.5 rounded-xl border bg-sheet transition-shadow",
        selected ? "border-dusk shadow-[0_0_0_1px_var(--dusk)]" : "border-line hover:border-line-strong",
      )}
    >
      <button
        type="button"
        aria-pressed={selected}
        onClick={() => select(folder.path)}
        className="flex w-full items-center gap-3.5 rounded-xl px-4 py-2.5 text-left"
      >
        <Doorway state={job ? "working" : doorwayOf(folder)} />
        <span className="min-w-0 flex-1">
          <span className="block truncate font-semibold">{folder.name}</span>
          {!job && folder.attention !== null ? (
            <span className="block text-[13px] text-mute">{folder.attention}</span>
          ) : (
            <span className="block truncate text-[13px] text-mute">
              {`${baseName(parentOf(folder.path))}, ${guardWords(folder)}${folder.files > 0 ? `, ${say("files", { files: folder.files })}, ${formatBytes(folder.bytes)}` : ""}`}
            </span>
          )}
        </span>
        {!job && (
          <span className="shrink-0 text-right">
            <span
              className={cn(
                "block text-sm font-semibold",
                folder.state === "open"
                  ? "text-clay"
                  : folder.state === "locked" && folder.attention === null
                    ? "text-dusk"
                    : "text-ochre",
              )}
            >
              {conditionWord(folder)}
            </span>
            <span className="block text-[13px] text-mute">
              {folder.openedAt ? (
                <>
                  {say("opened")} <Time at={folder.openedAt} />
                </>
              ) : folder.lockedAt ? (
                <Time at={folder.lockedAt} />
              ) : null}
            </span>
          </span>
        )}
      </button>
      {job && (
        <div className="px-4 pb-3.5">
          <JobProgress job={job} />
        </div>
      )}
      {!job && folder.state === "open" && (
        <p className="px-4 pb-2 pl-[52px] text-[13px] text-mute">
          <TimeLeft folder={folder} />
        </p>
      )}
      {!job && (selected || folder.state === "open") && (
        <div className="flex flex-wrap gap-2 px-4 pb-3.5 pl-[52px]">
          <MainAction folder={folder} />
          <Link href={`/folders/${folder.id}`} className={buttonClasses({ size: "small" })}>
            {say("details")}
          </Link>
          {folder.waysBack && (
            <p className="w-full text-[13px] text-mute">
              <WaysBackLine {...folder.waysBack} />
            </p>
          )}
        </div>
      )}
    </article>
  );
}

/** How many ways back it has, and when they were last tried. */
function WaysBackLine({
  count: ways,
  codeProvenAt,
  sharesProvenAt,
  hasKeyholders,
}: NonNullable<FolderView["waysBack"]>): ReactNode {
  const untried = (
    <Link href="/ways-back#practice" className="underline underline-offset-4">
      {say("not-tried-yet")}
    </Link>
  );
  return (
    <>
      {say("ways-back-code-was", { ways })}{" "}
      {codeProvenAt === null ? (
        untried
      ) : (
        <>
          {say("tried")} <Time at={codeProvenAt} />
        </>
      )}
      {hasKeyholders && (
        <>
          {say("shares")} {sharesProvenAt === null ? untried : <Time at={sharesProvenAt} />}
        </>
      )}
      .
    </>
  );
}
