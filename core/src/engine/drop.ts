import { fromBase64, randomBytes, toBase64, wipe } from "../crypto/bytes";
import { EremosError, fromSystemError, isEremosError, systemCode } from "../errors/eremos-error";
import { ByteWriter } from "../format/byte-stream";
import { type DropRecord, readDrop, writeDrop } from "../format/drop-record";
import { openGenerationKey, sealGenerationKey } from "../format/generation";
import { type FolderHeader, openFolderPrivateKey } from "../format/header";
import { ContentKeys } from "../format/object";
import { type FileEntry, type Meta, readPackRecord, writePackRecord } from "../format/tree";
import type { Dir, Disk, Stat } from "../platform/port";
import { within } from "./handles";
import { ObjectReader, ObjectWriter } from "./object-io";
import { isSign } from "./signs";
import { namesFor } from "./staging";
import { metaOf, pathInto } from "./survey";
import { type HeldFolder, NAMES, commitFile, displayPath, ensureDir, holdFolder, isNotContents, joinPath, letGo, loadState, readSmallFile, splitPath } from "./vault";

/**
 * The drop slot: files are put into a locked folder by whoever can't open it, encrypted to its public key. Nobody but the owner reads them
 * back. They wait beside the sealed copy until the owner takes them in, or opens the folder. FORMAT.md §12.
 */
export interface Slot {
  /** Where the locked folder is now. */
  readonly path: Buffer;
  readonly folder: string;
  /** Its X25519 public key, from the owner's own data directory: one that stands in the folder may be anybody's. */
  readonly publicKey: string;
}

/** Puts copies of files into a locked folder. Returns how many. @throws EremosError `not-locked` | `busy` | `usage` for what is no file */
export async function dropInto(disk: Disk, slot: Slot, files: readonly Buffer[]): Promise<number> {
  return holding(disk, slot, async (folder) => {
    for (const file of files) {
      const { parent, name } = splitPath(file);
      await withinLater(disk, disk.openRoot(parent), async (dir) => {
        const stat = disk.find(dir, name);
        if (stat?.type !== "file") throw new EremosError("usage", `${displayPath(file)} is not a file. Nothing of it was put in; give files.`);
        await dropFile(disk, folder, slot, dir, name, NO_DIRECTORY);
      });
    }
    return files.length;
  });
}

/**
 * What a program saved into the locked folder's own directory becomes drops, and goes from there: each file only when its copy is durable,
 * it held still meanwhile and no program has it open. Links and other things stay. Returns how many were taken.
 */
export async function sealNewcomers(disk: Disk, slot: Slot): Promise<number> {
  return holding(disk, slot, async (folder) => {
    const state = loadState(disk, folder.vault);
    const top = disk.statOpen(folder.dir);
    const names = disk.list(folder.dir).filter((name) => !isNotContents(top, name) && !(state && isSign(name, state)));
    const taken: Taken[] = [];
    for (const name of names) await takeNewcomer({ disk, folder, slot, dev: top.dev, taken }, folder.dir, name, folder.path, NO_DIRECTORY);
    const used = new Set(disk.holders(folder.path).flatMap((holder) => holder.paths));
    const gone = taken.filter((newcomer) => removeNewcomer(disk, folder, newcomer, used)).length;
    for (const name of names) removeEmptyDirs(disk, folder.dir, name);
    if (gone > 0) disk.syncDir(folder.dir);
    return gone;
  });
}

interface Taken {
  readonly path: Buffer;
  readonly dropped: Dropped;
}

interface Taking {
  readonly disk: Disk;
  readonly folder: HeldFolder;
  readonly slot: Slot;
  readonly dev: bigint;
  readonly taken: Taken[];
}

