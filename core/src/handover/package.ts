import * as z from "zod";
import { equalBytes, randomBytes, wipe } from "../crypto/bytes";
import { TAG_BYTES } from "../crypto/ciphers";
import {
  LEAST_COST,
  type Password,
  formatPasswordHashing,
  hashPassword,
  hkdf,
  hmac,
  newPasswordHashing,
  parsePasswordHashing,
} from "../crypto/kdf";
import { EremosError, damage } from "../errors/eremos-error";
import { canonicalJson } from "../format/canonical-json";
import { CHUNK_BYTES, type Decrypt, ObjectCipher, SEALED_CHUNK_BYTES } from "../format/object";
import { said } from "@eremos/words/core/handover";

/**
 * A package for somebody else: one stream of bytes, an archive, encrypted under one password. FORMAT.md §16.
 *
 * Its head says how the password is hashed, and by a short digest whether one is right. Its key is bound to the head;
 * chunks are those of an encrypted object (§5): truncation, reordering and swapping fail.
 */
const idSchema = z.string().regex(/^[0-9a-f]{32}$/);
const headSchema = z.strictObject({
  format: z.literal("eremos-package"),
  version: z.literal(1),
  id: idSchema,
  /** PHC string without a hash. */
  hashing: z.string(),
  /** 16 bytes, hexadecimal: of the right key. */
  check: idSchema,
});
type Head = z.output<typeof headSchema>;
const CHECK_BYTES = 16;
const LONGEST_HEAD = 1024;

/** The head as it stands in a package, and what encrypts behind it. The cipher's owner wipes it. */
export interface NewPackage {
  readonly head: Buffer;
  readonly cipher: ObjectCipher;
}

/** @throws TypeError for a password that was wiped */
export async function newPackage(password: Password): Promise<NewPackage> {
  const hashing = newPasswordHashing(LEAST_COST);
  const id = randomBytes(16).toString("hex");
  const key = await keyOf(password, id, hashing);
  try {
    const head: Head = {
      format: "eremos-package",
      version: 1,
      id,
      hashing: formatPasswordHashing(hashing),
      check: checkOf(key).toString("hex"),
    };
    const bytes = Buffer.from(canonicalJson(head));
    return { head: bytes, cipher: cipherOf(key, bytes) };
  } finally {
    wipe(key);
  }
}

/**
 * What decrypts a package. @throws EremosError `damaged` where it is no head of this version, `wrong-password`
 */
export async function openPackage(head: Buffer, password: Password): Promise<ObjectCipher> {
  const { id, hashing, check } = readHead(head);
  const key = await keyOf(password, id, parsePasswordHashing(hashing));
  try {
    if (!equalBytes(checkOf(key), Buffer.from(check, "hex")))
      throw new EremosError("wrong-password", said("password-opens-no-package"));
    return cipherOf(key, head);
  } finally {
    wipe(key);
  }
}

function readHead(bytes: Buffer): Head {
  let value: unknown = null;
  try {
    if (bytes.length <= LONGEST_HEAD) value = JSON.parse(bytes.toString("utf8"));
  } catch {
    // Told below.
  }
  const parsed = headSchema.safeParse(value);
  // Whoever made it chooses no work for who opens it.
  const isOurs = (head: Head): boolean =>
    Buffer.from(canonicalJson(head)).equals(bytes) &&
    head.hashing === formatPasswordHashing({ ...LEAST_COST, salt: parsePasswordHashing(head.hashing).salt });
  if (!parsed.success || !isOurs(parsed.data)) throw damage(said("is-no-package-of-this-version"));
  return parsed.data;
}

async function keyOf(password: Password, id: string, hashing: ReturnType<typeof newPasswordHashing>): Promise<Buffer> {
  const hashed = await hashPassword(password, hashing);
  try {
    return hkdf(hashed, Buffer.from(id, "hex"), "eremos/2/package");
  } finally {
    wipe(hashed);
  }
}

function checkOf(key: Buffer): Buffer {
  return hmac(key, Buffer.from("eremos/2/package/check")).subarray(0, CHECK_BYTES);
}

function cipherOf(key: Buffer, head: Buffer): ObjectCipher {
  return new ObjectCipher(hmac(key, Buffer.from("eremos/2/package/contents\n"), head));
}

/** Encrypts a stream, whatever the sizes in which it comes. */
export class PackageWriter {
  private readonly chunk = Buffer.alloc(CHUNK_BYTES);
  private filled = 0;
  private number = 0;

