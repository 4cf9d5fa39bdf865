import { TAG_BYTES } from "../../crypto/ciphers";
import { type Hash, createHash } from "node:crypto";
import { equalBytes, wipe } from "../../crypto/bytes";
import { EremosError, damage, isEremosError, isUnreadable, systemCode } from "../../errors/eremos-error";
import {
  CHUNK_BYTES,
  type ContentKeys,
  type KeyName,
  OBJECT_HEADER_BYTES,
  type ObjectCipher,
  type ObjectHeader,
  type ObjectKind,
  type Purpose,
  SEALED_CHUNK_BYTES,
  chunkCount,
  decodeObjectHeader,
  encodeObjectHeader,
  newObjectHeader,
  sealedLength,
} from "../../format/object";
import type { PackInfo } from "../../format/tree";
import type { Dir, Disk, OpenFile } from "../../platform/port";
import { NAMES, ensureDir, withFile, within } from "../ground";
import { said } from "@eremos/words/core/records";

const CHUNKS_PER_WRITE = 16;

/** As {@link Disk.read}; -1 where the disk can't read it. */
export function readOrLost(
  disk: Disk,
  file: OpenFile,
  into: Buffer,
  offset: number,
  length: number,
  position: number,
): number {
  try {
    return disk.read(file, into, offset, length, position);
  } catch (error) {
    if (isUnreadable(error)) return -1;
    throw error;
  }
}

const DIRECTORIES = { pack: NAMES.packs, index: NAMES.index, drop: NAMES.drops } as const satisfies Readonly<
  Record<ObjectKind, Buffer>
>;

/** Where an object lies: packs fan out over directories named by their first byte. FORMAT.md §1. */
export function withObjectDir<T>(
  disk: Disk,
  ownDir: Dir,
  kind: ObjectKind,
  object: string,
  create: boolean,
  use: (dir: Dir, name: Buffer) => T,
): T {
  const open = (dir: Dir, name: Buffer): Dir => (create ? ensureDir(disk, dir, name) : disk.openDir(dir, name));
  return within(disk, open(ownDir, DIRECTORIES[kind]), (outer) =>
    kind !== "pack"
      ? use(outer, Buffer.from(object))
      : within(disk, open(outer, Buffer.from(object.slice(0, 2))), (inner) => use(inner, Buffer.from(object))),
  );
}

/** Of an object's file, in bytes; null where it is gone. */
export function objectLength(disk: Disk, ownDir: Dir, kind: ObjectKind, object: string): number | null {
  try {
    return withObjectDir(disk, ownDir, kind, object, false, (dir, name) => disk.find(dir, name)?.size ?? null);
  } catch (error) {
    if (systemCode(error) === "ENOENT") return null;
    throw error;
  }
}

/**
 * The key record that an object's file says its key stands in; null: none, it is sealed with the folder's own key, or
 * its beginning can't be read.
 */
export function keyRecordOf(disk: Disk, ownDir: Dir, kind: ObjectKind, object: string): string | null {
  const header = Buffer.alloc(OBJECT_HEADER_BYTES);
  try {
    return withObjectDir(disk, ownDir, kind, object, false, (dir, name) =>
      withFile(disk, disk.openRead(dir, name), (file) => {
        readOrLost(disk, file, header, 0, header.length, 0);
        return decodeObjectHeader(header).key;
      }),
    );
  } catch (error) {
    if (isEremosError(error) || systemCode(error) !== undefined) return null;
    throw error;
  }
}

/** Does nothing where it is gone already. */
export function removeObject(disk: Disk, ownDir: Dir, kind: ObjectKind, object: string): void {
  withObjectDir(disk, ownDir, kind, object, true, (dir, name) => {
    if (disk.find(dir, name)) disk.unlink(dir, name);
  });
}

/**
 * Buffers of an object that is written: made once and used again, since fresh memory costs as much as encrypting into
 * it.
 */
interface WriteBuffers {
  readonly chunk: Buffer;
  readonly out: Buffer;
}
const idleBuffers: WriteBuffers[] = [];