async function takeNewcomer(of: Taking, dir: Dir, name: Buffer, above: Buffer, directory: Buffer): Promise<void> {
  const { disk } = of;
  const stat = disk.find(dir, name);
  const path = joinPath(above, name);
  if (!stat || stat.dev !== of.dev) return;
  if (stat.type === "dir") {
    await withinLater(disk, disk.openDir(dir, name), async (inner) => {
      for (const child of disk.list(inner)) await takeNewcomer(of, inner, child, path, pathInto(directory, name));
    });
  } else if (stat.type === "file" && stat.nlink === 1) of.taken.push({ path, dropped: await dropFile(disk, of.folder, of.slot, dir, name, directory) });
}

/** Whether the plain file went; where it may not, its copy goes. */
function removeNewcomer(disk: Disk, folder: HeldFolder, { path, dropped }: Taken, used: ReadonlySet<string>): boolean {
  const { parent, name } = splitPath(path);
  return within(disk, disk.openRoot(parent), (dir) => {
    const now = disk.find(dir, name);
    if (now && isSame(dropped.stat, now) && !used.has(displayPath(path))) {
      disk.unlink(dir, name);
      return true;
    }
    removeRecord(disk, folder.vault, dropped.key);
    removeObject(disk, folder.vault, dropped.object);
    return false;
  });
}

/** What only held files that were taken. */
function removeEmptyDirs(disk: Disk, dir: Dir, name: Buffer): void {
  if (disk.find(dir, name)?.type !== "dir") return;
  within(disk, disk.openDir(dir, name), (inner) => {
    for (const child of disk.list(inner)) removeEmptyDirs(disk, inner, child);
  });
  try {
    disk.removeDir(dir, name);
  } catch (error) {
    if (systemCode(error) !== "ENOTEMPTY") throw error;
  }
}

function isSame(a: Stat, b: Stat): boolean {
  return a.ino === b.ino && a.size === b.size && a.mtimeNs === b.mtimeNs && a.ctimeNs === b.ctimeNs;
}

const NO_DIRECTORY = Buffer.alloc(0);

async function holding<T>(disk: Disk, slot: Slot, use: (folder: HeldFolder) => Promise<T>): Promise<T> {
  const folder = holdFolder(disk, slot.path, { create: false });
  try {
    requireSealed(disk, folder, slot);
    return await use(folder);
  } catch (error) {
    throw fromSystemError(error, "putting files in; what was not put in is where it was");
  } finally {
    letGo(disk, folder);
  }
}

function requireSealed(disk: Disk, folder: HeldFolder, slot: Slot): void {
  const state = loadState(disk, folder.vault);
  if (state?.state !== "sealed" || state.folder !== slot.folder) throw new EremosError("not-locked", `${displayPath(slot.path)} is not sealed now. Nothing was touched; copy the files into the folder itself.`);
}

async function withinLater<T>(disk: Disk, dir: Dir, use: (dir: Dir) => Promise<T>): Promise<T> {
  try {
    return await use(dir);
  } finally {
    disk.closeDir(dir);
  }
}

interface Dropped {
  /** What the file was when it was read. */
  readonly stat: Stat;
  readonly key: string;
  readonly object: string;
}

/** Durable when it returns. */
async function dropFile(disk: Disk, folder: HeldFolder, slot: Slot, dir: Dir, name: Buffer, directory: Buffer): Promise<Dropped> {
  const file = disk.openRead(dir, name);
  try {
    const stat = disk.statOpen(file);
    const writing = await DropWriter.begin(disk, folder.vault, slot, directory, fileEntry(name, metaOf(stat, disk.xattrs(file)), stat.size));
    try {
      while (writing.left > 0) if (writing.fill((into, offset, room, done) => disk.read(file, into, offset, room, done)) === 0) break;
      return { stat, ...writing.finish() };
    } catch (error) {
      writing.abort();
      throw error;
    }
  } finally {
    disk.closeFile(file);
  }
}

function fileEntry(name: Buffer, meta: Meta, size: number): FileEntry {
  return { kind: "file", name, meta, size, linkGroup: 0, content: null, extents: null };
}

