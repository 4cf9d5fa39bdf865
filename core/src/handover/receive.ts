import { EremosError, fromSystemError } from "../errors/eremos-error";
import { type Hooks, Meter, OWN_DIR_NAME, displayPath, splitPath } from "../engine/ground";
import { type Committed, Visit, type VisitInput } from "../engine/visiting";
import { printable } from "../errors/printable";
import { isName } from "../format/tree";
import type { Disk } from "../platform/port";
import type { StayedOut } from "./collected";
import type { ArchiveCipherKind, OpenedArchive } from "./opened-archive";
import { type Readable, notThere, openPage, pageHeadIn, readableFile } from "./package-file";
import { DirectorySink, type NamePath, SealedSink, type Sink } from "./sink";
import { madeWhole } from "./staging";
import { said, say } from "@eremos/words/core/handover";

export interface ReceiveInput {
  /** The package. */
  readonly from: Buffer;
  /** UTF-8 of its NFC; empty: none. */
  readonly password: Uint8Array;
  readonly into:
    /** Readable, as a new directory. */
    | { readonly kind: "directory"; readonly path: Buffer }
    /** Into a locked folder: nothing of it is ever readable on the disk. */
    | { readonly kind: "sealed"; readonly visit: VisitInput };
}

export interface Received {
  readonly files: number;
  readonly bytes: number;
  readonly form: "page" | "zip";
  readonly cipher: ArchiveCipherKind;
  /** What was not taken out, by its name, and why. */
  readonly left: readonly StayedOut[];
  /** The state of a locked folder since. */
  readonly committed: Committed | null;
}

/** The disk keeps this much, whatever an archive goes on to hold. */
const KEEPS_FREE = 64 * 1024 * 1024;
/** How often it is looked at: after so many bytes. */
const LOOKS_EACH = 16 * 1024 * 1024;

/**
 * Takes out what is in a package. All of it is there when it is whole, or nothing is. @throws EremosError `not-found` |
 * `path-taken` | `wrong-password` | `damaged` | `unsupported` | `no-space` | `cancelled` | `io`
 */
export async function receive(disk: Disk, input: ReceiveInput, hooks: Hooks): Promise<Received> {
  const { parent, name } = splitPath(input.from);
  try {
    return await holding(
      disk.openRoot(parent),
      (dir) => disk.closeDir(dir),
      async (dir) => {
        if (disk.find(dir, name)?.type !== "file") throw notThere(displayPath(input.from));
        return holding(
          disk.openRead(dir, name),
          (file) => disk.closeFile(file),
          (file) => receiveFrom(disk, input, readableFile(disk, file), hooks),
        );
      },
    );
  } catch (error) {
    throw fromSystemError(error, said("receiving-a-package"));
  }
}

async function holding<T, R>(held: T, letGo: (held: T) => void, use: (held: T) => Promise<R>): Promise<R> {
  try {
    return await use(held);
  } finally {
    letGo(held);
  }
}

async function receiveFrom(
  disk: Disk,
  { password, into }: ReceiveInput,
  file: Readable,
  hooks: Hooks,
): Promise<Received> {
  const { openArchive } = await import("./opened-archive");
  const head = await pageHeadIn(file);
  const archive = await openArchive(head ? await openPage(file, head, password) : file, password);
  const fill = (sink: Sink): Promise<Taken> => takeOut(archive, sink, hooks);
  const shared = { form: head ? "page" : "zip", cipher: head ? "aes" : archive.cipher } as const;
  if (into.kind === "directory") return { ...shared, ...(await intoDirectory(disk, into.path, fill)), committed: null };
  const visit = await Visit.open(disk, into.visit);
  try {
    const taken = await fill(new SealedSink(visit, disk, into.visit.path));
    visit.commit();
    return { ...shared, ...taken, committed: visit.committed };
  } finally {
    visit.close();
  }
}

type Taken = Pick<Received, "files" | "bytes" | "left">;

/** Under another name until all of it is durable. */
function intoDirectory(disk: Disk, to: Buffer, fill: (sink: Sink) => Promise<Taken>): Promise<Taken> {
  return madeWhole(disk, to, (staging, name) => {
    disk.makeDir(staging, name, 0o700);
    return holding(
      disk.openDir(staging, name),
      (made) => disk.closeDir(made),
      async (made) => {
        const sink = new DirectorySink(disk, made);
        const filled = await fill(sink);
        sink.sync();
        return filled;
      },
    );
  });
}

