import { equalBytes, wipe } from "../crypto/bytes";
import { EremosError } from "../errors/eremos-error";
import {
  CHUNK_BYTES,
  type ContentKeys,
  OBJECT_HEADER_BYTES,
  ObjectDigest,
  type ObjectCipher,
  type ObjectHeader,
  SEALED_CHUNK_BYTES,
  TAG_BYTES,
  chunkCount,
  decodeObjectHeader,
  encodeObjectHeader,
  newObjectHeader,
  type ObjectKind,
  sealedLength,
} from "../format/object";
import type { PackInfo } from "../format/tree";
import type { Dir, Disk, OpenFile } from "../platform/port";
import { within } from "./handles";
import { NAMES, ensureDir } from "./vault";

const CHUNKS_PER_WRITE = 16;

const DIRECTORIES = { pack: NAMES.packs, index: NAMES.index, drop: NAMES.drops } as const satisfies Readonly<
  Record<ObjectKind, Buffer>
>;

/** Where an object lies: packs fan out over directories named by their first byte. FORMAT.md §1. */
export function withObjectDir<T>(
  disk: Disk,
  vault: Dir,
  kind: ObjectKind,
  object: string,
  create: boolean,
  use: (dir: Dir, name: Buffer) => T,
): T {
  const hex = Buffer.from(object, "base64url").toString("hex");
  const open = (dir: Dir, name: Buffer): Dir => (create ? ensureDir(disk, dir, name) : disk.openDir(dir, name));
  return within(disk, open(vault, DIRECTORIES[kind]), (outer) =>
    kind !== "pack"
      ? use(outer, Buffer.from(hex))
      : within(disk, open(outer, Buffer.from(hex.slice(0, 2))), (inner) => use(inner, Buffer.from(hex))),
  );
}

/** Does nothing where it is gone already. */
export function removeObject(disk: Disk, vault: Dir, kind: ObjectKind, object: string): void {
  withObjectDir(disk, vault, kind, object, true, (dir, name) => {
    if (disk.find(dir, name)) disk.unlink(dir, name);
  });
}

