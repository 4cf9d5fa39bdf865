"use client";
import { type ReactNode, useState } from "react";
import type { FoundFolder, ScanView } from "@eremos/server/contract";
import { useScan } from "./use-scan";
import { ago, count } from "@/lib/format";
import { Button } from "@/ui/button";
import { Field } from "@/ui/field";
import { ProgressBar } from "@/ui/progress-bar";

interface ScanPanelProps {
  /** What can be done with one that was found. */
  readonly action: (found: FoundFolder) => ReactNode;
  /** What can be done with all of them. */
  readonly whole?: (scan: ScanView) => ReactNode;
  /** There is no list yet that they could be in. */
  readonly isFirst?: boolean;
}

/**
 * Looks for protected folders on this disk, by what they carry themselves; with progress, to be stopped, skipping
 * nothing silently.
 */
export function ScanPanel({ action, whole, isFirst = false }: ScanPanelProps): ReactNode {
  const { scan, start, stop, showMore } = useScan();
  const [place, setPlace] = useState("");
  if (!scan) return null;
  return (
    <div>
      <form
        className="flex flex-wrap items-start gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          start(place.trim() === "" ? null : [place.trim()]);
        }}
      >
        <Field
          className="min-w-64 flex-1"
          label="Where to look"
          value={place}
          placeholder="Your places"
          onChange={(event) => setPlace(event.target.value)}
          autoComplete="off"
          spellCheck={false}
          note="Leave it empty for your own places, or give the path of a drive or a directory."
        />
        {scan.isRunning ? (
          <Button className="mt-[26px] h-11" onClick={stop}>
            Stop
          </Button>
        ) : (
          <Button tone="dusk" type="submit" className="mt-[26px] h-11">
            {scan.endedAt === null ? "Look for my folders" : "Look again"}
          </Button>
        )}
      </form>
      <div role="status" className="mt-3 text-sm">
        {scan.isRunning && (
          <>
            <ProgressBar part={null} label="Looking for folders" />
            <p className="mt-1.5 truncate text-[13px] text-mute">
              {count(scan.directories, "directory", "directories")} looked at. Now {scan.at}
            </p>
          </>
        )}
        {!scan.isRunning && scan.endedAt !== null && <p>{summaryOf(scan)}</p>}
        {scan.error && <p className="text-oxblood">{scan.error}</p>}
      </div>
      {scan.found.length > 0 && (
        <ul aria-label="Found" className="mt-3 divide-y divide-line rounded-xl border border-line bg-sheet">
          {scan.found.map((found) => (
            <li key={found.path} className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2.5 text-sm">
              <div className="min-w-0 flex-1">
                <p className="truncate font-medium" title={found.path}>
                  {found.path}
                </p>
                <p className="text-[13px] text-mute">{wordsFor(found, isFirst)}</p>
                {found.problems.map((problem) => (
                  <p key={problem} className="text-[13px] text-oxblood">
                    {problem}
                  </p>
                ))}
              </div>
              {action(found)}
            </li>
          ))}
        </ul>
      )}
      {scan.more > 0 && (
        <Button className="mt-2" onClick={showMore}>
          Show more ({scan.more.toLocaleString("en")} left)
        </Button>
      )}
      {whole?.(scan)}
      {scan.unreadable.length > 0 && (
        <details className="mt-3 text-[13px] text-mute">
          <summary className="cursor-pointer">
            {count(scan.unreadable.length, "directory", "directories")} could not be looked into (no permission, or the
            disk can&rsquo;t read {scan.unreadable.length === 1 ? "it" : "them"})
          </summary>
          <ul className="mt-1 max-h-48 overflow-y-auto pl-4">
            {scan.unreadable.map((path) => (
              <li key={path} className="break-all">
                {path}
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}

function summaryOf({ found, more, directories, isStopped }: ScanView): string {
  const what =
    found.length === 0 ? "No protected folder found" : `${count(found.length + more, "protected folder")} found`;
  return `${what} in ${count(directories, "directory", "directories")}.${isStopped ? " It was stopped before the end: there may be more." : ""}`;
}

const RELATIONS: Readonly<Record<FoundFolder["relation"], string>> = {
  listed: "in your list",
  moved: "in your list, and was moved here from",
  copy: "a second copy of one in your list",
  lost: "yours, and not in your list",
  "another-owner": "locked by another Eremos, or before this one was set up",
  damaged: "its records are damaged",
};

function wordsFor(
  { guard, visibility, isOpen, hasPassword, lockedAt, relation, listedAs, path }: FoundFolder,
  isFirst: boolean,
): string {
  const what = guard === null ? null : { sealed: "sealed", barred: "barred", sight: "out of sight" }[guard];
  const where =
    visibility === null ? null : { view: "in view", hidden: "hidden in place", tucked: "tucked away" }[visibility];
  const relates =
    listedAs === null || listedAs === path
      ? RELATIONS[relation]
      : `${RELATIONS[relation]}${relation === "moved" ? "" : ", as"} ${listedAs}`;
  return [
    isFirst && relation !== "damaged" ? null : relates,
    what,
    isOpen ? "lies open" : where,
    hasPassword ? "has a password of its own" : null,
    lockedAt === null ? null : `last locked ${ago(lockedAt)}`,
  ]
    .filter((word) => word !== null)
    .join(" · ");
}