  /** `put` must be done with the bytes when it returns: they are used again. */
  constructor(
    private readonly cipher: ObjectCipher,
    private readonly put: (sealed: Buffer) => void,
    private readonly sealed = Buffer.alloc(SEALED_CHUNK_BYTES),
  ) {}

  add(bytes: Uint8Array): void {
    for (let at = 0; at < bytes.length;) {
      if (this.filled === CHUNK_BYTES) this.flush(false);
      const part = bytes.subarray(at, at + CHUNK_BYTES - this.filled);
      this.chunk.set(part, this.filled);
      this.filled += part.length;
      at += part.length;
    }
  }

  end(): void {
    this.flush(true);
    wipe(this.chunk);
  }

  private flush(isLast: boolean): void {
    const length = this.cipher.seal(this.number, isLast, this.chunk.subarray(0, this.filled), this.sealed);
    this.put(this.sealed.subarray(0, length));
    this.number += 1;
    this.filled = 0;
  }
}

/** The encrypted bytes behind a head, wherever they are. */
export interface PackedSource {
  readonly size: number;
  /** As many as there are. */
  read(offset: number, length: number): Promise<Buffer>;
  /** AES-256-GCM of the platform, where it is not at hand at once. */
  readonly decrypt?: Decrypt;
}

/** Chunks that are read at once. */
const CHUNKS_PER_READ = 16;

/** The archive in a package, read anywhere. */
export class PackageReader {
  readonly length: number;
  private readonly chunks: number;

  /** @throws EremosError `damaged` where it has been cut off */
  constructor(
    private readonly source: PackedSource,
    private readonly cipher: ObjectCipher,
  ) {
    this.chunks = Math.ceil(source.size / SEALED_CHUNK_BYTES);
    this.length = source.size - this.chunks * TAG_BYTES;
    if (this.chunks === 0 || this.length < (this.chunks - 1) * CHUNK_BYTES) throw cutOff();
  }

  /**
   * A stretch of it, none beyond its end. @throws EremosError `damaged`: where its last part is not the last that was
   * written, it has been cut off
   */
  async read(offset: number, length: number): Promise<Buffer> {
    const parts: Buffer[] = [];
    for await (const part of this.pieces(offset, length)) parts.push(part);
    return Buffer.concat(parts);
  }

  async *pieces(offset: number, length: number): AsyncGenerator<Buffer> {
    const end = Math.min(offset + length, this.length);
    for (let at = offset; at < end;) {
      const first = Math.floor(at / CHUNK_BYTES);
      const count = Math.min(CHUNKS_PER_READ, Math.ceil(end / CHUNK_BYTES) - first);
      const sealed = await this.source.read(first * SEALED_CHUNK_BYTES, count * SEALED_CHUNK_BYTES);
      for (let i = 0; i < count; i++) {
        const chunk = await this.open(first + i, sealed.subarray(i * SEALED_CHUNK_BYTES, (i + 1) * SEALED_CHUNK_BYTES));
        const start = (first + i) * CHUNK_BYTES;
        const stop = Math.min(end, start + CHUNK_BYTES);
        yield chunk.subarray(at - start, stop - start);
        at = stop;
      }
    }
  }

  /** Whether it is whole at its end; the rest is found out as it is read. @throws EremosError `damaged` */
  async requireEnd(): Promise<void> {
    const last = this.chunks - 1;
    const sealed = await this.source.read(last * SEALED_CHUNK_BYTES, SEALED_CHUNK_BYTES);
    await this.open(last, sealed);
  }

  private async open(number: number, sealed: Buffer): Promise<Buffer> {
    const isLast = number === this.chunks - 1;
    const plain = await this.decrypt(number, isLast, sealed);
    if (plain) return plain;
    // Whole, but with others behind it once: told apart from one that is damaged.
    if (isLast && (await this.decrypt(number, false, sealed))) throw cutOff();
    throw damage(said("package-is-damaged-at", { from: number * CHUNK_BYTES }));
  }

  private async decrypt(number: number, isLast: boolean, sealed: Buffer): Promise<Buffer | null> {
    if (sealed.length < TAG_BYTES) return null;
    if (this.source.decrypt) return this.cipher.openBy(this.source.decrypt, number, isLast, sealed);
    const plain = Buffer.alloc(sealed.length - TAG_BYTES);
    return this.cipher.open(number, isLast, sealed, plain) ? plain : null;
  }
}

function cutOff(): EremosError {
  return damage(said("package-was-cut-off"), { reason: "cut off" });
}
