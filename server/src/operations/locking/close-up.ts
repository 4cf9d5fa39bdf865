import { type EremosError, type Located, displayPath, fromSystemError, isEremosError } from "@eremos/core";
import type { Note } from "../../data-directory";
import type { Eremos } from "../../eremos";
import { withoutAnswer } from "../../look/no-answer";
import { whereIs } from "../../look/where-is";
import { decodePath, encodePath, fullPath } from "../../paths";
import { AS_BEFORE } from "../../protection";
import { type LockJob, lock } from "./lock-folder";
import { said } from "@eremos/words/server/locking";

export interface ClosingUp {
  readonly locking: readonly { readonly path: string; readonly job: LockJob }[];
  /** Open folders whose lock could not even begin. */
  readonly left: readonly { readonly path: string; readonly error: EremosError }[];
}

/**
 * Locks every folder that lies open, or those that are chosen, and ends every visit. Needs no password. All that is at
 * rest has begun before anything is waited for. What one folder could not be locked by keeps no other open.
 */
export async function closeUp(
  eremos: Eremos,
  inUseAnyway: boolean,
  which: (note: Note) => boolean = () => true,
): Promise<ClosingUp> {
  void eremos.visits.endAll();
  const { open, silent } = openFolders(eremos, which);
  const begun = open
    .filter(({ inspection }) => !inspection.busy)
    .map(({ realPath }) => ({
      path: displayPath(realPath),
      beginning: lock(eremos, { path: realPath, protection: AS_BEFORE, inUseAnyway, from: "/" }),
    }));
  const locking: { path: string; job: LockJob }[] = [];
  const left = silent.map((path) => ({ path, error: withoutAnswer(path) }));
  for (const [i, result] of (await Promise.allSettled(begun.map(({ beginning }) => beginning))).entries()) {
    const path = begun[i]?.path ?? "";
    if (result.status === "rejected") left.push({ path, error: fromSystemError(result.reason, said("locking-it")) });
    else {
      // Its end is told by the job itself, to whoever looks at it.
      result.value.outcome.catch(() => undefined);
      locking.push({ path, job: result.value });
    }
  }
  return { locking, left };
}

/** What is remembered of an open folder, by its id, its ordinary path, or the path it has now; signed out, too. */
export function noteNamed(eremos: Eremos, pathOrId: string, from: string): Note | null {
  const notes = eremos.data.notes();
  const byId = notes.find(({ id }) => id === pathOrId);
  if (byId) return byId;
  const path = fullPath(pathOrId, eremos.settings.home, from);
  return (
    notes.find((note) => note.path === encodePath(path)) ??
    openFolders(eremos, () => true)
      .open.filter(({ realPath }) => realPath.equals(path))
      .flatMap(({ inspection }) => notes.filter(({ id }) => id === inspection.folder))[0] ??
    null
  );
}

/** Where an open folder lies now, by its id; null for everything else. */
export function openNow(eremos: Eremos, id: string): Buffer | null {
  const note = eremos.data.note(id);
  return note && (whereIs(eremos, note)?.realPath ?? null);
}

/** How many folders lie open, as far as is known. */
export function countOpen(eremos: Eremos): number {
  const { open, silent } = openFolders(eremos, () => true);
  return open.length + silent.length;
}

interface OpenNow {
  /** Those that are being locked just now are open still. */
  readonly open: readonly Located[];
  /** What these lie on does not answer: ordinary paths. */
  readonly silent: readonly string[];
}

function openFolders(eremos: Eremos, which: (note: Note) => boolean): OpenNow {
  const open: Located[] = [];
  const silent: string[] = [];
  for (const note of eremos.data.notes().filter(which)) {
    try {
      const located = whereIs(eremos, note);
      if (located && ["open", "mixed"].includes(located.inspection.state)) open.push(located);
    } catch (error) {
      if (!isEremosError(error)) throw error;
      if (error.code === "no-answer") silent.push(displayPath(decodePath(note.path)));
    }
  }
  return { open, silent };
}
