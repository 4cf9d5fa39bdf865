import { createCipheriv, createHmac, pbkdf2Sync } from "node:crypto";
import { type Entry, type FileEntry, Reader, ZipReader, configure } from "@zip.js/zip.js";
import { EremosError, damage, isEremosError } from "../errors/eremos-error";
import { INNER_NAME } from "./archive";
import type { Readable } from "./package-file";
import { said } from "@eremos/words/core/handover";

configure({ useWebWorkers: false });

/** How contents of an archive are encrypted; `weak`: in the old way, which is broken in minutes. */
export type ArchiveCipherKind = "none" | "weak" | "aes";

export interface OpenedArchive {
  readonly entries: readonly Entry[];
  readonly cipher: ArchiveCipherKind;
  /** Hands on the contents of one. @throws EremosError `wrong-password` | `damaged` */
  read(entry: FileEntry, put: (piece: Buffer) => void): Promise<void>;
}

const LONGEST_LIST = 1_000_000;
const LARGEST_LIST_BYTES = 256 * 1024 * 1024;

/**
 * An archive, whoever made it. Of one whose names are hidden within another, the inner one. @throws EremosError
 * `wrong-password` | `damaged` | `unsupported` | `needs-password`
 */
export async function openArchive(file: Readable, password: Uint8Array): Promise<OpenedArchive> {
  const opened = await listed(file, password);
  const [only, ...more] = opened.entries;
  if (more.length > 0 || !only || only.directory || only.filename !== INNER_NAME || opened.cipher !== "aes")
    return opened;
  if (only.extraFieldAES?.compressionMethod !== 0) return opened;
  const inner = await listed(await StoredInside.open(file, only, password), password);
  return { ...inner, cipher: "aes" };
}

async function listed(file: Readable, password: Uint8Array): Promise<OpenedArchive> {
  const zip = new ZipReader(new Source(file), {
    filenameValidation: "tolerant",
    checkOverlappingEntry: true,
    checkSignature: true,
    rawPassword: password,
  });
  const entries: Entry[] = [];
  await translating(async () => {
    for await (const entry of zip.getEntriesGenerator()) {
      if (entries.push(entry) > LONGEST_LIST) throw new EremosError("unsupported", said("too-many-entries"));
    }
  });
  const encrypted = entries.filter((entry) => entry.encrypted);
  const isWeak = encrypted.some((entry) => !entry.extraFieldAES);
  return {
    entries,
    cipher: isWeak ? "weak" : encrypted.length > 0 ? "aes" : "none",
    read: (entry, put) =>
      translating(() =>
        entry.getData(new WritableStream<Uint8Array>({ write: (piece) => put(bufferOf(piece)) })).then(() => undefined),
      ),
  };
}

function bufferOf(bytes: Uint8Array): Buffer {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length);
}

class Source extends Reader<Readable> {
  constructor(private readonly file: Readable) {
    super(file);
    this.size = file.size;
  }

  /** Contents are read piece by piece; only its list, which anybody may make as long as they like, is read at once. */
  override async readUint8Array(index: number, length: number): Promise<Uint8Array> {
    if (length > LARGEST_LIST_BYTES) throw new EremosError("unsupported", said("too-many-entries"));
    return Uint8Array.from(await this.file.read(index, length));
  }
}

const WRONG_PASSWORD = /invalid password/i;
const NOT_SUPPORTED = /(encryption|compression|method|split).*(not supported|unsupported)|unsupported|split zip/i;
const CUT_OFF = /end of central directory|central directory not found|out of bounds/i;

/** Says in our words what the archive's reader found. */
async function translating<T>(use: () => Promise<T>): Promise<T> {
  try {
    return await use();
  } catch (error) {
    if (isEremosError(error) || !(error instanceof Error) || "syscall" in error) throw error;
    const { message } = error;
    if (WRONG_PASSWORD.test(message)) throw new EremosError("wrong-password", said("password-opens-no-package"));
    if (/contains encrypted/i.test(message)) throw new EremosError("wrong-password", said("it-asks-for-a-password"));
    if (NOT_SUPPORTED.test(message)) throw new EremosError("unsupported", said("is-packed-in-another-way"));
    if (CUT_OFF.test(message)) throw damage(said("package-was-cut-off"), { reason: "cut off" });
    throw damage(said("archive-is-damaged"), { reason: message });
  }
}

const LOCAL_HEADER = 30;
const SALT = 16;
const CHECK = 2;
const CODE = 10;
const KEY = 32;
const BLOCK = 16;
const ITERATIONS = 1000;
const PIECE_BYTES = 1024 * 1024;

/**
 * What is stored, and encrypted by AES-256, in an archive, read from anywhere in it: its whole code is proven first.
 * Source: the extra field 0x9901, "AE-2".
 */
class StoredInside implements Readable {
  private constructor(
    private readonly file: Readable,
    private readonly from: number,
    readonly size: number,
    private readonly key: Buffer,
  ) {}

  static async open(file: Readable, entry: Entry, password: Uint8Array): Promise<StoredInside> {
    const local = await file.read(entry.offset, LOCAL_HEADER);
    if (local.length < LOCAL_HEADER || entry.compressedSize < SALT + CHECK + CODE)
      throw damage(said("archive-is-damaged"));
    const from = entry.offset + LOCAL_HEADER + local.readUInt16LE(26) + local.readUInt16LE(28);
    const begin = await file.read(from, SALT + CHECK);
    const keys = pbkdf2Sync(password, begin.subarray(0, SALT), ITERATIONS, 2 * KEY + CHECK, "sha1");
    if (!keys.subarray(2 * KEY).equals(begin.subarray(SALT)))
      throw new EremosError("wrong-password", said("password-opens-no-package"));
    const size = entry.compressedSize - SALT - CHECK - CODE;
    const code = createHmac("sha1", keys.subarray(KEY, 2 * KEY));
    const at = from + SALT + CHECK;
    for (let done = 0; done < size; done += PIECE_BYTES)
      code.update(await file.read(at + done, Math.min(PIECE_BYTES, size - done)));
    const proof = await file.read(at + size, CODE);
    if (!code.digest().subarray(0, CODE).equals(proof)) throw damage(said("archive-is-damaged"));
    return new StoredInside(file, at, size, Buffer.from(keys.subarray(0, KEY)));
  }

  async read(offset: number, length: number): Promise<Buffer> {
    const end = Math.min(this.size, offset + length);
    if (offset >= end) return Buffer.alloc(0);
    const first = Math.floor(offset / BLOCK);
    const bytes = await this.file.read(this.from + first * BLOCK, end - first * BLOCK);
    const counters = Buffer.alloc(Math.ceil(bytes.length / BLOCK) * BLOCK);
    for (let i = 0; i < counters.length; i += BLOCK) counters.writeUIntLE(first + 1 + i / BLOCK, i, 6);
    const cipher = createCipheriv("aes-256-ecb", this.key, null).setAutoPadding(false);
    const stream = cipher.update(counters);
    for (let i = 0; i < bytes.length; i++) bytes[i] = (bytes[i] ?? 0) ^ (stream[i] ?? 0);
    return bytes.subarray(offset - first * BLOCK);
  }
}
