import * as fs from "node:fs";
import * as path from "node:path";
import { ODD_NAME } from "../format/held-name";
import type { Dress, Dresser } from "./dresser";

/**
 * A directory that is read or written without ever being left: it is held open, and each name in it is looked up in
 * what is held, so that nothing that somebody exchanges meanwhile leads elsewhere. No link is followed, and nothing
 * that is no regular file is waited for. By plain Node, for readers without Eremos. Where the system has no
 * `/proc/self/fd`, names are looked up by path, and a link that is put there in that instant would be followed.
 */
const { O_RDONLY, O_RDWR, O_CREAT, O_EXCL, O_DIRECTORY = 0, O_NOFOLLOW = 0, O_NONBLOCK = 0 } = fs.constants;
/** Source: open(2). */
const O_PATH = 0o10000000;
const HAS_DESCRIPTORS = process.platform === "linux" && fs.existsSync("/proc/self/fd");
const SLASH = Buffer.from(path.sep);

export class HeldDirectory {
  private constructor(
    private readonly descriptor: number,
    private readonly path: Buffer,
  ) {}

  static open(at: Buffer): HeldDirectory {
    return new HeldDirectory(fs.openSync(at, O_RDONLY | O_DIRECTORY | O_NOFOLLOW), at);
  }

  /** Where a name in it is, for calls that take a path. */
  private at(name: Buffer): Buffer {
    return Buffer.concat([HAS_DESCRIPTORS ? Buffer.from(`/proc/self/fd/${this.descriptor}`) : this.path, SLASH, name]);
  }

  close(): void {
    fs.closeSync(this.descriptor);
  }

  list(): Buffer[] {
    return fs
      .readdirSync(HAS_DESCRIPTORS ? `/proc/self/fd/${this.descriptor}` : this.path, { encoding: "buffer" })
      .sort(Buffer.compare);
  }

  /** The entry itself, a link not followed; null where there is none. */
  find(name: Buffer): fs.Stats | null {
    return fs.lstatSync(this.at(name), { throwIfNoEntry: false }) ?? null;
  }

  /** @throws ENOTDIR or ELOOP where it is no directory of its own */
  enter(name: Buffer): HeldDirectory {
    return new HeldDirectory(
      fs.openSync(this.at(name), O_RDONLY | O_DIRECTORY | O_NOFOLLOW),
      Buffer.concat([this.path, SLASH, name]),
    );
  }

  /** Of a regular file; null for anything else. The caller closes the descriptor. */
  openRead(name: Buffer): number | null {
    let descriptor: number;
    try {
      descriptor = fs.openSync(this.at(name), O_RDONLY | O_NOFOLLOW | O_NONBLOCK);
    } catch (error) {
      if (isNoFile(error)) return null;
      throw error;
    }
    if (fs.fstatSync(descriptor).isFile()) return descriptor;
    fs.closeSync(descriptor);
    return null;
  }

  /** A new file. @throws EEXIST where something has the name */
  create(name: Buffer): number {
    return fs.openSync(this.at(name), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW, 0o600);
  }

  /** Whether it holds every name, and tells case: by a file that is made and taken away again. */
  holdsNames(): boolean {
    try {
      fs.closeSync(this.create(ODD_NAME));
      const holds =
        this.list().some((name) => name.equals(ODD_NAME)) &&
        !this.find(Buffer.from(ODD_NAME.toString("latin1").toUpperCase(), "latin1"));
      fs.unlinkSync(this.at(ODD_NAME));
      return holds;
    } catch {
      return false;
    }
  }

  makeDir(name: Buffer): void {
    fs.mkdirSync(this.at(name), { mode: 0o700 });
  }

  makeLink(name: Buffer, target: Buffer): void {
    fs.symlinkSync(target, this.at(name));
  }

  /** What belongs to a link. */
  linkDress(dresser: Dresser, name: Buffer): Dress {
    return dresser.ofLink(this.descriptor, name, this.at(name));
  }

  dressLink(dresser: Dresser, name: Buffer, dress: Dress): readonly string[] {
    return dresser.giveLink(this.descriptor, name, this.at(name), dress);
  }

  /** Another name of a file in a directory that is held. */
  makeHardLink(from: HeldDirectory, fromName: Buffer, name: Buffer): void {
    fs.linkSync(from.at(fromName), this.at(name));
  }

  readLink(name: Buffer): Buffer {
    return fs.readlinkSync(this.at(name), { encoding: "buffer" });
  }

  rename(from: Buffer, to: Buffer): void {
    fs.renameSync(this.at(from), this.at(to));
  }

  /** With all that is in it; links are removed, not followed. */
  remove(name: Buffer): void {
    fs.rmSync(this.at(name), { recursive: true, force: true });
  }

  /** Of an entry that may not be opened for reading; a link's is left alone. */
  setMode(name: Buffer, mode: number): void {
    if (!HAS_DESCRIPTORS)
      return this.find(name)?.isSymbolicLink() === false ? fs.chmodSync(this.at(name), mode) : undefined;
    const descriptor = fs.openSync(this.at(name), O_PATH | O_NOFOLLOW);
    try {
      if (!fs.fstatSync(descriptor).isSymbolicLink()) fs.chmodSync(`/proc/self/fd/${descriptor}`, mode);
    } finally {
      fs.closeSync(descriptor);
    }
  }

  /** What belongs to the directory itself. */
  ownDress(dresser: Dresser): Dress {
    return dresser.of(this.descriptor);
  }

  dress(dresser: Dresser, dress: Dress): readonly string[] {
    return dresser.give(this.descriptor, dress);
  }
}

/** The errno of a name that is no directory any more, or a link. */
export function isNoDirectory(error: unknown): boolean {
  return error instanceof Error && "code" in error && ["ENOTDIR", "ELOOP", "ENOENT"].includes(String(error.code));
}

/** A link, or a socket: neither opens as a file. */
function isNoFile(error: unknown): boolean {
  return error instanceof Error && "code" in error && ["ELOOP", "ENXIO"].includes(String(error.code));
}
