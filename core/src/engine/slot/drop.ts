import { wipe } from "../../crypto/bytes";
import { EremosError, damage, isEremosError, systemCode } from "../../errors/eremos-error";
import {
  type DropRecord,
  dropKeyName,
  isDropOf,
  isMovedIn,
  openDropKey,
  openMovedFrom,
} from "../../format/drop-record";
import { type FolderHeader, openFolderPrivateKey } from "../../format/header";
import { ContentKeys } from "../../format/object";
import { type Meta, namesOf, readPackRecord } from "../../format/tree";
import type { Dir, Disk, OpenFile } from "../../platform/port";
import { type HeldFolder, LONGEST_NAME, NAMES, namesFor, withFile, within } from "../ground";
import {
  type FolderKeys,
  ObjectReader,
  dropNames,
  dropRecordName,
  loadDropRecord,
  removeDropRecord,
  removeObject,
} from "../records";
import { said } from "@eremos/words/core/slot";

/** What waits in a locked folder's drop slot, for its owner to take in. FORMAT.md §12. */
/** How many files wait. Needs no key. */
export function countDrops(disk: Disk, ownDir: Dir): number {
  return dropNames(disk, ownDir).length;
}

/** Beyond so many records nobody counts on. */
const MOST_COUNTED = 1000;

/** How many of those that wait say that they were moved in, and from where. Needs no key. */
export function countMovedIn(disk: Disk, ownDir: Dir): number {
  return dropNames(disk, ownDir)
    .slice(0, MOST_COUNTED)
    .flatMap((name) => recordIn(disk, ownDir, name))
    .filter(isMovedIn).length;
}

function isRecord(name: Buffer): boolean {
  return name.toString("latin1").endsWith(".json");
}

/** A file that waits, as its owner sees it. Whoever put it there chose its name and content. */
export interface Drop {
  /** The name of its record. */
  readonly id: string;
  /** Names from the folder down; the last is its own. */
  readonly path: readonly Buffer[];
  readonly meta: Meta;
  readonly size: number;
  readonly at: number;
  /** Where it lay when it was moved in, as the record says; null: it says nothing. */
  readonly movedFrom: Buffer | null;
  /** Whether the computer with this public key put it in. */
  readonly isBy: (device: Uint8Array) => boolean;
  /** Reads `length` bytes of it from `position`. @throws EremosError `damaged` */
  readonly read: (position: number, length: number) => Buffer;
  /** To be called once it was taken in, or is not wanted. */
  readonly remove: () => void;
  /** Wipes its key. */
  readonly close: () => void;
}

/** What waits, oldest first. What can't be opened is left out, and stays. Close each of them. */
export async function openDrops(disk: Disk, ownDir: Dir, header: FolderHeader, keys: FolderKeys): Promise<Drop[]> {
  const names = dropNames(disk, ownDir);
  const records = names.flatMap((name) => recordIn(disk, ownDir, name));
  if (records.length === names.length) removeVoid(disk, ownDir, records);
  const privateKeys = keys.folderKeys().map(({ epoch, folderKey }) => openFolderPrivateKey(header, folderKey, epoch));
  try {
    const drops: Drop[] = [];
    for (const record of records.sort((a, b) => a.at - b.at)) {
      const drop = record.folder === header.folder ? await openWithOne(disk, ownDir, record, privateKeys) : null;
      if (drop) drops.push(drop);
    }
    return drops;
  } finally {
    wipe(...privateKeys);
  }
}

/** Somebody who knows only an earlier public key of the folder's can put something in, too. */
async function openWithOne(
  disk: Disk,
  ownDir: Dir,
  record: DropRecord,
  privateKeys: readonly Buffer[],
): Promise<Drop | null> {
  for (const privateKey of privateKeys) {
    const drop = await openDrop(disk, ownDir, record, privateKey);
    if (drop) return drop;
  }
  return null;
}

/**
 * Those that can't be opened: damaged, or made by somebody who did not know how. Returns their keys; `remove` takes
 * them away.
 */
export function unreadableDrops(
  disk: Disk,
  ownDir: Dir,
  readable: readonly Drop[],
  remove: boolean,
): readonly string[] {
  const names = dropNames(disk, ownDir).filter((name) => !readable.some(({ id }) => name === dropRecordName(id)));
  if (remove) for (const name of names) removeDropRecord(disk, ownDir, name);
  return names;
}

/**
 * What was cut off before its record was written, or after it went. The folder is held, so nothing is on its way in.
 */
function removeVoid(disk: Disk, ownDir: Dir, records: readonly DropRecord[]): void {
  if (!disk.find(ownDir, NAMES.drops)) return;
  const objects = new Set(records.map(({ object }) => object));
  within(disk, disk.openDir(ownDir, NAMES.drops), (drops) => {
    for (const name of disk.list(drops))
      if (!isRecord(name) && !objects.has(name.toString("latin1"))) disk.unlink(drops, name);
  });
}

function recordIn(disk: Disk, ownDir: Dir, name: string): DropRecord[] {
  try {
    return [loadDropRecord(disk, ownDir, name)];
  } catch (error) {
    if (isEremosError(error)) return [];
    throw error;
  }
}

