import { EremosError } from "../errors/eremos-error";
import { within } from "../engine/ground";
import type { DirNode, Visit } from "../engine/visiting";
import type { Dir, Disk, OpenFile } from "../platform/port";
import { said } from "@eremos/words/core/handover";

/** Names from the top down; each is one name. */
export type NamePath = readonly Buffer[];

/** A file that is being written; it is nothing until it is finished. */
export interface SinkFile {
  append(piece: Buffer): void;
  finish(mtimeNs: bigint): void;
  abort(): void;
}

/** Where what comes out of a package, or goes into a folder for somebody else, is put. */
export interface Sink {
  /** With every directory above it; one that is there stays as it is. */
  makeDir(path: NamePath): void;
  /** `size`: what was said of it, null: nothing. @throws EremosError `damaged` where it is not so */
  begin(path: NamePath, size: number | null): SinkFile;
  /** Bytes that the disk has left. */
  free(): number;
}

/** A directory that nobody else has: every step is taken from it by handles, so nothing is written outside. */
export class DirectorySink implements Sink {
  constructor(
    private readonly disk: Disk,
    private readonly root: Dir,
  ) {}

  free(): number {
    return this.disk.freeBytes(this.root);
  }

  makeDir(path: NamePath): void {
    this.inside(this.root, path, () => undefined);
  }

  begin(path: NamePath, size: number | null): SinkFile {
    const { disk } = this;
    const name = lastOf(path);
    const dir = this.inside(this.root, path.slice(0, -1), (found) => disk.enterDir(found, Buffer.from(".")));
    return new WrittenFile(disk, dir, disk.create(dir, name, 0o600), name, size);
  }

  private inside<T>(at: Dir, [name, ...rest]: NamePath, use: (dir: Dir) => T): T {
    if (!name) return use(at);
    if (!this.disk.find(at, name)) this.disk.makeDir(at, name, 0o700);
    return within(this.disk, this.disk.openDir(at, name), (next) => this.inside(next, rest, use));
  }

  /** Makes all of it durable, from the bottom up. */
  sync(at: Dir = this.root): void {
    for (const name of this.disk.list(at))
      if (this.disk.stat(at, name).type === "dir")
        within(this.disk, this.disk.openDir(at, name), (next) => this.sync(next));
    this.disk.syncDir(at);
  }
}

class WrittenFile implements SinkFile {
  private written = 0;
  private isOpen = true;

  constructor(
    private readonly disk: Disk,
    private readonly dir: Dir,
    private readonly file: OpenFile,
    private readonly name: Buffer,
    private readonly size: number | null,
  ) {}

  append(piece: Buffer): void {
    this.disk.write(this.file, piece, 0, piece.length, this.written);
    this.written += piece.length;
  }

  finish(mtimeNs: bigint): void {
    if (this.size !== null && this.size !== this.written) throw notOfItsSize();
    this.disk.setTimes(this.file, mtimeNs, mtimeNs);
    this.disk.syncFile(this.file);
    this.close();
  }

  abort(): void {
    if (!this.isOpen) return;
    this.disk.unlink(this.dir, this.name);
    this.close();
  }

  private close(): void {
    this.isOpen = false;
    this.disk.closeFile(this.file);
    this.disk.closeDir(this.dir);
  }
}

/** A sealed folder: encrypted as it comes, and there once the visit commits. */
export class SealedSink implements Sink {
  constructor(
    private readonly visit: Visit,
    private readonly disk: Disk,
    private readonly path: Buffer,
  ) {}

  free(): number {
    return within(this.disk, this.disk.openRoot(this.path), (dir) => this.disk.freeBytes(dir));
  }

  makeDir(path: NamePath): void {
    this.directory(path);
  }

  begin(path: NamePath, size: number | null): SinkFile {
    const { visit } = this;
    const dir = this.directory(path.slice(0, -1));
    const upload = visit.write(path.slice(0, -1), lastOf(path), size);
    let done = 0;
    return {
      append: (piece) => {
        done += piece.length;
        if (size !== null && done > size) throw notOfItsSize();
        upload.append(piece);
      },
      finish: (mtimeNs) => {
        if (size !== null && done !== size) throw notOfItsSize();
        const written = upload.finish();
        visit.add(dir, { ...written, meta: { ...written.meta, mtimeNs } });
      },
      abort: () => upload.abort(),
    };
  }

  private directory(path: NamePath): DirNode {
    let at = this.visit.root;
    for (const name of path) {
      const there = this.visit.child(at, name);
      at = there?.kind === "dir" ? there : this.visit.makeDir(at, name);
    }
    return at;
  }
}

function notOfItsSize(): EremosError {
  return new EremosError("damaged", said("is-not-of-its-size"));
}

function lastOf(path: NamePath): Buffer {
  const name = path.at(-1);
  if (!name) throw new TypeError("path: no name");
  return name;
}