/** One file on its way into the slot, under a key of its own. It waits once it is finished; abort what is not. */
class DropWriter {
  private done = 0;

  private constructor(
    private readonly disk: Disk, private readonly vault: Dir, private readonly record: Pick<DropRecord, "folder" | "key" | "sealed">,
    private readonly keys: ContentKeys, private readonly writer: ObjectWriter, private readonly size: number, private readonly name: Buffer,
  ) {}

  static async begin(disk: Disk, vault: Dir, { folder, publicKey }: Slot, directory: Buffer, entry: FileEntry): Promise<DropWriter> {
    const [secret, key] = [randomBytes(32), toBase64(randomBytes(16))];
    try {
      const { sealed } = await sealGenerationKey(folder, key, secret, fromBase64(publicKey, 32));
      if (!sealed) throw new EremosError("damaged", "The folder's public key can't be used.");
      const keys = new ContentKeys(key, secret, folder);
      const writer = new ObjectWriter(disk, vault, "drop", keys, folder, 1);
      const begun = new DropWriter(disk, vault, { folder, key, sealed }, keys, writer, entry.size, entry.name);
      try {
        const record = new ByteWriter();
        writePackRecord(record, writer.marker, directory, entry, entry.size);
        writer.append(record.finish());
        return begun;
      } catch (error) {
        begun.abort();
        throw error;
      }
    } finally {
      wipe(secret);
    }
  }

  get left(): number {
    return this.size - this.done;
  }

  fill(read: (into: Buffer, offset: number, room: number, done: number) => number): number {
    const count = this.writer.fill(this.left, (into, offset, room) => read(into, offset, room, this.done));
    this.done += count;
    return count;
  }

  append(piece: Buffer): void {
    if (piece.length > this.left) throw new EremosError("usage", "More was sent than was announced. Nothing was put in.");
    this.writer.append(piece);
    this.done += piece.length;
  }

  /** Durable when it returns. @throws EremosError `changed-while-locking` when less came than was announced */
  finish(): Omit<Dropped, "stat"> {
    const { disk, vault, record } = this;
    if (this.left > 0) throw new EremosError("changed-while-locking", `${displayPath(this.name)} changed while it was put in. Nothing of it was; try again when it is at rest.`);
    const { object, length } = this.writer.finish();
    disk.barrier(vault);
    within(disk, ensureDir(disk, vault, NAMES.drops), (drops) => {
      commitFile(disk, drops, Buffer.from(`${record.key}.json`), writeDrop({ format: "eremos-drop", version: 1, ...record, object, length, at: Date.now() }));
    });
    disk.syncDir(vault);
    this.keys.wipe();
    return { key: record.key, object };
  }

  abort(): void {
    this.writer.close();
    this.keys.wipe();
    // A record never stands without its object.
    removeRecord(this.disk, this.vault, this.record.key);
    removeObject(this.disk, this.vault, this.writer.header.object);
  }
}

/** A file that comes as a stream. Holds the folder until it is finished or aborted. */
export class DropUpload {
  private constructor(private readonly disk: Disk, private readonly folder: HeldFolder, private readonly writer: DropWriter) {}

  /** @throws EremosError `not-locked` | `busy` | `usage` for a name that no file can have */
  static async begin(disk: Disk, slot: Slot, name: Buffer, size: number): Promise<DropUpload> {
    if (splitNames(name).length !== 1) throw new EremosError("usage", "That is not a name a file can have. Nothing was put in.");
    const folder = holdFolder(disk, slot.path, { create: false });
    try {
      requireSealed(disk, folder, slot);
      const now = BigInt(Date.now()) * 1_000_000n;
      const { uid, gid } = disk.statOpen(folder.dir);
      return new DropUpload(disk, folder, await DropWriter.begin(disk, folder.vault, slot, NO_DIRECTORY, fileEntry(name, { mode: 0o644, uid, gid, mtimeNs: now, atimeNs: now, xattrs: [] }, size)));
    } catch (error) {
      letGo(disk, folder);
      throw fromSystemError(error, "putting a file in; the folder is as it was");
    }
  }

