import { fromBase64, randomBytes, wipe } from "../../crypto/bytes";
import type { SigningKey } from "../../crypto/signature";
import { EremosError, fromSystemError, systemCode } from "../../errors/eremos-error";
import { ByteWriter } from "../../format/byte-stream";
import {
  type DropRecord,
  dropKeyName,
  sealDropKey,
  signDrop,
  withMovedFrom,
  writeDrop,
} from "../../format/drop-record";
import { newBatch, newId } from "../../format/ids";
import { ContentKeys } from "../../format/object";
import { deviceId } from "../../format/owner";
import { newFrame } from "../../format/record-file";
import { type FileEntry, fileEntry, isName, newMeta, writePackRecord } from "../../format/tree";
import { type Dir, type Disk, HOLDS_ALL, type OpenFile, type Stat } from "../../platform/port";
import {
  type HeldFolder,
  LONGEST_NAME,
  closeFolder,
  displayPath,
  holdFolder,
  isNotContents,
  joinPath,
  letGo,
  metaOf,
  openFolder,
  ownersOf,
  pathInto,
  splitPath,
  within,
} from "../ground";
import {
  ObjectReader,
  ObjectWriter,
  commitDropRecord,
  dropRecordName,
  loadState,
  placeIn,
  placeOf,
  removeDropRecord,
  removeObject,
  withObjectDir,
} from "../records";
import { isSign } from "../visibility";
import { said } from "@eremos/words/core/slot";

/**
 * The drop slot: files are put into a locked folder by whoever can't open it, encrypted to its public key. Nobody but
 * the owner reads them back. They wait beside the sealed copy until the owner takes them in, or opens the folder.
 * FORMAT.md §12.
 */
export interface DropSlot {
  /** Where the locked folder is now. */
  readonly path: Buffer;
  readonly folder: string;
  /** Its X25519 public key, from the owner's own data directory: one that stands in the folder may be anybody's. */
  readonly publicKey: string;
  /** What was recorded of Eremos' directory in it ({@link ownDirPlace}); null: nothing that lasts. */
  readonly place: string | null;
  /** By which this computer says that it put the files in. */
  readonly device: SigningKey;
}

/**
 * Inode and birth of Eremos' directory in a folder, by which it is told from one that was put in its place; null where
 * inode numbers don't last, or there is none. Not the device: a drive gets another number each time it is mounted.
 */
export function ownDirPlace(disk: Disk, path: Buffer): string | null {
  const folder = openFolder(disk, path);
  try {
    return folder.ownDir && placeIn(disk, folder.ownDir);
  } finally {
    closeFolder(disk, folder);
  }
}

/**
 * Puts copies of files into a locked folder. Returns how many. @throws EremosError `not-locked` | `busy` | `usage` for
 * what is no file
 */
export async function dropInto(disk: Disk, slot: DropSlot, files: readonly Buffer[]): Promise<number> {
  return holding(disk, slot, async (folder) => {
    for (const file of files) {
      const { parent, name } = splitPath(file);
      await withinLater(disk, disk.openRoot(parent), async (dir) => {
        const stat = disk.find(dir, name);
        if (stat?.type !== "file")
          throw new EremosError("usage", said("is-not-file-nothing-it", { file: displayPath(file) }));
        await dropFile(disk, folder, slot, dir, name, NO_DIRECTORY, COPIED);
      });
    }
    return files.length;
  });
}

/**
 * What a program saved into the locked folder's own directory becomes drops, and goes from there: each file only when
 * its copy is durable, it held still meanwhile and no program has it open. Links and other things stay. Returns how
 * many were taken.
 */
export async function sealNewcomers(disk: Disk, slot: DropSlot): Promise<number> {
  return holding(disk, slot, async (folder) => {
    const state = loadState(disk, folder.ownDir);
    const top = disk.statOpen(folder.dir);
    const names = disk.list(folder.dir).filter((name) => !isNotContents(top, name) && !(state && isSign(name, state)));
    const taken: Taken[] = [];
    for (const name of names)
      await takeNewcomer({ disk, folder, slot, dev: top.dev, taken }, folder.dir, name, folder.path, NO_DIRECTORY);
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
  readonly slot: DropSlot;
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
  } else if (stat.type === "file" && stat.nlink === 1)
    of.taken.push({ path, dropped: await dropFile(disk, of.folder, of.slot, dir, name, directory, ARRIVED) });
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
    withdraw(disk, folder, dropped);
    return false;
  });
}

