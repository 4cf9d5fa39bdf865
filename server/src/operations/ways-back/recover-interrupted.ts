import {
  EremosError,
  type Failure,
  type FolderToLookAt,
  type Recovery,
  type ShortOutcomes,
  errorOf,
  failureOf,
  fromSystemError,
  isEremosError,
  isLocked,
} from "@eremos/core";
import { interruptedVerbSchema } from "../../calls/shapes/folders";
import type { Protection } from "../../contract";
import type { Note } from "../../data-directory";
import type { Eremos } from "../../eremos";
import { whereIs } from "../../look/where-is";
import { protectionOf } from "../../protection";
import { decodePath } from "../../paths";
import { forgetErased, isErased, sweepRemoved } from "../locking/remove";
import { said } from "@eremos/words/server/ways-back";

/**
 * Brings every folder whose operation was cut off into a whole state. Needs no key: the notes say where to look, the
 * disk says what is true. Returns the ids of the folders that were put right; of those whose work was cut off, their
 * owner is told, and says what is to become of it.
 */
export async function recoverInterrupted(eremos: Eremos): Promise<string[]> {
  eremos.jobs.markInterrupted();
  const recovered: string[] = [];
  const notes = eremos.data.notes();
  // What does not answer is known before this process looks itself.
  await eremos.looker.folders({ folders: notes.map(asNoted), mounts: [] });
  for (const { note, found } of await recoverNoted(eremos, notes)) {
    try {
      if (found instanceof EremosError) throw found;
      const recovery = found;
      eremos.troubles.delete(note.id);
      if (recovery && (await followRecovery(eremos, note, recovery))) recovered.push(note.id);
    } catch (error) {
      // One folder's trouble is its own: it says so on its card, and keeps nothing else from working.
      eremos.troubles.set(note.id, fromSystemError(error, said("putting-it-right-nothing-is")).message);
    }
  }
  if (recovered.length > 0) eremos.announce({ topic: "folders" });
  return recovered;
}

/** Note and list follow what recovery found. Returns whether there was anything to do. */
async function followRecovery(eremos: Eremos, note: Note, recovery: Recovery): Promise<boolean> {
  tell(eremos, note, recovery.state);
  if (recovery.state !== null && isLocked({ state: recovery.state })) await eremos.ledger.recovered(note);
  if (recovery.state === "mixed") await listPartly(eremos, note);
  if (recovery.state === null) await forget(eremos, note);
  return recovery.steps.length > 0;
}

/** Whoever signs in is told what was cut off; before that the note and the job wait. */
function tell(eremos: Eremos, note: Pick<Note, "id" | "path"> & Protection, state: Recovery["state"]): void {
  const job = eremos.keys && eremos.jobs.cutOff(note.id);
  if (!eremos.keys || !job) return;
  const { verb, files, filesTotal } = job;
  const asked = interruptedVerbSchema.safeParse(verb);
  if (!asked.success) return eremos.jobs.told(job);
  const now =
    state === null
      ? ("ordinary" as const)
      : state === "open"
        ? ("open" as const)
        : state === "mixed"
          ? ("partly" as const)
          : ("locked" as const);
  const others = (eremos.documents.get(eremos.keys, "interruptions") ?? []).filter(({ folder }) => folder !== note.id);
  eremos.documents.put(eremos.keys, "interruptions", [
    ...others,
    {
      folder: note.id,
      path: note.path,
      protection: protectionOf(note),
      verb: asked.data,
      files,
      filesTotal,
      now,
      at: Date.now(),
    },
  ]);
  eremos.jobs.told(job);
}

/** What was brought to its end while nobody was signed in has no note any more, and stands in the list. */
export function tellOfListed(eremos: Eremos): void {
  const cutOff = eremos.jobs.foldersCutOff();
  for (const record of eremos.keys && cutOff.size > 0 ? eremos.registry.list(eremos.keys) : []) {
    if (cutOff.has(record.id) && eremos.jobs.cutOff(record.id)) tell(eremos, record, stateOf(eremos, record));
  }
}