  append(piece: Buffer): void {
    this.writer.append(piece);
  }

  finish(): void {
    this.writer.finish();
    letGo(this.disk, this.folder);
  }

  abort(): void {
    try {
      this.writer.abort();
    } finally {
      letGo(this.disk, this.folder);
    }
  }
}

function removeObject(disk: Disk, vault: Dir, object: string): void {
  within(disk, disk.openDir(vault, NAMES.drops), (drops) => {
    const name = Buffer.from(Buffer.from(object, "base64url").toString("hex"));
    if (disk.find(drops, name)) disk.unlink(drops, name);
  });
}

/** How many files wait. Needs no key. */
export function countDrops(disk: Disk, vault: Dir): number {
  if (!disk.find(vault, NAMES.drops)) return 0;
  return within(disk, disk.openDir(vault, NAMES.drops), (drops) => disk.list(drops).filter(isRecord).length);
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
  /** Reads `length` bytes of it from `position`. @throws EremosError `damaged` */
  readonly read: (position: number, length: number) => Buffer;
  /** To be called once it was taken in, or is not wanted. */
  readonly remove: () => void;
  /** Wipes its key. */
  readonly close: () => void;
}

/** What waits, oldest first. What can't be opened is left out, and stays. Close each of them. */
export async function openDrops(disk: Disk, vault: Dir, header: FolderHeader, folderKey: Buffer): Promise<Drop[]> {
  if (!disk.find(vault, NAMES.drops)) return [];
  const records = within(disk, disk.openDir(vault, NAMES.drops), (drops) => disk.list(drops).filter(isRecord).flatMap((name) => recordIn(disk, drops, name)));
  const privateKey = openFolderPrivateKey(header, folderKey);
  try {
    const drops: Drop[] = [];
    for (const record of records.sort((a, b) => a.at - b.at)) {
      const drop = record.folder === header.folder ? await openDrop(disk, vault, record, folderKey, privateKey) : null;
      if (drop) drops.push(drop);
    }
    return drops;
  } finally {
    wipe(privateKey);
  }
}

/** Those that can't be opened: damaged, or made by somebody who did not know how. Returns their keys; `remove` takes them away. */
export function unreadableDrops(disk: Disk, vault: Dir, readable: readonly Drop[], remove: boolean): readonly string[] {
  if (!disk.find(vault, NAMES.drops)) return [];
  return within(disk, disk.openDir(vault, NAMES.drops), (drops) => {
    const names = disk.list(drops).filter((name) => isRecord(name) && !readable.some(({ id }) => name.equals(Buffer.from(`${id}.json`))));
    if (remove) {
      for (const name of names) disk.unlink(drops, name);
      disk.syncDir(drops);
    }
    return names.map((name) => name.toString("latin1"));
  });
}

function recordIn(disk: Disk, drops: Dir, name: Buffer): DropRecord[] {
  const bytes = readSmallFile(disk, drops, name, 64 * 1024);
  try {
    return bytes ? [readDrop(bytes)] : [];
  } catch (error) {
    if (isEremosError(error)) return [];
    throw error;
  }
}

