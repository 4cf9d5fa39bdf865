import { type Located, displayPath, isEremosError, locateFolder } from "@eremos/core";
import type { Note } from "../../data-directory";
import type { Eremos } from "../../eremos";
import { AS_BEFORE } from "../../protection";
import { type LockJob, lock } from "./lock-folder";
import { decodePath } from "../../paths";

export interface ClosingUp {
  readonly locking: readonly { readonly path: string; readonly job: LockJob }[];
  /** Open folders whose lock could not even begin. */
  readonly left: readonly { readonly path: string; readonly reason: string }[];
}

/** Locks every folder that lies open, or those that are chosen, and ends every visit. Needs no password. */
export function closeUp(eremos: Eremos, inUseAnyway: boolean, which: (note: Note) => boolean = () => true): ClosingUp {
  void eremos.visits.endAll();
  const locking: { path: string; job: LockJob }[] = [];
  const left: { path: string; reason: string }[] = [];
  for (const { realPath } of openFolders(eremos, which).filter(({ inspection }) => !inspection.busy)) {
    try {
      const job = lock(eremos, { path: realPath, protection: AS_BEFORE, inUseAnyway, from: "/" });
      // Its end is told by the job itself, to whoever looks at it.
      job.outcome.catch(() => undefined);
      locking.push({ path: displayPath(realPath), job });
    } catch (error) {
      if (!isEremosError(error)) throw error;
      left.push({ path: displayPath(realPath), reason: error.message });
    }
  }
  return { locking, left };
}

/** How many folders lie open. */
export function countOpen(eremos: Eremos): number {
  return openFolders(eremos, () => true).length;
}

/** Those that are being locked just now are open still. */
function openFolders(eremos: Eremos, which: (note: Note) => boolean): Located[] {
  return eremos.data
    .notes()
    .filter(which)
    .flatMap((note) => {
      try {
        const located = locateFolder(eremos.disk, decodePath(note.path), note.id);
        return located && ["open", "mixed"].includes(located.inspection.state) ? [located] : [];
      } catch (error) {
        if (isEremosError(error)) return [];
        throw error;
      }
    });
}
