import { TAG_BYTES } from "../crypto/ciphers";
import { createHash } from "node:crypto";
import { equalBytes } from "../crypto/bytes";
import { damage } from "../errors/eremos-error";
import {
  CHUNK_BYTES,
  type ContentKeys,
  type KeyName,
  OBJECT_HEADER_BYTES,
  type ObjectCipher,
  type ObjectHeader,
  type ObjectKind,
  SEALED_CHUNK_BYTES,
  chunkCount,
  decodeObjectHeader,
  sealedLength,
} from "../format/object";
import type { RescueSource } from "./source";
import { said, say } from "@eremos/words/core/rescue";

const DIRECTORIES = {
  pack: ".eremos/packs",
  index: ".eremos/index",
  drop: ".eremos/drops",
} as const satisfies Readonly<Record<ObjectKind, string>>;
/** Chunks that are read at once. */
const CHUNKS_PER_READ = 16;

/** A stretch of an object's plaintext; `bytes` is null where it can't be read. */
export interface Piece {
  readonly offset: number;
  readonly length: number;
  readonly bytes: Buffer | null;
}

/** Where an object lies. FORMAT.md §1. */
export function objectPath(kind: ObjectKind, object: string): string {
  return kind === "pack" ? `${DIRECTORIES.pack}/${object.slice(0, 2)}/${object}` : `${DIRECTORIES[kind]}/${object}`;
}

/** Reads an object as far as it is whole: what is damaged, cut off or missing is told, not thrown. */
export class SealedObject {
  private constructor(
    private readonly source: RescueSource,
    private readonly path: string,
    readonly header: ObjectHeader,
    private readonly cipher: ObjectCipher,
    /** Plaintext bytes. */
    readonly length: number,
    /** Whether the length is known from elsewhere, not only from the file's size. */
    private readonly isSure: boolean,
  ) {}

  /**
   * `length`: of the plaintext, where it is known; `known`: what its file begins with, likewise. @throws EremosError
   * `damaged` where its beginning is damaged, it is another's, or its key is missing
   */
  static async open(
    source: RescueSource,
    kind: ObjectKind,
    folder: string,
    object: string,
    keys: (name: KeyName) => ContentKeys | null,
    length: number | null,
    known: Buffer | null = null,
  ): Promise<SealedObject> {
    const path = objectPath(kind, object);
    const size = source.insured?.size(path) ?? (await source.size(path));
    if (size === null) throw damage(said("encrypted-file-is-missing"), { reason: "missing" });
    const bytes =
      known ??
      (await source.insured?.read(path, 0, OBJECT_HEADER_BYTES)) ??
      (await source.read(path, 0, OBJECT_HEADER_BYTES));
    const header = decodeObjectHeader(bytes);
    if (header.kind !== kind || header.folder !== folder || header.object !== object)
      throw damage(said("encrypted-file-was-put-in"), { reason: "swapped" });
    const content = keys(header);
    if (!content)
      throw damage(said("key-this-folder-is-missing-so"), {
        reason: say("missing-key"),
      });
    return new SealedObject(
      source,
      path,
      header,
      content.cipherFor(header),
      length ?? plainLength(size),
      length !== null,
    );
  }

  /** What opens a record in this object, if it holds files. */
  get marker(): Buffer {
    return this.cipher.marker();
  }

