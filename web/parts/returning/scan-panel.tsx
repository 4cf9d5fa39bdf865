"use client";
import type { ReactNode } from "react";
import type { FoundFolder, ScanView } from "@eremos/server/contract";
import { LookForm, LookStatus, Unreadable } from "./look-for";
import { useScan } from "./use-scan";
import { ago, count } from "@/lib/format";
import { Button } from "@/ui/button";

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
  if (!scan) return null;
  return (
    <div>
      <LookForm of={scan} action="Look for my folders" onStart={start} onStop={stop} />
      <LookStatus of={scan} label="Looking for folders" summary={summaryOf(scan)} />
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
      <Unreadable
        paths={scan.unreadable}
        why={`no permission, or the disk can’t read ${scan.unreadable.length === 1 ? "it" : "them"}`}
      />
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
