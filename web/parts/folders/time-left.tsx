"use client";
import type { ReactNode } from "react";
import type { FolderView } from "@eremos/server/contract";
import { useNow } from "@/lib/countdown";
import { duration, exactTime } from "@/lib/format";

/** When an open folder locks by itself, counted down; or whom that waits for. */
export function TimeLeft({ folder }: { readonly folder: FolderView }): ReactNode {
  const now = useNow(1000, folder.locksAt !== null);
  if (folder.waitingFor.length > 0)
    return (
      <span className="font-medium text-ochre">
        Its time is up; waiting for {folder.waitingFor.join(", ")} to let go of its files
      </span>
    );
  if (folder.locksAt === null) return <>Stays open until you lock it</>;
  const left = Math.max(0, (folder.locksAt - now) / 1000);
  return (
    <span title={exactTime(folder.locksAt)}>
      {left === 0 ? "Locks any moment" : `Locks in ${duration(left)}${folder.locksWhenIdle ? " if it isn't used" : ""}`}
    </span>
  );
}