  /** Consecutive pieces of a range, none beyond the object's end. */
  async *pieces(offset: number, length: number): AsyncGenerator<Piece> {
    const end = Math.min(offset + length, this.length);
    for (let at = offset; at < end;) {
      const first = Math.floor(at / CHUNK_BYTES);
      const count = Math.min(CHUNKS_PER_READ, Math.ceil(end / CHUNK_BYTES) - first);
      const sealed = await this.source.read(
        this.path,
        OBJECT_HEADER_BYTES + first * SEALED_CHUNK_BYTES,
        count * SEALED_CHUNK_BYTES,
      );
      const chunks = await Promise.all(
        Array.from({ length: count }, (_, i) =>
          this.openChunk(first + i, sealed.subarray(i * SEALED_CHUNK_BYTES, (i + 1) * SEALED_CHUNK_BYTES)),
        ),
      );
      for (const [i, chunk] of chunks.entries()) {
        const start = (first + i) * CHUNK_BYTES;
        const stop = Math.min(end, start + CHUNK_BYTES);
        yield { offset: at, length: stop - at, bytes: chunk?.subarray(at - start, stop - start) ?? null };
        at = stop;
      }
    }
  }

  /** Where it is damaged, as the insurance says it ought to be. */
  private async openChunk(number: number, sealed: Buffer): Promise<Buffer | null> {
    const plain = await this.tryChunk(number, sealed);
    if (plain || !this.source.insured) return plain;
    const repaired = await this.source.insured.read(
      this.path,
      OBJECT_HEADER_BYTES + number * SEALED_CHUNK_BYTES,
      SEALED_CHUNK_BYTES,
    );
    return repaired && this.tryChunk(number, repaired);
  }

  private async tryChunk(number: number, sealed: Buffer): Promise<Buffer | null> {
    const length = Math.min(CHUNK_BYTES, this.length - number * CHUNK_BYTES);
    if (sealed.length < length + TAG_BYTES) return null;
    const chunk = sealed.subarray(0, length + TAG_BYTES);
    const isLast = number === chunkCount(this.length) - 1;
    const plain = await this.decrypt(number, isLast, chunk);
    // Where only the file's size tells, what is last now may have had others behind it.
    return plain ?? (isLast && !this.isSure ? this.decrypt(number, false, chunk) : null);
  }

  private async decrypt(number: number, isLast: boolean, chunk: Buffer): Promise<Buffer | null> {
    if (this.source.decrypt) return this.cipher.openBy(this.source.decrypt, number, isLast, chunk);
    const plain = Buffer.alloc(chunk.length - TAG_BYTES);
    return this.cipher.open(number, isLast, chunk, plain) ? plain : null;
  }

  /** A range whole, or null. */
  async read(offset: number, length: number): Promise<Buffer | null> {
    const parts: Buffer[] = [];
    for await (const { bytes } of this.pieces(offset, length)) {
      if (!bytes) return null;
      parts.push(bytes);
    }
    const all = Buffer.concat(parts);
    return all.length === length ? all : null;
  }

  close(): void {
    this.cipher.wipe();
  }
}

/** Of an object file of this size. */
function plainLength(size: number): number {
  const body = Math.max(0, size - OBJECT_HEADER_BYTES);
  return Math.max(0, body - Math.max(1, Math.ceil(body / SEALED_CHUNK_BYTES)) * TAG_BYTES);
}

const HASHED_AT_ONCE = 1024 * 1024;

/**
 * Whether an object's whole file is what was written, by its SHA-256; mended from the insurance, where that is needed.
 * `length`: of the plaintext.
 */
export async function isWholeIn(
  source: RescueSource,
  kind: ObjectKind,
  object: string,
  length: number,
  digest: Uint8Array,
): Promise<boolean> {
  const path = objectPath(kind, object);
  const { insured } = source;
  const whole = sealedLength(length);
  const hashBy = async (read: (offset: number, count: number) => Promise<Buffer>): Promise<boolean> => {
    const hash = createHash("sha256");
    for (let at = 0; at < whole; at += HASHED_AT_ONCE)
      hash.update(await read(at, Math.min(HASHED_AT_ONCE, whole - at)));
    return equalBytes(hash.digest(), digest);
  };
  if ((await source.size(path)) === whole && (await hashBy((at, count) => source.read(path, at, count)))) return true;
  return insured ? hashBy(async (at, count) => (await insured.read(path, at, count)) ?? Buffer.alloc(0)) : false;
}
