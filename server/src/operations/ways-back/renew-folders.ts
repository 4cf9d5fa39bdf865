import {
  type FolderSecret,
  type Located,
  earlierSealingKeys,
  isEncrypting,
  isEremosError,
  isLocked,
  wipe,
} from "@eremos/core";
import type { NewKeysView } from "../../contract";
import { sealRowsAnew } from "../../database/sealed-rows";
import type { Eremos } from "../../eremos";
import { whereverIs } from "../../look/where-is";
import type { FolderRecord } from "../../ledger/registry";
import { type Keys, earlierDatabaseKeys, ownAccount } from "../../session/keys";
import { type Target, findTarget, whyExchanged } from "../locking/find-target";
import { withFolderKey } from "../locking/folder-password";
import { decodePath, nameFolder, nameOf } from "../../paths";
import { giveKey, waysOf } from "./renew-key";
import { sealedInput } from "../locking/sealed-input";
import { say } from "@eremos/words/server/ways-back";

/** After the owner has made new keys: their rows, and their folders, follow. */

/**
 * What is the owner's in the database, and still under a key of before, is sealed under the present one: the owner
 * record is written first, and a kill may come between.
 */
export function sealRowsOfBefore(eremos: Eremos, keys: Keys): void {
  const before = earlierDatabaseKeys(eremos.requireOwner(), keys);
  if (before.length > 0) sealRowsAnew(eremos.database, keys, before);
  wipe(...before);
}

/** Letters that were sealed to the owner before they made new keys, by a program that did not know it yet. */
export async function takeInEarlier(eremos: Eremos, keys: Keys): Promise<void> {
  const sealing = earlierSealingKeys(eremos.requireOwner(), keys.rootKey);
  try {
    await eremos.registry.takeIn(keys, sealing);
  } finally {
    wipe(...sealing);
  }
}

/** What is under way, by the ids of folders: which are being given a key now, and why others could not be given one. */
interface Progress {
  readonly giving: Set<string>;
  readonly refusals: Map<string, string>;
}

const progress = new WeakMap<Eremos, Progress>();

function progressOf(eremos: Eremos): Progress {
  const known = progress.get(eremos) ?? { giving: new Set<string>(), refusals: new Map<string, string>() };
  progress.set(eremos, known);
  return known;
}

/**
 * Every sealed folder within reach gets its key, and those that are locked are sealed anew, a job each. What is not
 * within reach is tried at the next sign-in, and when it is locked. Returns how many were behind.
 */
export async function renewFolders(eremos: Eremos, keys: Keys): Promise<number> {
  if (eremos.requireOwner().earlier.length === 0) return 0;
  const behind = eremos.registry.list(keys).filter((record) => isBehind(eremos, record));
  for (const record of behind) await renewOne(eremos, keys, record);
  return behind.length;
}

/** The same for one. */
export async function renewLocked(eremos: Eremos, keys: Keys, id: string): Promise<void> {
  if (eremos.requireOwner().earlier.length === 0) return;
  const record = eremos.registry.list(keys).find((one) => one.id === id);
  if (record && isBehind(eremos, record)) await renewOne(eremos, keys, record);
}

/** It has no key of its own from after the owner made new ones, or is not sealed under that throughout. */
function isBehind(eremos: Eremos, record: FolderRecord): boolean {
  const ways = isEncrypting(record) ? waysOf(eremos, record) : null;
  return ways !== null && (ways.hasEarlierKeys || ways.epoch > record.epoch);
}

async function renewOne(eremos: Eremos, keys: Keys, record: FolderRecord): Promise<void> {
  const located = within(eremos, record);
  if (!located) return;
  const { giving, refusals } = progressOf(eremos);
  giving.add(record.id);
  try {
    const ways = waysOf(eremos, record);
    if (ways?.hasPassword) return;
    const renewed = ways?.hasEarlierKeys ? await giveKey(eremos, keys, { record, located }) : record;
    refusals.delete(record.id);
    if (located.inspection.state === "sealed" && eremos.isLasting)
      sealContents(eremos, keys, { record: renewed, located }, null);
  } catch (error) {
    if (!isEremosError(error)) throw error;
    refusals.set(record.id, error.message);
  } finally {
    giving.delete(record.id);
  }
}

