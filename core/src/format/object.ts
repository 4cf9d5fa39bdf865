import { type Hash, createHash } from "node:crypto";
import { fromBase64, randomBytes, toBase64, wipe } from "../crypto/bytes";
import { type ChunkCipher, chunkCipher } from "../crypto/chunk-cipher";
import { hkdf, hmac } from "../crypto/kdf";
import { EremosError } from "../errors/eremos-error";
import { FOLDER_KEY_NAME } from "./generation";

/**
 * An encrypted object: one immutable file holding a pack, an index or a drop. FORMAT.md §5.
 *
 *   header (104 bytes): magic 8 · kind 1 · log2 of the chunk size 1 · zero 6 · folder id 16 · object id 16 · key id 16 ·
 *                       birth generation u64 · salt 32
 *   chunks: AES-256-GCM ciphertext of up to 65,536 bytes ‖ tag 16
 *
 * The object's key is HMAC-SHA256(purpose key, header), so everything in the header is bound to every chunk. The nonce is the
 * chunk's number (u64, little-endian) ‖ 1 for the last chunk, else 0 ‖ three zero bytes: truncation, reordering and swapping fail.
 * A key encrypts one object, once.
 */
const MAGIC = Buffer.from("EREMOSO1", "latin1");
export const OBJECT_HEADER_BYTES = 104;
const CHUNK_LOG2 = 16;
export const CHUNK_BYTES = 1 << CHUNK_LOG2;
export const TAG_BYTES = 16;
export const SEALED_CHUNK_BYTES = CHUNK_BYTES + TAG_BYTES;
const MARKER_BYTES = 16;
const TWO_32 = 4_294_967_296;

export const OBJECT_KINDS = { pack: 1, index: 2, drop: 3 } as const;
export type ObjectKind = keyof typeof OBJECT_KINDS;

export interface ObjectHeader {
  readonly kind: ObjectKind;
  /** base64url of 16 bytes. */
  readonly folder: string;
  readonly object: string;
  /** {@link FOLDER_KEY_NAME}, or the base64url name of a generation key. */
  readonly key: string;
  readonly generation: number;
  readonly salt: Buffer;
}

export function newObjectHeader(kind: ObjectKind, folder: string, key: string, generation: number): ObjectHeader {
  return { kind, folder, key, generation, object: toBase64(randomBytes(16)), salt: randomBytes(32) };
}

export function encodeObjectHeader(header: ObjectHeader): Buffer {
  const bytes = Buffer.alloc(OBJECT_HEADER_BYTES);
  MAGIC.copy(bytes, 0);
  bytes.writeUInt8(OBJECT_KINDS[header.kind], 8);
  bytes.writeUInt8(CHUNK_LOG2, 9);
  fromBase64(header.folder, 16).copy(bytes, 16);
  fromBase64(header.object, 16).copy(bytes, 32);
  if (header.key !== FOLDER_KEY_NAME) fromBase64(header.key, 16).copy(bytes, 48);
  bytes.writeBigUInt64LE(BigInt(header.generation), 64);
  header.salt.copy(bytes, 72);
  return bytes;
}

/** @throws EremosError `damaged` when it is not an object header of this version. */
export function decodeObjectHeader(bytes: Buffer): ObjectHeader {
  const kind =
    bytes.length === OBJECT_HEADER_BYTES && bytes.subarray(0, 8).equals(MAGIC) ? kindOf(bytes.readUInt8(8)) : undefined;
  const generation = kind ? Number(bytes.readBigUInt64LE(64)) : 0;
  if (!kind || bytes.readUInt8(9) !== CHUNK_LOG2 || !Number.isSafeInteger(generation)) {
    throw new EremosError("damaged", "An encrypted file of this folder has a damaged beginning.");
  }
  const keyId = bytes.subarray(48, 64);
  return {
    kind,
    folder: toBase64(bytes.subarray(16, 32)),
    object: toBase64(bytes.subarray(32, 48)),
    key: keyId.every((byte) => byte === 0) ? FOLDER_KEY_NAME : toBase64(keyId),
    generation,
    salt: Buffer.from(bytes.subarray(72, 104)),
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

/** Purpose keys of one content secret (the folder key or a generation key). The owner wipes it. */
export class ContentKeys {
  private readonly purposes: Record<ObjectKind, Buffer>;

  constructor(
    readonly name: string,
    secret: Uint8Array,
    folder: string,
  ) {
    const salt = fromBase64(folder, 16);
    this.purposes = {
      pack: hkdf(secret, salt, "eremos/1/pack"),
      index: hkdf(secret, salt, "eremos/1/index"),
      drop: hkdf(secret, salt, "eremos/1/drop"),
    };
  }

  cipherFor(header: ObjectHeader): ObjectCipher {
    return new ObjectCipher(hmac(this.purposes[header.kind], encodeObjectHeader(header)));
  }

  wipe(): void {
    wipe(...Object.values(this.purposes));
  }
}

/** AES-256-GCM that is not at hand at once, as browsers have it: key 32 bytes, nonce 12, ciphertext ‖ tag. The key object stays the same for one object. */
export type Decrypt = (key: Uint8Array, nonce: Uint8Array, sealed: Uint8Array) => Promise<Buffer | null>;

export class ObjectCipher {
  private readonly nonce = Buffer.alloc(12);
  private readonly chunks: ChunkCipher;

  constructor(private readonly key: Buffer) {
    this.chunks = chunkCipher(key);
  }

  /** Opens a record in a pack; nobody without the key can write bytes that contain it. */
  marker(): Buffer {
    return hmac(this.key, Buffer.from("eremos/1/record", "utf8")).subarray(0, MARKER_BYTES);
  }

  /** Encrypts one chunk into `out` (plain length + 16 bytes) and returns the bytes written. */
  seal(chunk: number, last: boolean, plain: Uint8Array, out: Buffer): number {
    this.chunks.seal(this.nonceOf(chunk, last), plain, out);
    return plain.length + TAG_BYTES;
  }

  /** Decrypts one chunk into `out` (16 bytes shorter); false, and nothing in `out`, when it is not what was written there. */
  open(chunk: number, last: boolean, sealed: Buffer, out: Buffer): boolean {
    if (sealed.length < TAG_BYTES) return false;
    if (this.chunks.open(this.nonceOf(chunk, last), sealed, out)) return true;
    wipe(out);
    return false;
  }

  /** The same by another implementation of AES-256-GCM, which gives the plaintext, or null when it is not what was written there. */
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

/** The digest of an object: SHA-256 over its header and every chunk's tag, in order. FORMAT.md §5.3. */
export class ObjectDigest {
  private readonly hash: Hash;

  constructor(header: Buffer) {
    this.hash = createHash("sha256").update(header);
  }

  add(tag: Uint8Array): void {
    this.hash.update(tag);
  }

  finish(): Buffer {
    return this.hash.digest();
  }
}