function takeBuffers(): WriteBuffers {
  return (
    idleBuffers.pop() ?? {
      chunk: Buffer.allocUnsafeSlow(CHUNK_BYTES),
      out: Buffer.allocUnsafeSlow(CHUNKS_PER_WRITE * SEALED_CHUNK_BYTES),
    }
  );
}

/** Writes one object, chunk by chunk. A chunk is sealed only once it is known whether it is the last. */
export class ObjectWriter {
  readonly header: ObjectHeader;
  /** What opens a record in this object, if it is a pack. */
  readonly marker: Buffer;
  private readonly cipher: ObjectCipher;
  /** Plaintext bytes so far. */
  length = 0;
  private readonly file: OpenFile;
  private readonly encoded: Buffer;
  private readonly digest: Hash;
  private readonly buffers = takeBuffers();
  private used = 0;
  private chunkNumber = 0;
  private outUsed = 0;
  private written = OBJECT_HEADER_BYTES;
  private isClosed = false;

  constructor(
    private readonly disk: Disk,
    ownDir: Dir,
    kind: ObjectKind,
    keys: ContentKeys,
    purpose: Purpose,
  ) {
    this.header = newObjectHeader(kind, purpose, keys.name);
    this.cipher = keys.cipherFor(this.header);
    this.marker = this.cipher.marker();
    this.encoded = encodeObjectHeader(this.header);
    this.digest = createHash("sha256").update(this.encoded);
    this.file = withObjectDir(disk, ownDir, kind, this.header.object, true, (dir, name) =>
      disk.create(dir, name, 0o600),
    );
    try {
      disk.write(this.file, this.encoded, 0, this.encoded.length, 0);
    } catch (error) {
      this.close();
      throw error;
    }
  }

  append(bytes: Buffer): void {
    for (let at = 0; at < bytes.length;)
      at += this.fill(bytes.length - at, (into, offset, room) => bytes.copy(into, offset, at, at + room));
  }

  /** Lets `read` put up to `wanted` bytes straight into the current chunk; returns how many it put. */
  fill(wanted: number, read: (into: Buffer, offset: number, room: number) => number): number {
    if (this.used === CHUNK_BYTES) this.sealChunk(false);
    const count = read(this.buffers.chunk, this.used, Math.min(wanted, CHUNK_BYTES - this.used));
    this.used += count;
    this.length += count;
    return count;
  }

  private sealChunk(last: boolean): void {
    const { chunk, out } = this.buffers;
    const count = this.cipher.seal(this.chunkNumber++, last, chunk.subarray(0, this.used), out.subarray(this.outUsed));
    this.outUsed += count;
    this.used = 0;
    if (last || this.outUsed + SEALED_CHUNK_BYTES > out.length) this.flush();
  }

  private flush(): void {
    this.digest.update(this.buffers.out.subarray(0, this.outUsed));
    this.disk.write(this.file, this.buffers.out, 0, this.outUsed, this.written);
    this.written += this.outUsed;
    this.outUsed = 0;
  }

  finish(): PackInfo {
    this.sealChunk(true);
    this.close();
    return { object: this.header.object, header: this.encoded, length: this.length, digest: this.digest.digest() };
  }

  /** May be called again. An unfinished file is left for the journal to discard. */
  close(): void {
    if (this.isClosed) return;
    this.isClosed = true;
    this.disk.closeFile(this.file);
    this.buffers.chunk.fill(0);
    idleBuffers.push(this.buffers);
    this.cipher.wipe();
  }
}

export interface LookedAt {
  /** The chunks that are what was encrypted there, by number. */
  readonly whole: ReadonlySet<number>;
  readonly isWhole: boolean;
}

