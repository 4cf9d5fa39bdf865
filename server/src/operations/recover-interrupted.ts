import { type Recovery, disk, inspectFolder, isEremosError, locateFolder, recoverFolder } from "@eremos/core";
import type { Note } from "../data-directory";
import type { Eremos } from "../eremos";
import type { CutOff } from "../jobs";
import { beginning } from "./lock-folder";
import { decodePath } from "./paths";

/**
 * Brings every folder whose operation was cut off into a whole state. Needs no key: the notes say where to look, the disk says what is
 * true. Returns the ids of the folders that were put right;
 * of those whose work was cut off, their owner is told, and says what is to become of it.
 */
export async function recoverInterrupted(eremos: Eremos, cutOff: readonly CutOff[] = eremos.jobs.markInterrupted()): Promise<string[]> {
  const recovered: string[] = [];
  for (const note of eremos.data.notes()) {
    const recovery = recoverNoted(eremos, note);
    if (!recovery) continue;
    const job = cutOff.find(({ folder }) => folder === note.id);
    if (job) eremos.interruptions.set(note.id, { note, job, state: recovery.state, at: Date.now() });
    if (recovery.state === "sealed" || recovery.state === "locked") {
      // A first lock while signed out may have been cut off after its commit: then only the note knows the folder.
      const event = { at: Date.now(), folder: note.id, kind: "recovered" as const, signedIn: eremos.keys !== null };
      await eremos.registry.record(eremos.keys, eremos.requireOwner(), event, { ...beginning(note), lockedAt: event.at });
      eremos.data.removeNote(note.id);
    }
    if (recovery.state === "mixed") await listPartly(eremos, note);
    if (recovery.state === null) forget(eremos, note);
    if (recovery.steps.length > 0) recovered.push(note.id);
  }
  if (recovered.length > 0) eremos.announce({ topic: "folders" });
  return recovered;
}

/** A first lock that stopped half way, file by file: the folder needs the list, and its note, too. */
async function listPartly(eremos: Eremos, note: Note): Promise<void> {
  const { keys } = eremos;
  if (!keys || eremos.registry.list(keys).some((record) => record.id === note.id)) return;
  await eremos.registry.record(keys, eremos.requireOwner(), { at: Date.now(), folder: note.id, kind: "recovered", signedIn: false }, beginning(note));
  eremos.announce({ topic: "folders" });
}

/** Null where there is nothing to do or somebody is at work. */
function recoverNoted(eremos: Eremos, note: Note): Recovery | null {
  const path = decodePath(note.path);
  try {
    const located = locateFolder(disk, path, note.id);
    if (located) return located.inspection.busy ? null : recoverFolder(disk, located.realPath);
    return recoverUnlocated(eremos, path);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** The folder has no state of its own: its first lock never began or was undone, it was released, or it is away. */
function recoverUnlocated(eremos: Eremos, path: Buffer): Recovery | null {
  if (eremos.jobs.busy || inspectFolder(disk, path)) return null;
  try {
    return recoverFolder(disk, path);
  } catch (error) {
    if (isEremosError(error) && error.code === "not-protected") return { state: null, path, steps: [] };
    throw error;
  }
}

/** An ordinary folder needs no note; without the owner's keys its row in the list can't be found out of date yet, so the note stays. */
function forget(eremos: Eremos, note: Note): void {
  if (!eremos.keys) return;
  eremos.data.removeNote(note.id);
  eremos.registry.remove(note.id);
}
