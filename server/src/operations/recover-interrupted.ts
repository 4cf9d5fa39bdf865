import { disk, inspectFolder, isEremosError, locateFolder, recoverFolder } from "@eremos/core";
import type { Note } from "../data-directory";
import type { Eremos } from "../eremos";
import { decodePath } from "./paths";

/** A note this young may belong to a lock that another process is just beginning. */
const YOUNG_MS = 30_000;

/**
 * Brings every folder whose operation was cut off into a whole state. Needs no key: the notes say where to look, the disk says what is
 * true. Returns the ids of the folders that were put right.
 */
export async function recoverInterrupted(eremos: Eremos): Promise<string[]> {
  const recovered: string[] = [];
  eremos.jobs.markInterrupted();
  for (const note of eremos.data.notes()) {
    const steps = recoverNoted(eremos, note);
    if (steps === 0) continue;
    recovered.push(note.id);
    const event = { at: Date.now(), folder: note.id, kind: "recovered" as const, signedIn: eremos.keys !== null };
    if (eremos.keys) eremos.registry.addEvent(eremos.keys, event);
    else await eremos.registry.post(eremos.requireOwner(), { record: null, header: null, event });
  }
  if (recovered.length > 0) eremos.announce({ topic: "folders" });
  return recovered;
}

function recoverNoted(eremos: Eremos, note: Note): number {
  const path = decodePath(note.path);
  try {
    const located = locateFolder(disk, path, note.id);
    if (!located) return recoverUnlocated(eremos, note, path);
    if (located.inspection.busy) return 0;
    const recovery = recoverFolder(disk, located.realPath);
    if (recovery.state === "sealed") eremos.data.removeNote(note.id);
    if (recovery.state === null) forget(eremos, note);
    return recovery.steps.length;
  } catch (error) {
    if (isEremosError(error)) return 0;
    throw error;
  }
}

/** The folder has no state: its first lock never began or was undone, it was released, or it is away. */
function recoverUnlocated(eremos: Eremos, note: Note, path: Buffer): number {
  if (Date.now() - note.protectedAt < YOUNG_MS && eremos.jobs.busy) return 0;
  const there = inspectFolder(disk, path);
  if (there) return 0;
  let steps = 0;
  try {
    steps = recoverFolder(disk, path).steps.length;
  } catch (error) {
    if (!isEremosError(error) || (error.code !== "not-protected" && error.code !== "not-found")) throw error;
    if (error.code === "not-found") return 0;
  }
  forget(eremos, note);
  return steps;
}

function forget(eremos: Eremos, note: Note): void {
  if (Date.now() - note.protectedAt < YOUNG_MS && !eremos.keys) return;
  eremos.data.removeNote(note.id);
  if (eremos.keys) eremos.registry.remove(note.id);
}
