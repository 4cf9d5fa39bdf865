import { EremosError, type OwnerEnvelope, type WaysIn, isEncrypting, isEremosError } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { whereIs } from "../../look/where-is";
import type { FolderRecord } from "../../ledger/registry";
import { type Keys, accessOf } from "../../session/keys";
import { decodePath } from "../../paths";
import { isOwnRecord } from "../entrance/replace-owner";
import { said } from "@eremos/words/server/ways-back";

/**
 * Puts the owner's present envelope into the header of every folder that still has an older one, after a change of the
 * master password. Returns those out of reach (their drive is away, something works on them): they go on opening with
 * the old password too, and are tried again by themselves, and at each sign-in. @throws EremosError `damaged` where the
 * record does not belong to the keys: no header gets it
 */
export async function renewHeaders(eremos: Eremos, keys: Keys): Promise<FolderRecord[]> {
  const owner = eremos.requireOwner();
  if (!isOwnRecord(owner, keys)) throw new EremosError("damaged", said("owner-record-does-not-belong"));
  const behind = foldersBehind(eremos, keys, owner);
  const left = behind.length === 0 ? [] : await renew(eremos, keys, owner, behind);
  await renewGuardRecords(eremos, keys, owner);
  if (behind.length > left.length) eremos.announce({ topic: "folders" });
  return left;
}

/** What could not be reached at the last change is tried again by itself while somebody is signed in. */
export async function catchUp(eremos: Eremos): Promise<void> {
  if (!eremos.keys || foldersBehind(eremos, eremos.keys, eremos.requireOwner()).length === 0) return;
  await eremos.holding((keys) => renewHeaders(eremos, keys));
}

/**
 * Folders that are not sealed open without it; their records are only for finding them again elsewhere. What is out of
 * reach is tried at the next sign-in.
 */
async function renewGuardRecords(eremos: Eremos, keys: Keys, owner: OwnerEnvelope): Promise<void> {
  const input = eremos.registry
    .list(keys)
    .filter((record) => !isEncrypting(record))
    .flatMap((record) => {
      const path = placeOf(eremos, record);
      return path ? [{ path, owner, ordinary: decodePath(record.path) }] : [];
    });
  if (input.length > 0) await eremos.ask<"renew-guard-owner">({ verb: "renew-guard-owner", input });
}

/** Null: not within reach. */
function placeOf(eremos: Eremos, record: FolderRecord): Buffer | null {
  try {
    return whereIs(eremos, record)?.realPath ?? null;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** Folders whose header, as far as it is known here, still opens with an older master password or recovery code. */
export function foldersBehind(eremos: Eremos, keys: Keys, owner: OwnerEnvelope): FolderRecord[] {
  return foldersWith(eremos, keys, owner, ({ isCurrent }) => !isCurrent);
}

/**
 * Folders with a password of their own, whose way back by the recovery code can be renewed only when they are opened.
 */
export function foldersWithEarlierCode(eremos: Eremos, keys: Keys, owner: OwnerEnvelope): FolderRecord[] {
  return foldersWith(eremos, keys, owner, ({ isCurrent, hasEarlierCode }) => isCurrent && hasEarlierCode);
}

/** Folders with a password of their own, which the present keyholders' shares do not open until they are opened. */
export function foldersWithEarlierKeyholders(eremos: Eremos, keys: Keys, owner: OwnerEnvelope): FolderRecord[] {
  return foldersWith(eremos, keys, owner, ({ isCurrent, hasEarlierKeyholders }) => isCurrent && hasEarlierKeyholders);
}

function foldersWith(eremos: Eremos, keys: Keys, owner: OwnerEnvelope, has: (ways: WaysIn) => boolean): FolderRecord[] {
  return eremos.registry.list(keys).filter((record) => {
    const ways = eremos.registry.ways(record.id, owner);
    return ways !== null && has(ways);
  });
}

/** Returns those that could not be. */
async function renew(
  eremos: Eremos,
  keys: Keys,
  owner: OwnerEnvelope,
  behind: readonly FolderRecord[],
): Promise<FolderRecord[]> {
  const reached: { readonly record: FolderRecord; readonly path: Buffer }[] = [];
  for (const record of behind) {
    const path = placeOf(eremos, record);
    if (!path) continue;
    // A visit holds the folder; what was changed in it is kept.
    if (eremos.visits.of(record.id)) await eremos.visits.end(record.id);
    reached.push({ record, path });
  }
  const access = accessOf(keys, owner, eremos.data.device.publicKey);
  const input = reached.map(({ record, path }) => ({ path, access, keptHeader: eremos.registry.header(record.id) }));
  const outcomes = await eremos.ask<"change-owner">({ verb: "change-owner", input });
  const renewed = new Set<FolderRecord>();
  for (const [i, { record }] of reached.entries()) {
    const outcome = outcomes[i];
    if (!outcome || !("done" in outcome)) continue;
    eremos.ledger.known(keys, record, outcome.done);
    renewed.add(record);
  }
  return behind.filter((record) => !renewed.has(record));
}