async function takeOut(archive: OpenedArchive, sink: Sink, hooks: Hooks): Promise<Taken> {
  const left: StayedOut[] = [];
  const names = new Names();
  const claimed = archive.entries.reduce((sum, { uncompressedSize }) => sum + uncompressedSize, 0);
  const meter = new Meter(hooks, "restoring", archive.entries.length, claimed);
  const room = new Room(sink);
  let [files, bytes] = [0, 0];
  for (const entry of archive.entries) {
    const { filename, directory, lastModDate } = entry;
    const path = names.taking(filename, directory, isLink(entry));
    if (typeof path === "string") {
      left.push({ path: printable(filename), reason: path });
      continue;
    }
    if (entry.directory) {
      sink.makeDir(path);
      continue;
    }
    const file = sink.begin(path, entry.uncompressedSize);
    try {
      await archive.read(entry, (piece) => {
        room.take(piece.length);
        file.append(piece);
        bytes += piece.length;
        meter.add(0, piece.length);
        meter.stopIfCancelled();
      });
      file.finish(BigInt(lastModDate.getTime()) * 1_000_000n);
    } catch (error) {
      file.abort();
      throw error;
    }
    files += 1;
    meter.add(1, 0);
  }
  return { files, bytes, left };
}

/** An archive may hold more than it says: what counts is what was written, and what the disk has left. */
class Room {
  private left = 0;

  constructor(private readonly sink: Sink) {}

  take(bytes: number): void {
    this.left -= bytes;
    if (this.left > 0) return;
    const free = this.sink.free() - KEEPS_FREE;
    if (free < bytes) throw new EremosError("no-space", said("no-room-for-what-is-in-it"));
    this.left = Math.min(LOOKS_EACH, free);
  }
}

const UNIX = 3;
const KIND = 0o170_000;
const LINK = 0o120_000;
const FILE = 0o100_000;
const DIRECTORY = 0o040_000;

function isLink({
  versionMadeBy,
  externalFileAttributes,
}: {
  readonly versionMadeBy: number;
  readonly externalFileAttributes: number;
}): boolean {
  if (versionMadeBy >> 8 !== UNIX) return false;
  const kind = (externalFileAttributes >>> 16) & KIND;
  return kind === LINK || (kind !== 0 && kind !== FILE && kind !== DIRECTORY);
}

const LONGEST_NAME = 255;
const DEEPEST = 100;

/** Which names an archive may have: each once, each a name below the folder, and none that is a folder and a file. */
class Names {
  private readonly files = new Set<string>();
  private readonly dirs = new Set<string>();

  /** The path of an entry, or why it is not taken. */
  taking(filename: string, isDirectory: boolean, isNoFile: boolean): NamePath | string {
    if (isNoFile) return say("is-a-link");
    const parts = (isDirectory ? filename.replace(/\/$/, "") : filename).split("/");
    const path = parts.map((part) => Buffer.from(part));
    if (parts.length > DEEPEST || !path.every(isFit)) return say("is-no-name-to-take");
    const keys = parts.map((_, i) =>
      parts
        .slice(0, i + 1)
        .join("/")
        .normalize("NFC"),
    );
    const whole = keys.at(-1) ?? "";
    const above = isDirectory ? keys : keys.slice(0, -1);
    if (above.some((key) => this.files.has(key)) || (!isDirectory && (this.files.has(whole) || this.dirs.has(whole))))
      return say("is-there-twice");
    for (const key of above) this.dirs.add(key);
    if (!isDirectory) this.files.add(whole);
    return path;
  }
}

/** No backslash either: elsewhere it parts directories. */
function isFit(name: Buffer): boolean {
  const text = name.toString("utf8");
  return (
    isName(name) &&
    name.length <= LONGEST_NAME &&
    !text.includes("\\") &&
    !/^[A-Za-z]:/.test(text) &&
    printable(text) === text &&
    !name.equals(OWN_DIR_NAME)
  );
}
