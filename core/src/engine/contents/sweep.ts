import { isEremosError, systemCode } from "../../errors/eremos-error";
import { type Generation, type GenerationRef, batchOf, generationName, refOf } from "../../format/generation";
import { OBJECT_HEADER_BYTES, type ObjectHeader, type ObjectKind, decodeObjectHeader } from "../../format/object";
import type { StateRecord } from "../../format/state";
import type { Dir, Disk } from "../../platform/port";
import { NAMES, removeRecord, withFile, within } from "../ground";
import { followCommit } from "./after-commit";
import {
  loadKeyRecords,
  loadManifest,
  neededByOthers,
  otherStates,
  removeGenerationRecord,
  removeObject,
  wholeGenerations,
} from "../records";

/**
 * What goes: only what is known to be needed by nothing. Objects are named by the manifests of generations; whatever no
 * manifest names may be on its way here from another computer, and stays, unless this computer's own work wrote it and
 * was cut off. And while any record or manifest can't be read, nothing goes. FORMAT.md §7.
 */

/** The objects that these generations need; null where that can't be told. */
function neededBy(disk: Disk, ownDir: Dir, records: readonly Generation[]): Map<string, ObjectKind> | null {
  const needed = new Map<string, ObjectKind>();
  for (const { manifest } of records) {
    try {
      for (const { object, kind } of loadManifest(disk, ownDir, manifest).record.values()) needed.set(object, kind);
    } catch (error) {
      if (isEremosError(error)) return null;
      throw error;
    }
  }
  return needed;
}

/**
 * What became of what is not needed any more: gone, or kept, since not everything that says what is needed could be
 * read.
 */
export type Swept = "gone" | "kept-unread";

/**
 * These generations are kept, and those that another computer may be at; every other whose record lies here goes, with
 * what only it needs.
 */
export function sweep(disk: Disk, ownDir: Dir, kept: readonly Generation[], isCommit = false): Swept {
  const { records, unreadable } = wholeGenerations(disk, ownDir);
  const others = neededByOthers(disk, ownDir, records);
  const stay = new Set([...kept.map((record) => refOf(record).digest), ...(others ?? [])]);
  const going = records.filter((record) => !stay.has(refOf(record).digest));
  const staying = [...kept, ...records.filter((record) => stay.has(refOf(record).digest))];
  const needed = unreadable.length === 0 && others !== null ? neededBy(disk, ownDir, staying) : null;
  const goes = new Map<string, ObjectKind>();
  for (const record of needed ? going : [])
    for (const [object, kind] of neededBy(disk, ownDir, [record]) ?? [])
      if (!needed?.has(object)) goes.set(object, kind);
  // What takes the place of a group of the insurance is durable before a member of it goes.
  const mayGo = !isCommit || followCommit(disk, ownDir, (object) => !goes.has(object));
  if (!needed || !mayGo) return "kept-unread";
  for (const [object, kind] of goes) removeObject(disk, ownDir, kind, object);
  removeRecords(disk, ownDir, going, staying);
  return "gone";
}

/** The records last: until then what they name is known to be going. */
function removeRecords(disk: Disk, ownDir: Dir, going: readonly Generation[], kept: readonly Generation[]): void {
  for (const record of going) {
    removeManifest(disk, ownDir, record.manifest, kept);
    removeGenerationRecord(disk, ownDir, generationName(refOf(record)));
  }
}

function removeManifest(disk: Disk, ownDir: Dir, digest: string, kept: readonly Generation[]): void {
  if (kept.some(({ manifest }) => manifest === digest) || !disk.find(ownDir, NAMES.manifests)) return;
  within(disk, disk.openDir(ownDir, NAMES.manifests), (dir) => removeRecord(disk, dir, Buffer.from(digest)));
}

/** One generation's record and manifest, not its objects. */
export function forgetGeneration(disk: Disk, ownDir: Dir, record: Generation, others: readonly Generation[]): void {
  removeRecords(disk, ownDir, [record], others);
}

/** What a piece of work wrote that was cut off, or failed: everything of it that no committed state needs. */
export function discardWork(
  disk: Disk,
  ownDir: Dir,
  { number, batch }: NonNullable<StateRecord["next"]>,
  current: GenerationRef | null,
): void {
  const { records, unreadable } = wholeGenerations(disk, ownDir);
  const cutOff = records.filter((record) => batchOf(record) === batch && refOf(record).digest !== current?.digest);
  const others = records.filter((record) => !cutOff.includes(record));
  removeRecords(disk, ownDir, cutOff, others);
  // One that was being written at a power cut is neither whole nor the one that counts; where other computers are at
  // work, it may be one of theirs that has not come whole.
  const isAlone = otherStates(disk, ownDir)?.length === 0;
  const torn = unreadable.filter(
    (name) => isAlone && name.endsWith(`-${number}.json`) && (current === null || name !== generationName(current)),
  );
  for (const name of torn) removeGenerationRecord(disk, ownDir, name);
  const needed = unreadable.length === torn.length ? neededBy(disk, ownDir, others) : null;
  if (!needed) return;
  eachObject(disk, ownDir, (dir, name, header) => {
    // What has no beginning was never finished, unless something names it.
    if (!needed.has(name.toString("latin1")) && (header === null || header.batch === batch)) disk.unlink(dir, name);
  });
  for (const { key, batch: its } of loadKeyRecords(disk, ownDir))
    if (its === batch && !others.some((record) => record.key === key)) removeKey(disk, ownDir, key);
}

function removeKey(disk: Disk, ownDir: Dir, key: string): void {
  within(disk, disk.openDir(ownDir, NAMES.keys), (dir) => removeRecord(disk, dir, Buffer.from(`${key}.json`)));
}

/**
 * Calls `use` with every pack and index object and what it begins with (null when that can't be read); the directories
 * that are empty then go, too: to undo something must take no room.
 */
function eachObject(disk: Disk, ownDir: Dir, use: (dir: Dir, name: Buffer, header: ObjectHeader | null) => void): void {
  const visit = (parent: Dir, name: Buffer, depth: number): void => {
    if (!disk.find(parent, name)) return;
    within(disk, disk.openDir(parent, name), (dir) => {
      for (const child of disk.list(dir)) {
        if (depth > 0) {
          visit(dir, child, depth - 1);
          removeIfEmpty(disk, dir, child);
        } else use(dir, child, headerIn(disk, dir, child));
      }
    });
  };
  visit(ownDir, NAMES.packs, 1);
  visit(ownDir, NAMES.index, 0);
}

function removeIfEmpty(disk: Disk, dir: Dir, name: Buffer): void {
  try {
    disk.removeDir(dir, name);
  } catch (error) {
    if (systemCode(error) !== "ENOTEMPTY" && systemCode(error) !== "ENOTDIR") throw error;
  }
}

function headerIn(disk: Disk, dir: Dir, name: Buffer): ObjectHeader | null {
  return withFile(disk, disk.openRead(dir, name), (file) => {
    const bytes = Buffer.alloc(OBJECT_HEADER_BYTES);
    if (disk.read(file, bytes, 0, bytes.length, 0) < bytes.length) return null;
    try {
      return decodeObjectHeader(bytes);
    } catch (error) {
      if (isEremosError(error)) return null;
      throw error;
    }
  });
}