/** Looks at every chunk of an object's file, whatever its name and length now. */
export function wholeChunks(
  disk: Disk,
  file: OpenFile,
  its: Pick<ObjectHeader, "kind" | "folder" | "object">,
  keys: (name: KeyName) => ContentKeys,
): LookedAt {
  const whole = new Set<number>();
  const cipher = cipherOf(disk, file, its, keys);
  if (!cipher) return { whole, isWhole: false };
  const sealed = Buffer.alloc(SEALED_CHUNK_BYTES);
  const plain = Buffer.alloc(CHUNK_BYTES);
  const bytes = disk.statOpen(file).size - OBJECT_HEADER_BYTES;
  const chunks = Math.max(1, Math.ceil(bytes / SEALED_CHUNK_BYTES));
  try {
    for (let number = 0; number < chunks; number++) {
      const length = Math.min(SEALED_CHUNK_BYTES, bytes - number * SEALED_CHUNK_BYTES);
      const count =
        length < TAG_BYTES
          ? 0
          : readOrLost(disk, file, sealed, 0, length, OBJECT_HEADER_BYTES + number * SEALED_CHUNK_BYTES);
      if (
        count === length &&
        cipher.open(number, number === chunks - 1, sealed.subarray(0, length), plain.subarray(0, length - TAG_BYTES))
      )
        whole.add(number);
    }
  } finally {
    plain.fill(0);
    cipher.wipe();
  }
  return { whole, isWhole: whole.size === chunks };
}

/** Null where the beginning is not this object's, or its key is gone. */
function cipherOf(
  disk: Disk,
  file: OpenFile,
  { kind, folder, object }: Pick<ObjectHeader, "kind" | "folder" | "object">,
  keys: (name: KeyName) => ContentKeys,
): ObjectCipher | null {
  const bytes = Buffer.alloc(OBJECT_HEADER_BYTES);
  if (readOrLost(disk, file, bytes, 0, bytes.length, 0) !== bytes.length) return null;
  try {
    const header = decodeObjectHeader(bytes);
    return header.kind === kind && header.folder === folder && header.object === object
      ? keys(header).cipherFor(header)
      : null;
  } catch (error) {
    if (error instanceof EremosError) return null;
    throw error;
  }
}

/** Chunks that a long read takes at once. */
const CHUNKS_PER_READ = 16;

/** No piece that a reader gives is longer. */
export const LONGEST_PIECE = CHUNKS_PER_READ * CHUNK_BYTES;

/** Buffers of long reads, used again like those of writes; plaintext in them is overwritten when they go back. */
interface ReadBuffers {
  readonly sealed: Buffer;
  readonly plain: Buffer;
}
const idleReadBuffers: ReadBuffers[] = [];

function takeReadBuffers(): ReadBuffers {
  return (
    idleReadBuffers.pop() ?? {
      sealed: Buffer.allocUnsafeSlow(CHUNKS_PER_READ * SEALED_CHUNK_BYTES),
      plain: Buffer.allocUnsafeSlow(LONGEST_PIECE),
    }
  );
}

/** Reads any byte range of one object; every chunk is authenticated before a byte of it is returned. */
export class ObjectReader {
  private readonly file: OpenFile;
  private readonly cipher: ObjectCipher;
  private readonly chunks: number;
  /** The chunks read last, the newest at the end. */
  private readonly cached = new Map<number, Buffer>();
  private readonly spare: Buffer[] = [];
  private long: ReadBuffers | null = null;
  private readonly sealed = Buffer.allocUnsafe(SEALED_CHUNK_BYTES);

  /** @throws EremosError `damaged` when it is missing or of another place, or a drop of the wrong length. */
  constructor(
    private readonly disk: Disk,
    ownDir: Dir,
    kind: ObjectKind,
    folder: string,
    keys: (name: KeyName) => ContentKeys,
    private readonly info: Pick<PackInfo, "object" | "length"> & {
      /** As it was written, where that is known: then a damaged beginning of the file does no harm. */ readonly header?: Buffer;
    },
    private readonly cachedChunks = 1,
  ) {
    this.file = openObject(disk, ownDir, kind, info.object);
    try {
      const header = decodeObjectHeader(info.header ?? readBeginning(disk, this.file));
      if (header.kind !== kind || header.folder !== folder || header.object !== info.object) {
        throw damage(said("encrypted-file-was-put-in"), { reason: "swapped" });
      }
      // Of one that is cut off, what is there is read: each chunk answers for itself, and a check compares the whole
      // file. What somebody put in has nothing else to be compared with.
      if (kind === "drop" && disk.statOpen(this.file).size !== sealedLength(info.length))
        throw damage(said("encrypted-file-is-too-short"), { reason: "truncated" });
      this.cipher = keys(header).cipherFor(header);
      this.chunks = chunkCount(info.length);
    } catch (error) {
      disk.closeFile(this.file);
      throw error;
    }
  }

