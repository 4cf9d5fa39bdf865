import { TAG_BYTES } from "../crypto/ciphers";
import { randomBytes, wipe } from "../crypto/bytes";
import { type ChunkCipher, chunkCipher } from "../crypto/chunk-cipher";
import type { Fingerprint } from "../crypto/ciphers";
import { fingerprint } from "../crypto/fingerprint";
import { hkdf, hmac } from "../crypto/kdf";
import { damage } from "../errors/eremos-error";
import { BATCH_BYTES, idBytes, newId } from "./ids";
import { said } from "@eremos/words/core/format";

/**
 * An encrypted object: one immutable file holding a pack, an index or a drop. FORMAT.md §5.
 *
 *   header (112 bytes): magic 8 · kind 1 · log2 of the chunk size 1 · zero 2 · epoch u32 · folder id 16 · object id 16
 * · key id 16 ·
 *                       number u64 · batch 8 · salt 32
 *   chunks: AES-256-GCM ciphertext of up to 65,536 bytes ‖ tag 16
 *
 * The object's key is HMAC-SHA256(purpose key, header), so everything in the header is bound to every chunk. The nonce
 * is the chunk's number (u64, little-endian) ‖ 1 for the last chunk, else 0 ‖ three zero bytes: truncation, reordering
 * and swapping fail. A key encrypts one object, once.
 */
const MAGIC = Buffer.from("EREMOSO2", "latin1");
export const OBJECT_HEADER_BYTES = 112;
const CHUNK_LOG2 = 16;
export const CHUNK_BYTES = 1 << CHUNK_LOG2;
export const SEALED_CHUNK_BYTES = CHUNK_BYTES + TAG_BYTES;
const MARKER_BYTES = 16;
const TWO_32 = 4_294_967_296;

export const OBJECT_KINDS = { pack: 1, index: 2, drop: 3 } as const;
export type ObjectKind = keyof typeof OBJECT_KINDS;

/** Which secret an object is under: a folder key by its number, or a generation key by its id. */
export interface KeyName {
  readonly epoch: number;
  /** Null: the folder key itself. */
  readonly key: string | null;
}

export interface ObjectHeader extends KeyName {
  readonly kind: ObjectKind;
  readonly folder: string;
  readonly object: string;
  /** Of the generation it was made for: tells what is newer where no index can be read. */
  readonly number: number;
  /** Of the work that wrote it. */
  readonly batch: string;
  readonly salt: Buffer;
}

/** For what an object is made. */
export interface Purpose {
  readonly folder: string;
  readonly number: number;
  readonly batch: string;
}

export function newObjectHeader(
  kind: ObjectKind,
  { folder, number, batch }: Purpose,
  { epoch, key }: KeyName,
): ObjectHeader {
  return { kind, folder, epoch, key, number, batch, object: newId(), salt: randomBytes(32) };
}

export function encodeObjectHeader(header: ObjectHeader): Buffer {
  const bytes = Buffer.alloc(OBJECT_HEADER_BYTES);
  MAGIC.copy(bytes, 0);
  bytes.writeUInt8(OBJECT_KINDS[header.kind], 8);
  bytes.writeUInt8(CHUNK_LOG2, 9);
  bytes.writeUInt32LE(header.epoch, 12);
  idBytes(header.folder).copy(bytes, 16);
  idBytes(header.object).copy(bytes, 32);
  if (header.key !== null) idBytes(header.key).copy(bytes, 48);
  bytes.writeBigUInt64LE(BigInt(header.number), 64);
  Buffer.from(header.batch, "hex").copy(bytes, 72, 0, BATCH_BYTES);
  header.salt.copy(bytes, 80);
  return bytes;
}

/** @throws EremosError `damaged` when it is not an object header of this version. */
export function decodeObjectHeader(bytes: Buffer): ObjectHeader {
  const kind =
    bytes.length === OBJECT_HEADER_BYTES && bytes.subarray(0, 8).equals(MAGIC) ? kindOf(bytes.readUInt8(8)) : undefined;
  const number = kind ? Number(bytes.readBigUInt64LE(64)) : 0;
  if (
    !kind ||
    bytes.readUInt8(9) !== CHUNK_LOG2 ||
    bytes.readUInt16LE(10) !== 0 ||
    bytes.readUInt32LE(12) === 0 ||
    !Number.isSafeInteger(number)
  ) {
    throw damage(said("encrypted-file-this-folder-has"));
  }
  const hex = (from: number, length: number): string => bytes.subarray(from, from + length).toString("hex");
  const key = hex(48, 16);
  return {
    kind,
    epoch: bytes.readUInt32LE(12),
    folder: hex(16, 16),
    object: hex(32, 16),
    key: /^0+$/.test(key) ? null : key,
    number,
    batch: hex(72, BATCH_BYTES),
    salt: Buffer.from(bytes.subarray(80)),
  };
}

