"use client";
import type { ReactNode } from "react";
import type { FoundFolder, ScanView } from "@eremos/server/contract";
import { LookForm, LookStatus, Unreadable } from "./look-for";
import { useScan } from "./use-scan";
import { ago } from "@/lib/format";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/returning";

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
      <LookForm of={scan} action={say("look-for-my-folders")} onStart={start} onStop={stop} />
      <LookStatus of={scan} label={say("looking-for-folders")} summary={summaryOf(scan)} />
      {scan.found.length > 0 && (
        <ul aria-label={say("found")} className="mt-3 divide-y divide-line rounded-xl border border-line bg-sheet">
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
          {say("show-more-left", { more: scan.more })}
        </Button>
      )}
      {whole?.(scan)}
      <Unreadable
        paths={scan.unreadable}
        why={say("no-permission-or-disk-cant", { unreadable: scan.unreadable.length })}
      />
    </div>
  );
}

function summaryOf({ found, more, directories, isStopped }: ScanView): string {
  const what =
    found.length === 0
      ? say("no-protected-folder-found")
      : say("protected-folders-found", { found: found.length + more });
  return say("in-directories-it-was-stopped", { what, directories, isStopped });
}

const RELATIONS: Readonly<Record<FoundFolder["relation"], string>> = {
  listed: say("in-your-list"),
  moved: say("in-your-list-and-was"),
  copy: say("second-copy-one-in-your"),
  lost: say("yours-and-not-in-your"),
  "another-owner": say("locked-by-another-eremos-or"),
  damaged: say("its-records-are-damaged"),
};

function wordsFor(
  { guard, visibility, isOpen, hasPassword, lockedAt, relation, listedAs, path }: FoundFolder,
  isFirst: boolean,
): string {
  const what = guard === null ? null : { sealed: "sealed", barred: "barred", sight: say("out-sight") }[guard];
  const where =
    visibility === null
      ? null
      : { view: say("in-view"), hidden: say("hidden-in-place"), tucked: say("tucked-away") }[visibility];
  const relates =
    listedAs === null || listedAs === path
      ? RELATIONS[relation]
      : `${RELATIONS[relation]}${relation === "moved" ? "" : ", as"} ${listedAs}`;
  return [
    isFirst && relation !== "damaged" ? null : relates,
    what,
    isOpen ? say("lies-open") : where,
    hasPassword ? say("has-password-its-own") : null,
    lockedAt === null ? null : say("last-locked", { lockedAt: ago(lockedAt) }),
  ]
    .filter((word) => word !== null)
    .join(" · ");
}