  private chunkAt(number: number): Buffer {
    const known = this.cached.get(number);
    if (known) return known;
    const last = number === this.chunks - 1;
    const length = Math.min(CHUNK_BYTES, this.info.length - number * CHUNK_BYTES) + TAG_BYTES;
    const count = readOrLost(
      this.disk,
      this.file,
      this.sealed,
      0,
      length,
      OBJECT_HEADER_BYTES + number * SEALED_CHUNK_BYTES,
    );
    if (count < 0)
      throw damage(said("part-encrypted-file-lies-where"), {
        reason: "unreadable",
        chunk: number,
      });
    if (this.cached.size >= this.cachedChunks) this.dropOldest();
    const plain = (this.spare.pop() ?? Buffer.allocUnsafe(CHUNK_BYTES)).subarray(0, length - TAG_BYTES);
    if (count !== length || !this.cipher.open(number, last, this.sealed.subarray(0, count), plain))
      throw damage(said("part-encrypted-file-is-not"), {
        reason: "changed",
        chunk: number,
      });
    this.cached.set(number, plain);
    return plain;
  }

  private dropOldest(): void {
    for (const [number, plain] of this.cached) {
      this.cached.delete(number);
      if (plain.length === CHUNK_BYTES) this.spare.push(plain);
      else plain.fill(0);
      return;
    }
  }

  /** What opens a record in this object, if it holds files. */
  get marker(): Buffer {
    return this.cipher.marker();
  }

  /** Plaintext bytes. */
  get length(): number {
    return this.info.length;
  }

  /** Calls `use` with consecutive pieces of the range, each valid until the next call. */
  pieces(offset: number, length: number, use: (piece: Buffer) => void): void {
    if (offset < 0 || length < 0 || offset + length > this.info.length)
      throw damage(said("index-points-outside-encrypted-file"));
    for (let at = offset; at < offset + length;) {
      const number = Math.floor(at / CHUNK_BYTES);
      const start = at - number * CHUNK_BYTES;
      // The last chunk, of which the next range may want the rest, is read by itself and kept.
      const whole = Math.min(CHUNKS_PER_READ, Math.floor((offset + length) / CHUNK_BYTES) - number);
      const plain = whole > 1 && !this.cached.has(number) ? this.chunksFrom(number, whole) : this.chunkAt(number);
      const piece = plain.subarray(start, Math.min(plain.length, start + offset + length - at));
      use(piece);
      at += piece.length;
    }
  }

  /**
   * So many whole chunks, in one read; none of them is the object's last one cut short. One by one where the disk can't
   * read them at once. Valid until the next call.
   */
  private chunksFrom(number: number, count: number): Buffer {
    this.long ??= takeReadBuffers();
    const { sealed, plain } = this.long;
    const length = count * SEALED_CHUNK_BYTES;
    const read = readOrLost(this.disk, this.file, sealed, 0, length, OBJECT_HEADER_BYTES + number * SEALED_CHUNK_BYTES);
    if (read < 0) return this.chunkAt(number);
    if (read !== length) throw damage(said("encrypted-file-is-too-short"), { reason: "truncated" });
    for (let i = 0; i < count; i++) {
      const chunk = sealed.subarray(i * SEALED_CHUNK_BYTES, (i + 1) * SEALED_CHUNK_BYTES);
      const isWhole = this.cipher.open(
        number + i,
        number + i === this.chunks - 1,
        chunk,
        plain.subarray(i * CHUNK_BYTES, (i + 1) * CHUNK_BYTES),
      );
      if (!isWhole)
        throw damage(said("part-encrypted-file-is-not"), {
          reason: "changed",
          chunk: number + i,
        });
    }
    return plain.subarray(0, count * CHUNK_BYTES);
  }