async function openDrop(disk: Disk, ownDir: Dir, record: DropRecord, privateKey: Buffer): Promise<Drop | null> {
  let reader: ObjectReader | null = null;
  try {
    const secret = await openDropKey(record, privateKey);
    const keys = new ContentKeys(dropKeyName(record), secret, record.folder);
    wipe(secret);
    const opened = new ObjectReader(disk, ownDir, "drop", record.folder, () => keys, record);
    reader = opened;
    const { path, entry, length, recordLength } = readPackRecord(opened.marker, (offset, count) =>
      opened.read(offset, count),
    );
    const names = namesOf(path);
    if (
      entry.kind !== "file" ||
      entry.size !== length ||
      recordLength + length !== record.length ||
      names.some((name) => name.length > LONGEST_NAME)
    )
      throw damage(said("file-that-was-put-in"));
    return {
      id: record.key,
      path: names,
      meta: entry.meta,
      size: length,
      at: record.at,
      movedFrom: record.moved ? await openMovedFrom(record, privateKey) : null,
      isBy: (device) => isDropOf(record, device),
      read: (position, count) => opened.read(recordLength + position, Math.min(count, length - position)),
      remove: () => {
        // Before its object: a record never stands without one.
        removeDropRecord(disk, ownDir, dropRecordName(record.key));
        removeObject(disk, ownDir, "drop", record.object);
      },
      close: () => {
        opened.close();
        keys.wipe();
      },
    };
  } catch (error) {
    reader?.close();
    if (isEremosError(error) && error.code === "damaged") return null;
    throw error;
  }
}

/** Puts what waits into the opened folder, as files like others; a name that is taken stays with what has it. */
export async function takeOutDrops(
  disk: Disk,
  folder: HeldFolder,
  header: FolderHeader,
  keys: FolderKeys,
): Promise<number> {
  const drops = await openDrops(disk, folder.ownDir, header, keys);
  try {
    for (const drop of drops) {
      takeOut(disk, folder, drop);
      drop.remove();
    }
    return drops.length;
  } finally {
    for (const drop of drops) drop.close();
  }
}

const PIECE_BYTES = 1024 * 1024;

/** Whoever put it in chose its mode: special rights are not given. */
export function ordinaryMode({ meta }: Pick<Drop, "meta">): number {
  return meta.mode & 0o777;
}

/** The whole of it in a file of its own, dressed, and durable when it returns. What an earlier try left goes. */
export function writeOut(
  disk: Disk,
  dir: Dir,
  name: Buffer,
  { size, read }: Drop,
  dress: (file: OpenFile) => void,
): void {
  if (disk.find(dir, name)) disk.unlink(dir, name);
  withFile(disk, disk.create(dir, name, 0o600), (file) => {
    for (let at = 0; at < size; at += PIECE_BYTES) {
      const piece = read(at, PIECE_BYTES);
      disk.write(file, piece, 0, piece.length, at);
    }
    dress(file);
    disk.syncFile(file);
  });
}

/** Written beside and made durable, then renamed to its place. */
function takeOut(disk: Disk, folder: HeldFolder, drop: Drop): void {
  const beside = Buffer.from(`${drop.id}.out`);
  within(disk, disk.openDir(folder.ownDir, NAMES.drops), (drops) => {
    writeOut(disk, drops, beside, drop, (file) => {
      disk.setOpenMode(file, ordinaryMode(drop));
      disk.setTimes(file, drop.meta.atimeNs, drop.meta.mtimeNs);
    });
    inDirectoryOf(disk, folder.dir, drop.path, (dir, name) => {
      renameFreely(disk, drops, beside, dir, name);
      disk.syncDir(dir);
    });
  });
}

function renameFreely(disk: Disk, from: Dir, name: Buffer, to: Dir, wanted: Buffer): void {
  for (const free of namesFor(wanted)) {
    try {
      return disk.renameExclusive(from, name, to, free);
    } catch (error) {
      if (systemCode(error) !== "EEXIST") throw error;
    }
  }
}

/** Where something else has the name of a directory on the way, it comes to lie there. */
function inDirectoryOf(
  disk: Disk,
  dir: Dir,
  [name, ...rest]: readonly Buffer[],
  use: (dir: Dir, name: Buffer) => void,
): void {
  if (!name) return;
  const there = rest.length > 0 ? disk.find(dir, name) : null;
  if (rest.length === 0 || (there && (there.type !== "dir" || !disk.writable(dir))))
    return use(dir, rest.at(-1) ?? name);
  if (!there) {
    disk.makeDir(dir, name, 0o755);
    disk.syncDir(dir);
  }
  within(disk, disk.openDir(dir, name), (inner) => inDirectoryOf(disk, inner, rest, use));
}

/**
 * What waits can be read only from the sealed folder: nothing may take that away before. @throws EremosError
 * `unsupported`
 */
export function refuseWaitingDrops(disk: Disk, ownDir: Dir): void {
  const count = countDrops(disk, ownDir);
  if (count === 0) return;
  throw new EremosError("unsupported", said("files-that-somebody-put-in", { count }), { count });
}
