import { randomBytes, wipe } from "../crypto/bytes";
import { TAG_BYTES } from "../crypto/ciphers";
import { openEnvelope, sealTo } from "../crypto/envelope";
import { damage, systemCode } from "../errors/eremos-error";
import { newId } from "../format/ids";
import { CHUNK_BYTES, ObjectCipher, SEALED_CHUNK_BYTES } from "../format/object";
import type { Dir, Disk, OpenFile } from "../platform/port";
import { takeBack, withFile, within } from "../engine/ground";
import * as z from "zod";
import { sweepStale } from "./rewrite";
import { said } from "@eremos/words/core/traces";

/**
 * What was cleared, kept to be put back: one file, a line of JSON that anybody may read, and behind it everything else
 * encrypted as the chunks of an object are, under a key of its own that is sealed to the owner. FORMAT.md §14.
 *
 * The plaintext is one item after the other: length of its JSON (u32, little-endian), JSON, `size` bytes of content.
 */
const headSchema = z.strictObject({
  eremos: z.literal("cleared"),
  version: z.literal(1),
  id: z.string().regex(/^[0-9a-f]{32}$/),
  /** The protected folder whose traces they were. */
  folder: z.string().regex(/^[0-9a-f]{32}$/),
  /** When, in milliseconds since 1970, and how many traces. */
  at: z.int().nonnegative(),
  /** Days as Eremos counts them, at that moment: {@link KEPT_DAYS} more and it goes. */
  day: z.number().nonnegative(),
  traces: z.int().nonnegative(),
  key: z.strictObject({ enc: z.string(), ct: z.string() }),
});
const provenSchema = headSchema.extend({ proof: z.string() });
export type KeptHead = z.output<typeof headSchema>;

export const KEPT_DAYS = 7;
const LONGEST_HEAD = 4096;
const LONGEST_ITEM = 256 * 1024 * 1024;

const base64 = z.base64url();
const times = { mode: z.int(), mtimeNs: z.string().regex(/^-?\d+$/) };
const attributes = z.array(z.tuple([base64, base64]));
const itemSchema = z.discriminatedUnion("as", [
  /** Bytes cut out of a list: the digests tell it as it was before and after. */
  z.strictObject({
    as: z.literal("list"),
    path: base64,
    format: z.enum(["lines", "elements"]),
    before: z.string(),
    after: z.string(),
    parts: z.array(
      z.strictObject({
        start: z.int().nonnegative(),
        bytes: base64,
        /** What stood around it, of what stays. */
        ahead: base64,
        behind: base64,
      }),
    ),
  }),
  z.strictObject({ as: z.literal("file"), path: base64, size: z.int().nonnegative(), ...times, attributes }),
  z.strictObject({ as: z.literal("dir"), path: base64, ...times }),
  z.strictObject({ as: z.literal("link"), path: base64, target: base64, ...times }),
]);
export type KeptItem = z.output<typeof itemSchema>;
export type KeptList = Extract<KeptItem, { as: "list" }>;

const purpose = (id: string): string => `cleared/${id}`;
const message = (head: KeptHead): Buffer => Buffer.from(`eremos/2/cleared\n${JSON.stringify(headSchema.parse(head))}`);
const nameOf = (id: string): Buffer => Buffer.from(`${id}.cleared`);
const unfinished = (id: string): Buffer => Buffer.from(`${id}.new`);

const UNFINISHED = /^[0-9a-f]{32}\.new$/;

export interface KeepAs extends Pick<KeptHead, "folder" | "at" | "day"> {
  readonly directory: Buffer;
  /** The owner's, 32 bytes. */
  readonly publicKey: Buffer;
}

/** Writes what is cleared; it counts once {@link finish} has made it durable. */
export class KeptWriter {
  private readonly chunk = Buffer.alloc(CHUNK_BYTES);
  private readonly sealed = Buffer.alloc(SEALED_CHUNK_BYTES);
  private used = 0;
  private number = 0;
  private isOpen = true;