/** What was put in goes again: its original stays. */
export function withdraw(disk: Disk, folder: HeldFolder, { key, object }: Dropped): void {
  removeDropRecord(disk, folder.ownDir, dropRecordName(key));
  removeObject(disk, folder.ownDir, "drop", object);
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

/** Whether nobody has changed or exchanged it since. */
export function isSame(a: Stat, b: Stat): boolean {
  return a.ino === b.ino && a.size === b.size && a.mtimeNs === b.mtimeNs && a.ctimeNs === b.ctimeNs;
}

export const NO_DIRECTORY = Buffer.alloc(0);

export async function holding<T>(disk: Disk, slot: DropSlot, use: (folder: HeldFolder) => Promise<T>): Promise<T> {
  const folder = holdFolder(disk, slot.path, { create: false });
  try {
    requireSealed(disk, folder, slot);
    return await use(folder);
  } catch (error) {
    throw fromSystemError(error, said("putting-files-in-what-was"));
  } finally {
    letGo(disk, folder);
  }
}

function requireSealed(disk: Disk, folder: HeldFolder, slot: DropSlot): void {
  const its = disk.statOpen(folder.ownDir);
  if ((slot.place !== null && slot.place !== placeOf(disk, its)) || !disk.owns(its))
    throw new EremosError("unvouched", said("what-stands-at-is-not", { path: displayPath(slot.path) }), {
      what: "place",
    });
  const state = loadState(disk, folder.ownDir);
  if (state?.state !== "sealed" || state.folder !== slot.folder)
    throw new EremosError("not-locked", said("is-not-sealed-now-nothing", { path: displayPath(slot.path) }));
}

export async function withinLater<T>(disk: Disk, dir: Dir, use: (dir: Dir) => Promise<T>): Promise<T> {
  try {
    return await use(dir);
  } finally {
    disk.closeDir(dir);
  }
}

export interface Dropped {
  /** What the file was when it was read. */
  readonly stat: Stat;
  readonly key: string;
  readonly object: string;
}

/** Whether the original of what is put in goes, and where it lay, if it can go back there. */
export interface Origin {
  readonly goes: boolean;
  readonly from: Buffer | null;
}
const COPIED: Origin = { goes: false, from: null };
const ARRIVED: Origin = { goes: true, from: null };

/**
 * Durable when it returns. Where the original goes, what was put in has been read back, decrypted, and found to be
 * what the original is.
 */
export async function dropFile(
  disk: Disk,
  folder: HeldFolder,
  slot: DropSlot,
  dir: Dir,
  name: Buffer,
  directory: Buffer,
  origin: Origin,
): Promise<Dropped> {
  const file = disk.openRead(dir, name);
  try {
    const stat = disk.statOpen(file);
    const writing = await DropWriter.begin(
      disk,
      folder.ownDir,
      slot,
      directory,
      fileEntry({
        name,
        meta: metaOf(stat, { xattrs: disk.xattrs(file), owners: ownersOf(disk), before: null, holding: HOLDS_ALL }),
        size: stat.size,
      }),
      origin,
    );
    try {
      while (writing.left > 0)
        if (writing.fill((into, offset, room, done) => disk.read(file, into, offset, room, done)) === 0) break;
      const prove = (into: ObjectReader, from: number): void => requireSame(disk, file, stat, name, into, from);
      return { stat, ...writing.finish(folder.ownDir, origin.goes ? prove : null) };
    } catch (error) {
      writing.abort(folder.ownDir);
      throw error;
    }
  } finally {
    disk.closeFile(file);
  }
}

/** @throws EremosError `changed-while-locking` | `damaged` */
function requireSame(disk: Disk, file: OpenFile, stat: Stat, name: Buffer, put: ObjectReader, from: number): void {
  const original = Buffer.allocUnsafe(COMPARED_BYTES);
  let at = 0;
  put.pieces(from, stat.size, (piece) => {
    for (let done = 0; done < piece.length;) {
      const count = disk.read(file, original, 0, Math.min(original.length, piece.length - done), at);
      if (count === 0 || !original.subarray(0, count).equals(piece.subarray(done, done + count)))
        throw new EremosError("changed-while-locking", said("changed-while-it-was-put", { name: displayPath(name) }));
      done += count;
      at += count;
    }
  });
}

const COMPARED_BYTES = 256 * 1024;

/** One file on its way into the slot, under a key of its own. It waits once it is finished; abort what is not. */
class DropWriter {
  private done = 0;
  /** Where the file's bytes begin in the object. */
  private start = 0;

  private constructor(
    private readonly disk: Disk,
    private readonly record: Pick<DropRecord, "folder" | "key" | "sealed" | "moved" | "extensions">,
    private readonly device: SigningKey,
    private readonly keys: ContentKeys,
    private readonly writer: ObjectWriter,
    private readonly size: number,
    private readonly name: Buffer,
  ) {}

  static async begin(
    disk: Disk,
    ownDir: Dir,
    { folder, publicKey, device }: DropSlot,
    directory: Buffer,
    entry: FileEntry,
    { goes: moved, from }: Origin,
  ): Promise<DropWriter> {
    const [secret, key] = [randomBytes(32), newId()];
    try {
      const to = fromBase64(publicKey, 32);
      const sealed = await sealDropKey({ folder, key }, secret, to);
      const plain = { folder, key, sealed, moved, extensions: {} };
      const record = from === null ? plain : await withMovedFrom(plain, from, to);
      const keys = new ContentKeys(dropKeyName({ key }), secret, folder);
      const writer = new ObjectWriter(disk, ownDir, "drop", keys, { folder, number: 1, batch: newBatch() });
      const begun = new DropWriter(disk, record, device, keys, writer, entry.size, entry.name);
      try {
        const head = new ByteWriter();
        writePackRecord(head, writer.marker, directory, entry, entry.size);
        writer.append(head.finish());
        begun.start = writer.length;
        return begun;
      } catch (error) {
        begun.abort(ownDir);
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
    if (piece.length > this.left) throw new EremosError("usage", said("more-was-sent-than-was"));
    this.writer.append(piece);
    this.done += piece.length;
  }

  /** Its object's file, whatever stands under that name now. */
  get object(): string {
    return this.writer.header.object;
  }

  /**
   * Durable when it returns. `prove` looks at what was written, decrypted again, before a record makes it count; nobody
   * here can read it afterwards. @throws EremosError `changed-while-locking` when less came than was announced
   */
  finish(ownDir: Dir, prove: ((put: ObjectReader, from: number) => void) | null = null): Omit<Dropped, "stat"> {
    const { disk, record } = this;
    if (this.left > 0)
      throw new EremosError(
        "changed-while-locking",
        said("changed-while-it-was-put", { name: displayPath(this.name) }),
      );
    const { object, length } = this.writer.finish();
    disk.barrier(ownDir);
    if (prove) {
      const put = new ObjectReader(disk, ownDir, "drop", record.folder, () => this.keys, { object, length });
      try {
        prove(put, this.start);
      } finally {
        put.close();
      }
    }
    const made: DropRecord = {
      ...newFrame("eremos-drop"),
      ...record,
      object,
      length,
      at: Date.now(),
      author: null,
      undo: null,
      signature: null,
    };
    commitDropRecord(
      disk,
      ownDir,
      dropRecordName(record.key),
      writeDrop(signDrop(made, deviceId(this.device.publicKey), this.device)),
    );
    this.keys.wipe();
    return { key: record.key, object };
  }

  /** Null: the folder can't be held now; what was written without a record is void, and goes with the next opening. */
  abort(ownDir: Dir | null): void {
    this.writer.close();
    this.keys.wipe();
    if (!ownDir) return;
    // A record never stands without its object.
    removeDropRecord(this.disk, ownDir, dropRecordName(this.record.key));
    removeObject(this.disk, ownDir, "drop", this.object);
  }
}

/** What a drive needs beside the file itself. */
const ROOM_LEFT = 16 * 1024 * 1024;

/**
 * A file that comes as a stream, as slowly as it may: the folder is held only where it begins and where it ends, so
 * that what hangs keeps nobody from opening the folder. Finish or abort it, once.
 */
export class DropUpload {
  private constructor(
    private readonly disk: Disk,
    private readonly slot: DropSlot,
    private readonly writer: DropWriter,
  ) {}

  /** @throws EremosError `not-locked` | `busy` | `no-space` | `usage` for a name that no file can have */
  static async begin(disk: Disk, slot: DropSlot, name: Buffer, size: number): Promise<DropUpload> {
    if (!isName(name) || name.length > LONGEST_NAME) throw new EremosError("usage", said("that-is-not-name-file"));
    return holding(disk, slot, async (folder) => {
      if (size > disk.freeBytes(folder.ownDir) - ROOM_LEFT)
        throw new EremosError("no-space", said("there-is-not-enough-room"));
      const now = BigInt(Date.now()) * 1_000_000n;
      const { uid, gid } = disk.statOpen(folder.dir);
      return new DropUpload(
        disk,
        slot,
        await DropWriter.begin(
          disk,
          folder.ownDir,
          slot,
          NO_DIRECTORY,
          fileEntry({ name, meta: newMeta({ mode: 0o644, uid, gid, mtimeNs: now, atimeNs: now }), size }),
          COPIED,
        ),
      );
    });
  }

  append(piece: Buffer): void {
    this.writer.append(piece);
  }

  /**
   * @throws EremosError `busy` (nothing happened; try again) | `not-locked` | `changed-while-locking` where the folder
   * was opened or visited meanwhile, or less came than was announced
   */
  async finish(): Promise<void> {
    await holding(this.disk, this.slot, async (folder) => {
      const isThere = withObjectDir(
        this.disk,
        folder.ownDir,
        "drop",
        this.writer.object,
        true,
        (dir, name) => this.disk.find(dir, name) !== null,
      );
      if (!isThere) throw new EremosError("changed-while-locking", said("folder-was-opened-while-file"));
      this.writer.finish(folder.ownDir);
    });
  }

  async abort(): Promise<void> {
    try {
      await holding(this.disk, this.slot, async (folder) => this.writer.abort(folder.ownDir));
    } catch {
      this.writer.abort(null);
    }
  }
}