async function openDrop(disk: Disk, vault: Dir, record: DropRecord, folderKey: Buffer, privateKey: Buffer): Promise<Drop | null> {
  let reader: ObjectReader | null = null;
  try {
    const secret = await openGenerationKey({ format: "eremos-key", version: 1, folder: record.folder, key: record.key, sealed: record.sealed }, folderKey, privateKey);
    const keys = new ContentKeys(record.key, secret, record.folder);
    wipe(secret);
    const opened = new ObjectReader(disk, vault, "drop", record.folder, () => keys, record);
    reader = opened;
    const { path, entry, length, recordLength } = readPackRecord(opened.marker, (offset, count) => opened.read(offset, count));
    const names = splitNames(path);
    if (entry.kind !== "file" || entry.size !== length || recordLength + length !== record.length || names.length === 0) throw new EremosError("damaged", "A file that was put in is not what it says.");
    return {
      id: record.key, path: names, meta: entry.meta, size: length, at: record.at,
      read: (position, count) => opened.read(recordLength + position, Math.min(count, length - position)),
      remove: () => {
        removeRecord(disk, vault, record.key);
        removeObject(disk, vault, record.object);
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

function removeRecord(disk: Disk, vault: Dir, key: string): void {
  within(disk, disk.openDir(vault, NAMES.drops), (drops) => {
    const name = Buffer.from(`${key}.json`);
    if (!disk.find(drops, name)) return;
    disk.unlink(drops, name);
    disk.syncDir(drops);
  });
}

/** Whoever put it there chose the path: names that lead elsewhere, or to Eremos' own directory, are none. */
function splitNames(path: Buffer): Buffer[] {
  const names: Buffer[] = [];
  for (let start = 0; start <= path.length; ) {
    const slash = path.indexOf(0x2f, start);
    const end = slash < 0 ? path.length : slash;
    const name = path.subarray(start, end);
    const isDots = name.equals(Buffer.from(".")) || name.equals(Buffer.from(".."));
    if (name.length === 0 || name.length > 255 || isDots || name.includes(0)) return [];
    names.push(name);
    start = end + 1;
  }
  return names;
}

/** Puts what waits into the opened folder, as files like others; a name that is taken stays with what has it. */
export async function takeOutDrops(disk: Disk, folder: HeldFolder, header: FolderHeader, folderKey: Buffer): Promise<number> {
  const drops = await openDrops(disk, folder.vault, header, folderKey);
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

/** Written beside and made durable, then renamed to its place. */
function takeOut(disk: Disk, folder: HeldFolder, { id, path, meta, size, read }: Drop): void {
  const beside = Buffer.from(`${id}.out`);
  within(disk, disk.openDir(folder.vault, NAMES.drops), (drops) => {
    if (disk.find(drops, beside)) disk.unlink(drops, beside);
    const file = disk.create(drops, beside, 0o600);
    try {
      for (let at = 0; at < size; at += PIECE_BYTES) {
        const piece = read(at, PIECE_BYTES);
        disk.write(file, piece, 0, piece.length, at);
      }
      disk.setOpenMode(file, meta.mode & 0o777);
      disk.setTimes(file, meta.atimeNs, meta.mtimeNs);
      disk.syncFile(file);
    } finally {
      disk.closeFile(file);
    }
    inDirectoryOf(disk, folder.dir, path, (dir, name) => {
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
function inDirectoryOf(disk: Disk, dir: Dir, [name, ...rest]: readonly Buffer[], use: (dir: Dir, name: Buffer) => void): void {
  if (!name) return;
  const there = rest.length > 0 ? disk.find(dir, name) : null;
  if (rest.length === 0 || (there && (there.type !== "dir" || !disk.writable(dir)))) return use(dir, rest.at(-1) ?? name);
  if (!there) {
    disk.makeDir(dir, name, 0o755);
    disk.syncDir(dir);
  }
  within(disk, disk.openDir(dir, name), (inner) => inDirectoryOf(disk, inner, rest, use));
}

/** What waits can be read only from the sealed folder: nothing may take that away before. @throws EremosError `unsupported` */
export function refuseWaitingDrops(disk: Disk, vault: Dir): void {
  const count = countDrops(disk, vault);
  if (count === 0) return;
  throw new EremosError("unsupported", `${count === 1 ? "A file" : `${count} files`} that somebody put in while it was locked could not be taken out. Nothing was touched; lock the folder, visit it, and take in or discard what arrived.`, { count });
}