  private constructor(
    private readonly disk: Disk,
    private readonly dir: Dir,
    private readonly file: OpenFile,
    private readonly cipher: ObjectCipher,
    readonly id: string,
    private written: number,
  ) {}

  static async begin(disk: Disk, dir: Dir, keep: KeepAs, traces: number): Promise<KeptWriter> {
    const id = newId();
    const key = randomBytes(32);
    const head: KeptHead = {
      eremos: "cleared",
      version: 1,
      id,
      folder: keep.folder,
      at: keep.at,
      day: keep.day,
      traces,
      key: await sealTo(keep.publicKey, purpose(id), key),
    };
    const line = Buffer.from(`${JSON.stringify({ ...head, proof: disk.identity.prove(message(head)) })}\n`);
    sweepStale(disk, dir, UNFINISHED);
    const file = disk.create(dir, unfinished(id), 0o600);
    const writer = new KeptWriter(disk, dir, file, new ObjectCipher(key), id, line.length);
    try {
      disk.write(file, line, 0, line.length, 0);
      return writer;
    } catch (error) {
      takeBack(() => writer.abandon());
      throw error;
    }
  }

  item(item: KeptItem): void {
    const json = Buffer.from(JSON.stringify(item));
    const length = Buffer.alloc(4);
    length.writeUInt32LE(json.length);
    this.append(length);
    this.append(json);
  }

  append(bytes: Buffer): void {
    for (let at = 0; at < bytes.length;) {
      if (this.used === CHUNK_BYTES) this.seal(false);
      const count = bytes.copy(this.chunk, this.used, at);
      this.used += count;
      at += count;
    }
  }

  private seal(last: boolean): void {
    const count = this.cipher.seal(this.number++, last, this.chunk.subarray(0, this.used), this.sealed);
    this.disk.write(this.file, this.sealed, 0, count, this.written);
    this.written += count;
    this.used = 0;
  }

  finish(): void {
    this.seal(true);
    this.disk.syncFile(this.file);
    this.close();
    this.disk.rename(this.dir, unfinished(this.id), this.dir, nameOf(this.id));
    this.disk.syncDir(this.dir);
  }

  /** What was not finished goes. */
  abandon(): void {
    if (!this.isOpen) return;
    this.close();
    this.disk.unlink(this.dir, unfinished(this.id));
  }

  private close(): void {
    this.isOpen = false;
    this.disk.closeFile(this.file);
    this.chunk.fill(0);
    this.cipher.wipe();
  }
}

function headIn(disk: Disk, file: OpenFile): { readonly head: KeptHead; readonly length: number } | null {
  const bytes = Buffer.alloc(LONGEST_HEAD);
  const length = bytes.subarray(0, disk.read(file, bytes, 0, bytes.length, 0)).indexOf(0x0a) + 1;
  try {
    const { proof, ...head } = provenSchema.parse(JSON.parse(bytes.toString("utf8", 0, length)));
    return disk.identity.isOwn(message(head), proof) ? { head, length } : null;
  } catch {
    return null;
  }
}

/** What is kept in a directory, the newest first; what this computer did not write is left out. */
export function keptTracesIn(disk: Disk, directory: Buffer): KeptHead[] {
  try {
    return within(disk, disk.openRoot(directory), (dir) => headsIn(disk, dir));
  } catch (error) {
    if (systemCode(error) === "ENOENT") return [];
    throw error;
  }
}

function headsIn(disk: Disk, dir: Dir): KeptHead[] {
  return disk
    .list(dir)
    .filter((name) => name.toString("latin1").endsWith(".cleared") && disk.find(dir, name)?.type === "file")
    .flatMap((name) => withFile(disk, disk.openRead(dir, name), (file) => headIn(disk, file))?.head ?? [])
    .filter(({ id }) => disk.find(dir, nameOf(id)))
    .sort((a, b) => b.at - a.at);
}