  read(offset: number, length: number): Buffer {
    const pieces: Buffer[] = [];
    this.pieces(offset, length, (piece) => pieces.push(Buffer.from(piece)));
    return Buffer.concat(pieces);
  }

  close(): void {
    this.disk.closeFile(this.file);
    wipe(...this.cached.values(), ...this.spare);
    if (this.long) {
      wipe(this.long.plain);
      idleReadBuffers.push(this.long);
    }
    this.cached.clear();
    this.cipher.wipe();
  }
}

function openObject(disk: Disk, ownDir: Dir, kind: ObjectKind, object: string): OpenFile {
  try {
    return withObjectDir(disk, ownDir, kind, object, false, (dir, name) => disk.openRead(dir, name));
  } catch (error) {
    if (["ENOENT", "ENOTDIR"].includes(systemCode(error) ?? ""))
      throw damage(said("encrypted-file-is-missing"), { reason: "missing" });
    if (isUnreadable(error))
      throw damage(said("encrypted-file-lies-where-disk"), {
        reason: "unreadable",
      });
    throw error;
  }
}

function readBeginning(disk: Disk, file: OpenFile): Buffer {
  const bytes = Buffer.alloc(OBJECT_HEADER_BYTES);
  readOrLost(disk, file, bytes, 0, bytes.length, 0);
  return bytes;
}

const HASHED_AT_ONCE = 1024 * 1024;

/**
 * Whether an object's whole file is what was written: its length and its SHA-256. Needs no key. False where it is gone.
 */
export function isFileWhole(
  disk: Disk,
  ownDir: Dir,
  kind: ObjectKind,
  {
    object,
    length,
    digest,
  }: { readonly object: string; /** Of the file, in bytes. */ readonly length: number; readonly digest: Uint8Array },
): boolean {
  let file: OpenFile;
  try {
    file = openObject(disk, ownDir, kind, object);
  } catch (error) {
    if (error instanceof EremosError) return false;
    throw error;
  }
  try {
    return disk.statOpen(file).size === length && equalBytes(hashOf(disk, file, length), digest);
  } finally {
    disk.closeFile(file);
  }
}

/** SHA-256 of so many bytes of a file. */
export function hashOf(disk: Disk, file: OpenFile, length: number): Buffer {
  const hash = createHash("sha256");
  const piece = Buffer.allocUnsafe(Math.min(HASHED_AT_ONCE, length));
  for (let at = 0; at < length;) {
    const count = readOrLost(disk, file, piece, 0, Math.min(piece.length, length - at), at);
    if (count <= 0) break;
    hash.update(piece.subarray(0, count));
    at += count;
  }
  return hash.digest();
}

/**
 * Writes an object's file anew with the beginning that it ought to have, and the rest as it is. Returns whether it had
 * another. @throws EremosError `damaged` where it is gone
 */
export function mendBeginning(disk: Disk, ownDir: Dir, kind: ObjectKind, object: string, header: Buffer): boolean {
  const old = openObject(disk, ownDir, kind, object);
  try {
    if (readBeginning(disk, old).equals(header)) return false;
    withObjectDir(disk, ownDir, kind, object, false, (dir, name) => {
      const beside = Buffer.concat([name, Buffer.from(".new")]);
      if (disk.find(dir, beside)) disk.unlink(dir, beside);
      withFile(disk, disk.create(dir, beside, 0o600), (file) => {
        disk.write(file, header, 0, header.length, 0);
        copyRest(disk, old, file, header.length);
        disk.syncFile(file);
      });
      disk.rename(dir, beside, dir, name);
      disk.syncDir(dir);
    });
    return true;
  } finally {
    disk.closeFile(old);
  }
}

function copyRest(disk: Disk, from: OpenFile, to: OpenFile, start: number): void {
  const piece = Buffer.allocUnsafe(HASHED_AT_ONCE);
  for (let at = start; ;) {
    const count = disk.read(from, piece, 0, piece.length, at);
    if (count === 0) return;
    disk.write(to, piece, 0, count, at);
    at += count;
  }
}