/** Buffers of an object that is written: made once and used again, since fresh memory costs as much as encrypting into it. */
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
  private readonly digest: ObjectDigest;
  private readonly buffers = takeBuffers();
  private used = 0;
  private chunkNumber = 0;
  private outUsed = 0;
  private written = OBJECT_HEADER_BYTES;
  private isClosed = false;

  constructor(
    private readonly disk: Disk,
    vault: Dir,
    kind: ObjectKind,
    keys: ContentKeys,
    folder: string,
    generation: number,
  ) {
    this.header = newObjectHeader(kind, folder, keys.name, generation);
    this.cipher = keys.cipherFor(this.header);
    this.marker = this.cipher.marker();
    const encoded = encodeObjectHeader(this.header);
    this.digest = new ObjectDigest(encoded);
    this.file = withObjectDir(disk, vault, kind, this.header.object, true, (dir, name) =>
      disk.create(dir, name, 0o600),
    );
    try {
      disk.write(this.file, encoded, 0, encoded.length, 0);
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
    this.digest.add(out.subarray(this.outUsed + count - TAG_BYTES, this.outUsed + count));
    this.outUsed += count;
    this.used = 0;
    if (last || this.outUsed + SEALED_CHUNK_BYTES > out.length) this.flush();
  }

  private flush(): void {
    this.disk.write(this.file, this.buffers.out, 0, this.outUsed, this.written);
    this.written += this.outUsed;
    this.outUsed = 0;
  }

  finish(): PackInfo {
    this.sealChunk(true);
    this.close();
    return {
      object: this.header.object,
      key: this.header.key,
      generation: this.header.generation,
      length: this.length,
      digest: this.digest.finish(),
    };
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
  keys: (name: string) => ContentKeys,
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
        length < TAG_BYTES ? 0 : disk.read(file, sealed, 0, length, OBJECT_HEADER_BYTES + number * SEALED_CHUNK_BYTES);
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
  keys: (name: string) => ContentKeys,
): ObjectCipher | null {
  const bytes = Buffer.alloc(OBJECT_HEADER_BYTES);
  if (disk.read(file, bytes, 0, bytes.length, 0) !== bytes.length) return null;
  try {
    const header = decodeObjectHeader(bytes);
    return header.kind === kind && header.folder === folder && header.object === object
      ? keys(header.key).cipherFor(header)
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
  private readonly headerBytes: Buffer;
  private readonly chunks: number;
  /** The chunks read last, the newest at the end. */
  private readonly cached = new Map<number, Buffer>();
  private readonly spare: Buffer[] = [];
  private long: ReadBuffers | null = null;
  private readonly sealed = Buffer.allocUnsafe(SEALED_CHUNK_BYTES);

  /** @throws EremosError `damaged` when it is missing, of another place, or of the wrong length. */
  constructor(
    private readonly disk: Disk,
    vault: Dir,
    kind: ObjectKind,
    folder: string,
    keys: (name: string) => ContentKeys,
    private readonly info: Pick<PackInfo, "object" | "length">,
    private readonly cachedChunks = 1,
  ) {
    this.file = openObject(disk, vault, kind, info.object);
    try {
      const bytes = Buffer.alloc(OBJECT_HEADER_BYTES);
      disk.read(this.file, bytes, 0, bytes.length, 0);
      const header = decodeObjectHeader(bytes);
      if (header.kind !== kind || header.folder !== folder || header.object !== info.object) {
        throw new EremosError("damaged", "An encrypted file was put in the place of another.", { reason: "swapped" });
      }
      const size = disk.statOpen(this.file).size;
      if (size !== sealedLength(info.length))
        throw new EremosError("damaged", "An encrypted file is too short or too long.", { reason: "truncated" });
      this.headerBytes = bytes;
      this.cipher = keys(header.key).cipherFor(header);
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
    const count = this.disk.read(this.file, this.sealed, 0, length, OBJECT_HEADER_BYTES + number * SEALED_CHUNK_BYTES);
    if (this.cached.size >= this.cachedChunks) this.dropOldest();
    const plain = (this.spare.pop() ?? Buffer.allocUnsafe(CHUNK_BYTES)).subarray(0, length - TAG_BYTES);
    if (count !== length || !this.cipher.open(number, last, this.sealed.subarray(0, count), plain))
      throw new EremosError("damaged", "A part of an encrypted file is not what was written there.", {
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
      throw new EremosError("damaged", "The index points outside an encrypted file.");
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

  /** So many whole chunks, in one read; none of them is the object's last one cut short. Valid until the next call. */
  private chunksFrom(number: number, count: number): Buffer {
    this.long ??= takeReadBuffers();
    const { sealed, plain } = this.long;
    const length = count * SEALED_CHUNK_BYTES;
    let isWhole =
      this.disk.read(this.file, sealed, 0, length, OBJECT_HEADER_BYTES + number * SEALED_CHUNK_BYTES) === length;
    for (let i = 0; i < count && isWhole; i++) {
      const chunk = sealed.subarray(i * SEALED_CHUNK_BYTES, (i + 1) * SEALED_CHUNK_BYTES);
      isWhole = this.cipher.open(
        number + i,
        number + i === this.chunks - 1,
        chunk,
        plain.subarray(i * CHUNK_BYTES, (i + 1) * CHUNK_BYTES),
      );
      if (!isWhole)
        throw new EremosError("damaged", "A part of an encrypted file is not what was written there.", {
          reason: "changed",
          chunk: number + i,
        });
    }
    if (!isWhole)
      throw new EremosError("damaged", "An encrypted file is too short or too long.", { reason: "truncated" });
    return plain.subarray(0, count * CHUNK_BYTES);
  }

  read(offset: number, length: number): Buffer {
    const pieces: Buffer[] = [];
    this.pieces(offset, length, (piece) => pieces.push(Buffer.from(piece)));
    return Buffer.concat(pieces);
  }

  /** Whether header and tags are those that were written: tells a swapped whole from the right one. */
  hasDigest(expected: Uint8Array): boolean {
    const digest = new ObjectDigest(this.headerBytes);
    const tag = Buffer.alloc(TAG_BYTES);
    for (let number = 0; number < this.chunks; number++) {
      const end = Math.min((number + 1) * CHUNK_BYTES, this.info.length);
      this.disk.read(this.file, tag, 0, TAG_BYTES, OBJECT_HEADER_BYTES + end + number * TAG_BYTES);
      digest.add(tag);
    }
    return equalBytes(digest.finish(), expected);
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

function openObject(disk: Disk, vault: Dir, kind: ObjectKind, object: string): OpenFile {
  try {
    return withObjectDir(disk, vault, kind, object, false, (dir, name) => disk.openRead(dir, name));
  } catch {
    throw new EremosError("damaged", "An encrypted file is missing.", { reason: "missing" });
  }
}
