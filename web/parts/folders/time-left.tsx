"use client";
import type { ReactNode } from "react";
import type { FolderView } from "@eremos/server/contract";
import { useNow } from "@/lib/countdown";
import { duration, exactTime } from "@/lib/format";
import { say } from "@eremos/words/page/folders";

/** When an open folder locks by itself, counted down; or whom that waits for. */
export function TimeLeft({ folder }: { readonly folder: FolderView }): ReactNode {
  const now = useNow(1000, folder.locksAt !== null);
  if (folder.waitingFor.length > 0)
    return (
      <span className="font-medium text-ochre">
        {say("its-time-is-up-waiting", { waitingFor: folder.waitingFor.join(", ") })}
      </span>
    );
  if (folder.isLetGo) return <span className="font-medium text-ochre">{say("nothing-uses-it-any-more")}</span>;
  if (folder.locksAt === null) return <>{say("stays-open-until-you-lock")}</>;
  const left = Math.max(0, (folder.locksAt - now) / 1000);
  return (
    <span title={exactTime(folder.locksAt)}>
      {left === 0
        ? say("locks-any-moment")
        : say("locks-in-if-it-isnt", { left: duration(left), isLocksWhenIdle: folder.locksWhenIdle })}
    </span>
  );
}
