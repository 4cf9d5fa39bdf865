import { EremosError } from "../errors/eremos-error";
import { newId } from "../format/ids";
import type { Dir, Disk, OpenFile, Stat } from "../platform/port";
import { displayPath, splitPath, takeBack, withFile, within } from "../engine/ground";
import { said } from "@eremos/words/core/traces";

/** A list held open, as it stands. */
export interface HeldList {
  readonly dir: Dir;
  readonly name: Buffer;
  readonly file: OpenFile;
  readonly stat: Stat;
  readonly bytes: Buffer;
}

/**
 * A list of another program's, held while it is worked with. @throws EremosError `busy` where a program writes it,
 * `unsupported` where it has other names, system errors
 */
export function withList<T>(disk: Disk, path: Buffer, use: (list: HeldList) => T): T {
  const { parent, name } = splitPath(path);
  return within(disk, disk.openRoot(parent), (dir) =>
    withFile(disk, disk.openRead(dir, name), (file) => {
      const stat = disk.statOpen(file);
      if (stat.type !== "file" || stat.nlink !== 1)
        throw new EremosError("unsupported", said("has-other-names", { path: displayPath(path) }));
      if (disk.isWritten(dir, name) === true)
        throw new EremosError("busy", said("is-being-written", { path: displayPath(path) }));
      return use({ dir, name, file, stat, bytes: wholeOf(disk, file) });
    }),
  );
}

function wholeOf(disk: Disk, file: OpenFile): Buffer {
  const bytes = Buffer.alloc(disk.statOpen(file).size);
  return bytes.subarray(0, disk.read(file, bytes, 0, bytes.length, 0));
}

export function isUntouched(a: Stat, b: Stat): boolean {
  return a.dev === b.dev && a.ino === b.ino && a.size === b.size && a.mtimeNs === b.mtimeNs && a.ctimeNs === b.ctimeNs;
}

const BESIDE = /^\.[0-9a-f]{32}\.eremos$/;
/** What somebody still writes is younger. */
const STALE_MS = 3600 * 1000;

/**
 * Under which a file is written before it takes its place: a name that nobody else has, since two may be at it. What a
 * kill left beside it goes.
 */
export function besideOf(disk: Disk, dir: Dir): Buffer {
  sweepStale(disk, dir, BESIDE);
  return Buffer.from(`.${newId()}.eremos`);
}

/** Removes what was not finished, once nobody can be at it any more. */
export function sweepStale(disk: Disk, dir: Dir, names: RegExp): void {
  const before = BigInt(Date.now() - STALE_MS) * 1_000_000n;
  for (const name of disk.list(dir).filter((one) => names.test(one.toString("latin1")))) {
    const stat = disk.find(dir, name);
    if (stat?.type === "file" && stat.mtimeNs < before) takeBack(() => disk.unlink(dir, name));
  }
}

/**
 * Puts other bytes in the place of a list's, with its rights and attributes: written beside, made durable, renamed over.
 * What a program wrote into the old file up to the last moment comes along: `made` is asked again for what it is then.
 * `spare`: the old file gets this name beside it, for whoever writes over it.
 * @throws EremosError `busy` where it is not what it was, system errors; it is as it was then
 */
export function rewriteList(
  disk: Disk,
  list: HeldList,
  made: (bytes: Buffer) => Buffer,
  spare: Buffer | null = null,
): void {
  const { dir, name, file, stat } = list;
  const beside = besideOf(disk, dir);
  const written = disk.create(dir, beside, 0o600);
  try {
    try {
      fill(disk, written, made(list.bytes));
      dress(disk, file, written, stat);
      disk.syncFile(written);
      if (!isUntouched(disk.stat(dir, name), stat))
        throw new EremosError("busy", said("changed-meanwhile", { path: displayPath(name) }));
      if (spare) disk.makeHardLink(dir, name, dir, spare);
      disk.rename(dir, beside, dir, name);
    } catch (error) {
      takeBack(() => disk.unlink(dir, beside));
      if (spare && disk.find(dir, spare)) takeBack(() => disk.unlink(dir, spare));
      throw error;
    }
    const late = disk.statOpen(file);
    if (late.size !== stat.size || late.mtimeNs !== stat.mtimeNs) {
      disk.truncate(written, 0);
      fill(disk, written, made(wholeOf(disk, file)));
      disk.syncFile(written);
    }
    disk.syncDir(dir);
  } finally {
    disk.closeFile(written);
  }
}

function fill(disk: Disk, file: OpenFile, bytes: Buffer): void {
  if (bytes.length > 0) disk.write(file, bytes, 0, bytes.length, 0);
}

/** With the owners, rights and attributes of another one. */
function dress(disk: Disk, from: OpenFile, to: OpenFile, stat: Stat): void {
  const now = disk.statOpen(to);
  if (now.uid !== stat.uid || now.gid !== stat.gid) disk.setOwner(to, stat.uid, stat.gid);
  for (const attribute of disk.xattrs(from)) disk.setXattr(to, attribute);
  disk.setOpenMode(to, stat.mode);
}
