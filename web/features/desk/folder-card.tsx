"use client";
import Link from "next/link";
import type { KeyboardEvent, MouseEvent, ReactNode } from "react";
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

export interface EntryProps {
  readonly folder: FolderView;
  readonly job: JobView | null;
  /** One of several, or alone. */
  readonly isChosen: boolean;
  readonly onChoose: (event: MouseEvent) => void;
  readonly onTick: () => void;
  readonly onKey: (event: KeyboardEvent) => void;
}

/** By it one more is chosen. */
export function Tick({
  name,
  isOn,
  onTick,
}: {
  readonly name: string;
  readonly isOn: boolean;
  readonly onTick: () => void;
}): ReactNode {
  return (
    <input
      type="checkbox"
      aria-label={say("choose", { name })}
      checked={isOn}
      onChange={onTick}
      className="size-4 shrink-0 accent-dusk"
    />
  );
}

export function FolderCard({ folder, job, isChosen, onChoose, onTick, onKey }: EntryProps): ReactNode {
  const { path } = useSelection();
  const selected = path === folder.path;
  return (
    <article
      aria-label={folder.name}
      className={cn(
        "group/card relative mb-1.5 rounded-xl border bg-sheet transition-shadow",
        selected || isChosen ? "border-dusk shadow-[0_0_0_1px_var(--dusk)]" : "border-line hover:border-line-strong",
      )}
    >
      <span
        className={cn(
          "absolute top-[22px] left-1 grid place-items-center opacity-0 group-hover/card:opacity-100 has-focus-visible:opacity-100",
          isChosen && "opacity-100",
        )}
      >
        <Tick name={folder.name} isOn={isChosen} onTick={onTick} />
      </span>
      <button
        type="button"
        data-entry
        aria-pressed={selected}
        onClick={onChoose}
        onKeyDown={onKey}
        className="flex w-full items-center gap-3.5 rounded-xl py-2.5 pr-4 pl-7 text-left"
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
        {!job && <Condition folder={folder} />}
      </button>
      {job && (
        <div className="px-4 pb-3.5">
          <JobProgress job={job} />
        </div>
      )}
      {!job && folder.state === "open" && (
        <p className="px-4 pb-2 pl-[64px] text-[13px] text-mute">
          <TimeLeft folder={folder} />
        </p>
      )}
      {!job && (selected || folder.state === "open") && (
        <div className="flex flex-wrap gap-2 px-4 pb-3.5 pl-[64px]">
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

/** What state it is in, and since when. */
function Condition({ folder }: { readonly folder: FolderView }): ReactNode {
  return (
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
  );
}
