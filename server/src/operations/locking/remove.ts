import { EremosError, type Failure, fromSystemError, isLocked, splitPath } from "@eremos/core";
import type { Protection } from "../../contract";
import type { Note } from "../../data-directory";
import type { Eremos } from "../../eremos";
import { whereIs } from "../../look/where-is";
import { decodePath, nameOf } from "../../paths";
import { AS_BEFORE, protectionOf } from "../../protection";
import { clearAllTraces, forgetTraces } from "../folders/traces";
import { findUnvisited } from "../folders/visit";
import { type Target, findRemoved } from "./find-target";
import { lock } from "./lock-folder";
import { changeLocked } from "./protection";
import { said, say } from "@eremos/words/server/locking";

/** Work that has begun, perhaps with a lock before it. */
export interface Removing {
  /** Of its first part; null: it needed none. */
  readonly job: string | null;
  readonly done: Promise<unknown>;
}

/**
 * Puts a protected folder into Eremos' trash: locked, out of sight on its own disk, and back with one click for so many
 * days. One that lies open is locked first. @throws EremosError `unsupported` for a drive, and as changing how it shows
 */
export async function removeToTrash(eremos: Eremos, folder: string, days: number, from = "/"): Promise<Removing> {
  const target = await findUnvisited(eremos, folder, from);
  const { record } = target;
  if (record.kind === "drive") throw new EremosError("unsupported", said("drive-does-not-go-into-trash"));
  return lockedFirst(eremos, target, (locked) => intoTrash(eremos, locked, days));
}

async function intoTrash(eremos: Eremos, target: Target, days: number): Promise<Removing> {
  const { record } = target;
  const before = protectionOf(record);
  const tucked: Protection = { ...before, visibility: "tucked", cover: null, icon: null };
  await changeLocked(eremos, target, tucked);
  const removed = { day: eremos.days.now(), days, at: Date.now(), before };
  eremos.ledger.known(eremos.requireKeys(), { ...record, ...tucked, removed });
  await eremos.ledger.happened(record.id, "removed");
  eremos.announce({ topic: "folders" });
  return { job: null, done: Promise.resolve() };
}

/** Locked, where it belongs, as it was before. @throws EremosError `path-taken` where something else is there now */
export async function putBackFromTrash(eremos: Eremos, folder: string, from = "/"): Promise<void> {
  const target = findRemoved(eremos, folder, from);
  const { before } = target.removed;
  await changeLocked(eremos, target, before);
  eremos.ledger.known(eremos.requireKeys(), { ...target.record, ...before, removed: null });
  await eremos.ledger.happened(target.record.id, "out-of-trash");
  eremos.announce({ topic: "folders" });
}

export interface RemoveRequest {
  readonly folder: string;
  /** The folder's name, as its owner typed it. */
  readonly name: string;
  /** So often everything is written over before it goes; 0: only what opens it. */
  readonly passes: number;
  /** What is told of it in the activity goes, too. */
  readonly history: boolean;
  /** What lies elsewhere and surely names it is cleared first. */
  readonly traces: boolean;
  readonly from?: string;
}

/**
 * Removes a folder for good with what is in it: one of the list, or one that is in the trash. One that lies open is
 * locked first. @throws EremosError `usage` where the name is another, and as locking
 */
export async function removeNow(eremos: Eremos, request: RemoveRequest): Promise<Removing> {
  const { folder, from = "/" } = request;
  const target = findRemoved(eremos, folder, from, true);
  const name = nameOf(decodePath(target.record.path));
  if (request.name.normalize("NFC") !== name.normalize("NFC"))
    throw new EremosError("usage", said("name-is-another", { name }));
  await eremos.visits.end(target.record.id);
  return lockedFirst(eremos, target, (locked) => forGood(eremos, locked, request));
}

