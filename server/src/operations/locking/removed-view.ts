import type { RemovedAs } from "../../contract";
import type { Eremos } from "../../eremos";
import type { FolderRecord } from "../../ledger/registry";

/** How it is told: for how long it can come back. */
export function removedView(eremos: Eremos, { removed }: FolderRecord): RemovedAs | null {
  return (
    removed && { at: removed.at, daysLeft: Math.max(0, Math.ceil(removed.day + removed.days - eremos.days.now())) }
  );
}
