import {
  EremosError,
  type OwnerEnvelope,
  type WaysIn,
  changeOwner,
  isEncrypting,
  isEremosError,
  renewGuardOwner,
} from "@eremos/core";
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
  const left: FolderRecord[] = [];
  for (const record of behind) if (!(await renew(eremos, keys, owner, record))) left.push(record);
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
  for (const record of eremos.registry.list(keys).filter((record) => !isEncrypting(record))) {
    try {
      const located = whereIs(eremos, record);
      if (located) await renewGuardOwner(eremos.disk, located.realPath, owner, decodePath(record.path));
    } catch (error) {
      if (!isEremosError(error)) throw error;
    }
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

async function renew(eremos: Eremos, keys: Keys, owner: OwnerEnvelope, record: FolderRecord): Promise<boolean> {
  try {
    const located = whereIs(eremos, record);
    if (!located) return false;
    // A visit holds the folder; what was changed in it is kept.
    if (eremos.visits.of(record.id)) await eremos.visits.end(record.id);
    const header = await changeOwner(eremos.disk, {
      path: located.realPath,
      access: accessOf(keys, owner, eremos.data.device.publicKey),
      keptHeader: eremos.registry.header(record.id),
    });
    eremos.ledger.known(keys, record, header);
    return true;
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
}