/** Null: away, visited, or something is being done with it. */
function within(eremos: Eremos, record: FolderRecord): Located | null {
  const { located } = whereverIs(eremos, record);
  if (!located || located.inspection.busy || isWorkedOn(eremos, record.id) || eremos.visits.of(record.id)) return null;
  return whyExchanged(record, located) ? null : located;
}

function isWorkedOn(eremos: Eremos, id: string): boolean {
  return (
    progressOf(eremos).giving.has(id) ||
    eremos.jobs.list().some(({ folder, state }) => folder === id && (state === "queued" || state === "running"))
  );
}

function sealContents(eremos: Eremos, keys: Keys, target: Target, folderKey: Buffer | null): void {
  const { record } = target;
  const epoch = waysOf(eremos, record)?.epoch ?? record.epoch;
  const job = eremos.jobs.start({
    folder: record.id,
    verb: "renew",
    request: {
      verb: "seal-anew",
      input: {
        ...sealedInput(eremos, target, { folderKey }, keys),
        account: ownAccount(),
        keepEarlier: eremos.preferences.get().keepEarlier,
      },
    },
    before: () => undefined,
    after: async ({ generation, digest, left, olderStates }) => {
      const now = eremos.keys;
      const known = now && eremos.registry.list(now).find(({ id }) => id === record.id);
      if (known)
        eremos.ledger.known(now, {
          ...known,
          generation,
          digest,
          olderStates,
          epoch: left === 0 ? epoch : known.epoch,
        });
      eremos.announce({ topic: "folders" });
      const name = nameOf(decodePath(record.path));
      if (left > 0) return say("parts-it-are-damaged-and", { name, left });
      return say("is-sealed-anew-what-somebody", { name, hasOlderStates: olderStates > 0, olderStates });
    },
    failed: async ({ message }) => {
      progressOf(eremos).refusals.set(record.id, message);
      eremos.announce({ topic: "folders" });
    },
  });
  // Whoever does not wait for it is told by the job.
  job.outcome.catch(() => undefined);
}

/**
 * One folder that waits: one with a password of its own, or one that somebody else may have locked. @throws EremosError
 * `needs-folder-password` | `wrong-password` | `unvouched`
 */
export async function renewNamed(
  eremos: Eremos,
  folder: string,
  secret: FolderSecret | null,
  accept: readonly "unvouched"[],
  from = "/",
): Promise<NewKeysView | null> {
  await eremos.holding(async (keys) => {
    const target = findTarget(eremos, folder, from);
    await withFolderKey(
      eremos,
      target,
      secret,
      (folderKey) => {
        progressOf(eremos).refusals.delete(target.record.id);
        if (target.located.inspection.state === "sealed" && !isWorkedOn(eremos, target.record.id))
          sealContents(eremos, keys, target, folderKey);
      },
      accept,
    );
  });
  return newKeysView(eremos);
}

/** How far it is; null where the owner never made new keys. */
export function newKeysView(eremos: Eremos): NewKeysView | null {
  const keys = eremos.requireKeys();
  const last = eremos.requireOwner().earlier.at(-1);
  if (!last) return null;
  const records = eremos.registry.list(keys).filter((record) => isEncrypting(record) && record.generation > 0);
  const waiting = records
    .filter((record) => isBehind(eremos, record))
    .map((record) => ({ ...nameFolder(record), ...whyWaiting(eremos, record) }));
  const anew = records.filter((record) => !isBehind(eremos, record));
  return {
    at: last.until,
    anew: anew.length,
    waiting,
    older: anew
      .filter(({ olderStates }) => olderStates > 0)
      .map((record) => ({ ...nameFolder(record), states: record.olderStates })),
  };
}

function whyWaiting(
  eremos: Eremos,
  record: FolderRecord,
): Pick<NewKeysView["waiting"][number], "why" | "refusal" | "hasKey"> {
  const ways = waysOf(eremos, record);
  const hasKey = ways?.hasEarlierKeys === false;
  const located = whereverIs(eremos, record).located;
  if (isWorkedOn(eremos, record.id)) return { why: "working", refusal: null, hasKey };
  if (!located) return { why: "away", refusal: null, hasKey };
  if (!isLocked(located.inspection)) return { why: "open", refusal: null, hasKey };
  if (ways?.hasPassword) return { why: "password", refusal: null, hasKey };
  return { why: "refused", refusal: progressOf(eremos).refusals.get(record.id) ?? null, hasKey };
}