function kindOf(value: number): ObjectKind | undefined {
  if (value === OBJECT_KINDS.pack) return "pack";
  if (value === OBJECT_KINDS.drop) return "drop";
  return value === OBJECT_KINDS.index ? "index" : undefined;
}

/** The number of chunks for a plaintext of `length` bytes; an empty object still has one, empty, last chunk. */
export function chunkCount(length: number): number {
  return Math.max(1, Math.ceil(length / CHUNK_BYTES));
}

export function sealedLength(length: number): number {
  return OBJECT_HEADER_BYTES + length + chunkCount(length) * TAG_BYTES;
}

/** Purpose keys of one content secret (a folder key or a generation key). The owner wipes it. */
export class ContentKeys {
  private readonly purposes: Record<ObjectKind, Buffer>;
  private readonly contents: Buffer;
  private mac: Fingerprint | null = null;

  constructor(
    readonly name: KeyName,
    secret: Uint8Array,
    folder: string,
  ) {
    const salt = idBytes(folder);
    this.purposes = {
      pack: hkdf(secret, salt, "eremos/2/pack"),
      index: hkdf(secret, salt, "eremos/2/index"),
      drop: hkdf(secret, salt, "eremos/2/drop"),
    };
    this.contents = hkdf(secret, salt, "eremos/2/contents");
  }

  /** For one content after the other. FORMAT.md §5.7. */
  get fingerprint(): Fingerprint {
    return (this.mac ??= fingerprint(this.contents));
  }

  cipherFor(header: ObjectHeader): ObjectCipher {
    return new ObjectCipher(hmac(this.purposes[header.kind], encodeObjectHeader(header)));
  }

  wipe(): void {
    wipe(...Object.values(this.purposes), this.contents);
    this.mac?.wipe();
  }
}

/**
 * AES-256-GCM that is not at hand at once, as browsers have it: key 32 bytes, nonce 12, ciphertext ‖ tag. The key
 * object stays the same for one object.
 */
export type Decrypt = (key: Uint8Array, nonce: Uint8Array, sealed: Uint8Array) => Promise<Buffer | null>;

export class ObjectCipher {
  private readonly nonce = Buffer.alloc(12);
  private readonly chunks: ChunkCipher;

  constructor(private readonly key: Buffer) {
    this.chunks = chunkCipher(key);
  }

  /** Opens a record in a pack; nobody without the key can write bytes that contain it. */
  marker(): Buffer {
    return hmac(this.key, Buffer.from("eremos/2/record", "utf8")).subarray(0, MARKER_BYTES);
  }

  /** Encrypts one chunk into `out` (plain length + 16 bytes) and returns the bytes written. */
  seal(chunk: number, last: boolean, plain: Uint8Array, out: Buffer): number {
    this.chunks.seal(this.nonceOf(chunk, last), plain, out);
    return plain.length + TAG_BYTES;
  }

  /**
   * Decrypts one chunk into `out` (16 bytes shorter); false, and nothing in `out`, when it is not what was written
   * there.
   */
  open(chunk: number, last: boolean, sealed: Buffer, out: Buffer): boolean {
    if (sealed.length < TAG_BYTES) return false;
    if (this.chunks.open(this.nonceOf(chunk, last), sealed, out)) return true;
    wipe(out);
    return false;
  }

  /**
   * The same by another implementation of AES-256-GCM, which gives the plaintext, or null when it is not what was
   * written there.
   */
  openBy(decrypt: Decrypt, chunk: number, last: boolean, sealed: Buffer): Promise<Buffer | null> {
    return decrypt(this.key, Buffer.from(this.nonceOf(chunk, last)), sealed);
  }

  private nonceOf(chunk: number, last: boolean): Buffer {
    this.nonce.writeUInt32LE(chunk % TWO_32, 0);
    this.nonce.writeUInt32LE(Math.floor(chunk / TWO_32), 4);
    this.nonce.writeUInt8(last ? 1 : 0, 8);
    return this.nonce;
  }

  wipe(): void {
    this.chunks.wipe();
    wipe(this.key);
  }
}