function stateOf(eremos: Eremos, { path, id }: Pick<Note, "id" | "path">): Recovery["state"] {
  try {
    return whereIs(eremos, { path, id })?.inspection.state ?? null;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** A first lock that stopped half way, file by file: the folder needs the list, and its note, too. */
async function listPartly(eremos: Eremos, note: Note): Promise<void> {
  const { keys } = eremos;
  if (!keys || eremos.registry.list(keys).some((record) => record.id === note.id)) return;
  await eremos.ledger.partly(note);
}

function asNoted({ id, path, kind }: Note): FolderToLookAt {
  return { id, path: decodePath(path), isDrive: kind === "drive", isEncrypting: false, files: 0, bytes: 0 };
}

/** What is to be done about a noted folder: nothing, put it right, or what is true of it already. */
type Found = Recovery | EremosError | { readonly putRight: Buffer; readonly mayBeNone: boolean } | null;

interface Noted<T> {
  readonly note: Note;
  readonly found: T;
}

/** Those that need it are brought to rest, all in one go. Null where there was nothing to do or somebody is at work. */
async function recoverNoted(
  eremos: Eremos,
  notes: readonly Note[],
): Promise<readonly Noted<Recovery | EremosError | null>[]> {
  const erased = notes.filter(({ erases }) => erases);
  const notSwept = await sweepRemoved(eremos, erased).catch(
    (error: unknown) => new Map(erased.map(({ id }) => [id, failureOf(error, said("putting-it-right-nothing-is"))])),
  );
  const all = notes.map((note): Noted<Found> => ({ note, found: lookAtNoted(eremos, note, notSwept.get(note.id)) }));
  const input = all.flatMap(({ found }) => (found && "putRight" in found ? [found.putRight] : []));
  const outcomes = input.length > 0 ? [...(await recoverEach(eremos, input))] : [];
  return all.map(({ note, found }) => {
    if (!found || !("putRight" in found)) return { note, found };
    const outcome = outcomes.shift();
    if (!outcome) return { note, found: null };
    if ("done" in outcome) return { note, found: outcome.done };
    const { code } = outcome.failure;
    if (code === "busy") return { note, found: null };
    const isNone = code === "not-protected" && found.mayBeNone;
    return { note, found: isNone ? { state: null, path: found.putRight, steps: [] } : errorOf(outcome.failure) };
  });
}

/** Where the engine itself ends over one, each is told of, and whoever signs in does nevertheless. */
function recoverEach(eremos: Eremos, input: readonly Buffer[]): Promise<ShortOutcomes["recover"]> {
  return eremos
    .ask<"recover">({ verb: "recover", input })
    .catch((error: unknown) => input.map(() => ({ failure: failureOf(error, said("putting-it-right-nothing-is")) })));
}

function lookAtNoted(eremos: Eremos, note: Note, notSwept: Failure | undefined): Found {
  const path = decodePath(note.path);
  try {
    if (notSwept) return errorOf(notSwept);
    if (isErased(eremos, note)) return { state: null, path, steps: ["erase"] };
    const located = whereIs(eremos, note);
    // Its drive is away: it goes when that is back.
    if (note.erases && !located) return null;
    if (located) return located.inspection.busy ? null : { putRight: located.realPath, mayBeNone: false };
    return lookAtUnlocated(eremos, note, path);
  } catch (error) {
    if (isEremosError(error) && error.code === "busy") return null;
    return fromSystemError(error, said("putting-it-right-nothing-is"));
  }
}

/** The folder has no state of its own: its first lock never began or was undone, it was released, or it is away. */
function lookAtUnlocated(eremos: Eremos, note: Note, path: Buffer): Found {
  if (eremos.jobs.busy) return null;
  const other = eremos.glance.inspect(path);
  // Another program locked it first: of a first lock that came to nothing, nothing is left but its note.
  if (other)
    return note.opened === null && note.openedAt === 0 && !other.busy ? { state: null, path, steps: [] } : null;
  return { putRight: path, mayBeNone: true };
}

/**
 * An ordinary folder needs no note; without the owner's keys its row in the list can't be found out of date yet, so the
 * note stays.
 */
async function forget(eremos: Eremos, note: Note): Promise<void> {
  if (!eremos.keys) return;
  if (note.erases) await forgetErased(eremos, note.id, note.erases.history);
  else eremos.ledger.forgotten(note.id);
}