async function lockedFirst(
  eremos: Eremos,
  target: Target,
  then: (locked: Target) => Promise<Removing>,
): Promise<Removing> {
  if (isLocked(target.located.inspection)) return then(target);
  const path = decodePath(target.record.path);
  const locking = await lock(eremos, { path, protection: AS_BEFORE, inUseAnyway: false, verb: "remove", from: "/" });
  const done = locking.outcome
    .then(() => then(findRemoved(eremos, target.record.id, "/", true)))
    .then((removing) => removing.done);
  // Whoever looks is told by the jobs.
  done.catch(() => undefined);
  return { job: locking.id, done };
}

type ForGood = Pick<RemoveRequest, "passes" | "history" | "traces">;

async function forGood(eremos: Eremos, target: Target, { passes, history, traces }: ForGood): Promise<Removing> {
  const { record, located } = target;
  const path = decodePath(record.path);
  const notCleared = traces ? await whyNotCleared(eremos, record.id, path) : null;
  const { id, outcome } = eremos.jobs.start({
    folder: record.id,
    verb: "remove",
    request: {
      verb: "erase",
      input: { path: located.realPath, folder: record.id, guard: located.inspection.guard, passes },
    },
    // From now on the next start brings it to its end.
    before: () => eremos.ledger.erasing(record, { history, beside: directoryOf(eremos, path) }),
    after: async () => {
      await forgetErased(eremos, record.id, history);
      return [say("removed-for-good", { name: nameOf(path) }), notCleared].filter(Boolean).join(" ");
    },
    failed: async () => {
      const now = whereIs(eremos, record);
      if (now && isLocked(now.inspection)) eremos.ledger.stillLocked(record.id);
    },
  });
  // Whoever looks is told by the job.
  outcome.catch(() => undefined);
  return { job: id, done: outcome };
}

/** That its traces could not be cleared keeps nothing of it. */
async function whyNotCleared(eremos: Eremos, id: string, path: Buffer): Promise<string | null> {
  try {
    await clearAllTraces(eremos, id, path);
    return null;
  } catch (error) {
    return say("traces-not-cleared", { reason: fromSystemError(error, said("clearing-its-traces")).message });
  }
}

/** Which directory a path is in, by what no other on its disk can be; null: there is none. */
function directoryOf(eremos: Eremos, path: Buffer): string | null {
  return eremos.glance.directoryMark(splitPath(path).parent);
}

/** What is left of folders whose removal was cut off when it had gone as far. Returns why it stays, by their ids. */
export async function sweepRemoved(eremos: Eremos, notes: readonly Note[]): Promise<ReadonlyMap<string, Failure>> {
  const input = notes.map(({ id, path }) => ({ path: decodePath(path), folder: id }));
  if (input.length === 0) return new Map();
  const swept = await eremos.ask<"sweep-erased">({ verb: "sweep-erased", input });
  return new Map(swept.flatMap((one, i) => ("failure" in one ? [[input[i]?.folder ?? "", one.failure] as const] : [])));
}

/** Whether a folder that is being removed is gone, and its disk is there to say so. */
export function isErased(eremos: Eremos, { id, path, erases }: Note): boolean {
  if (!erases) return false;
  return whereIs(eremos, { id, path }) === null && directoryOf(eremos, decodePath(path)) === erases.beside;
}

/** Nothing of it stays in Eremos' own data, nor in the log and the free pages of its database. */
export async function forgetErased(eremos: Eremos, id: string, history: boolean): Promise<void> {
  await forgetTraces(eremos, ({ folder }) => folder === id);
  await eremos.ledger.erased(id, history);
  eremos.database.compact();
}

/** What has been in the trash for its days goes. Returns how many did; one that can't be reached stays until it can. */
export async function emptyTrash(eremos: Eremos): Promise<number> {
  if (!eremos.keys) return 0;
  const today = eremos.days.now();
  let gone = 0;
  for (const { id, removed } of eremos.registry.list(eremos.keys)) {
    if (!removed || today <= removed.day + removed.days) continue;
    try {
      const goes = { passes: 0, history: false, traces: false };
      await (
        await forGood(eremos, findRemoved(eremos, id, "/"), goes)
      ).done;
      gone++;
    } catch (error) {
      if (!(error instanceof EremosError)) throw error;
    }
  }
  return gone;
}