export function forgetKept(disk: Disk, directory: Buffer, id: string): void {
  within(disk, disk.openRoot(directory), (dir) => {
    if (!disk.find(dir, nameOf(id))) return;
    disk.unlink(dir, nameOf(id));
    disk.syncDir(dir);
  });
}

/** Reads what was kept, every byte authenticated before it is given. */
export class KeptReader {
  private readonly plain = Buffer.alloc(CHUNK_BYTES);
  private held = 0;
  private at = 0;
  private number = 0;
  private isLast = false;
  /** Bytes of the last item's content that were not read. */
  private content = 0;

  private constructor(
    private readonly disk: Disk,
    private readonly file: OpenFile,
    private readonly cipher: ObjectCipher,
    private position: number,
  ) {}

  /** @throws EremosError `not-found` | `damaged` */
  static async open(disk: Disk, dir: Dir, id: string, privateKeys: readonly Buffer[]): Promise<KeptReader> {
    if (!disk.find(dir, nameOf(id))) throw damage(said("kept-is-gone"), { reason: "missing" });
    const file = disk.openRead(dir, nameOf(id));
    try {
      const found = headIn(disk, file);
      if (found?.head.id !== id) throw damage(said("kept-is-not-ours"));
      for (const privateKey of privateKeys) {
        const key = await openEnvelope(privateKey, purpose(id), found.head.key);
        if (key) return new KeptReader(disk, file, new ObjectCipher(key), found.length);
      }
      throw damage(said("kept-is-not-ours"));
    } catch (error) {
      disk.closeFile(file);
      throw error;
    }
  }

  /** The next item, or null behind the last. @throws EremosError `damaged` */
  item(): KeptItem | null {
    while (this.content > 0) this.contents();
    const length = Buffer.alloc(4);
    if (!this.take(length)) return null;
    const size = length.readUInt32LE(0);
    const json = Buffer.alloc(Math.min(size, LONGEST_ITEM));
    if (!this.take(json)) throw damage(said("kept-is-not-ours"));
    const item = itemSchema.parse(JSON.parse(json.toString("utf8")));
    this.content = item.as === "file" ? item.size : 0;
    return item;
  }

  /** The next bytes of the item's content; null at its end. @throws EremosError `damaged` */
  contents(): Buffer | null {
    if (this.content === 0) return null;
    const piece = this.piece(this.content);
    if (!piece) throw damage(said("kept-is-not-ours"), { reason: "truncated" });
    this.content -= piece.length;
    return piece;
  }

  /** The whole of `into`; false at the very end. @throws EremosError `damaged` */
  private take(into: Buffer): boolean {
    for (let done = 0; done < into.length;) {
      const piece = this.piece(into.length - done);
      if (!piece) {
        if (done === 0) return false;
        throw damage(said("kept-is-not-ours"), { reason: "truncated" });
      }
      done += piece.copy(into, done);
    }
    return true;
  }

  /** Up to so many bytes of what comes next; null at the end. */
  private piece(most: number): Buffer | null {
    while (this.at === this.held) {
      if (this.isLast) return null;
      this.open();
    }
    const piece = this.plain.subarray(this.at, Math.min(this.held, this.at + most));
    this.at += piece.length;
    return piece;
  }

  private open(): void {
    const sealed = Buffer.alloc(SEALED_CHUNK_BYTES);
    const count = this.disk.read(this.file, sealed, 0, sealed.length, this.position);
    this.isLast = this.position + count >= this.disk.statOpen(this.file).size;
    if (!this.cipher.open(this.number++, this.isLast, sealed.subarray(0, count), this.plain))
      throw damage(said("kept-is-not-ours"), { reason: "changed" });
    this.position += count;
    this.held = count - TAG_BYTES;
    this.at = 0;
  }

  close(): void {
    this.disk.closeFile(this.file);
    wipe(this.plain);
    this.cipher.wipe();
  }
}
