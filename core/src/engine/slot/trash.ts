import { EremosError, systemCode } from "../../errors/eremos-error";
import { ownOrMarked } from "../../format/marked-name";
import type { Dir, Disk } from "../../platform/port";
import { displayPath, joinPath, percentEncoded, splitPath, takeBack, within } from "../ground";
import { said } from "@eremos/words/core/slot";

/** The account's trash: the one in its home, and its number, by which those of other disks are named. */
export interface Trash {
  readonly home: Buffer;
  readonly uid: number;
}

const FILES = Buffer.from("files");
const INFO = Buffer.from("info");

/**
 * Moves an entry into the trash of its own disk, from where the desktop puts it back. Source: freedesktop.org Trash
 * specification 1.0. @throws EremosError `unsupported` where its disk has no trash of this account's
 */
export function intoTrash(disk: Disk, trash: Trash, dir: Dir, name: Buffer, path: Buffer): void {
  const { dev } = disk.stat(dir, name);
  const { at, top } = trashFor(disk, trash, dev, path);
  const noted = top === null ? path : path.subarray(top.length + (top.length > 1 ? 1 : 0));
  within(disk, madeDir(disk, at), (root) =>
    within(disk, enter(disk, root, INFO), (info) =>
      within(disk, enter(disk, root, FILES), (files) => {
        const free = noteIn(disk, info, files, name, noted);
        try {
          disk.renameExclusive(dir, name, files, free);
        } catch (error) {
          takeBack(() => disk.unlink(info, infoName(free)));
          throw error;
        }
        disk.syncDir(files);
        disk.syncDir(info);
      }),
    ),
  );
}

function infoName(name: Buffer): Buffer {
  return Buffer.concat([name, Buffer.from(".trashinfo")]);
}

/** Written before the entry comes, under a name that neither has: the specification's order and its form of paths. */
function noteIn(disk: Disk, info: Dir, files: Dir, name: Buffer, path: Buffer): Buffer {
  const fields = { Path: percentEncoded(path), DeletionDate: localTime(new Date()) };
  const lines = Object.entries(fields).map(([field, value]) => `${field}=${value}\n`);
  const bytes = Buffer.from(["[Trash Info]\n", ...lines].join(""));
  for (const free of ownOrMarked(name, "new")) {
    if (disk.find(files, free)) continue;
    try {
      const file = disk.create(info, infoName(free), 0o600);
      try {
        disk.write(file, bytes, 0, bytes.length, 0);
        disk.syncFile(file);
      } finally {
        disk.closeFile(file);
      }
      return free;
    } catch (error) {
      if (systemCode(error) !== "EEXIST") throw error;
    }
  }
  throw new EremosError("path-taken", said("trash-has-no-name-left"));
}

function localTime(now: Date): string {
  return new Date(now.getTime() - now.getTimezoneOffset() * 60_000).toISOString().slice(0, 19);
}

/** The home's trash for what lies on its disk; for other disks the account's own at their top. */
function trashFor(disk: Disk, { home, uid }: Trash, dev: bigint, path: Buffer): { at: Buffer; top: Buffer | null } {
  if (devOf(disk, home) === dev) return { at: home, top: null };
  let top = splitPath(path).parent;
  for (let up = parentOf(top); up !== null && devOf(disk, up) === dev; up = parentOf(up)) top = up;
  if (devOf(disk, top) !== dev)
    throw new EremosError("unsupported", said("there-is-no-trash", { path: displayPath(path) }));
  return { at: joinPath(top, Buffer.from(`.Trash-${uid}`)), top };
}

function parentOf(path: Buffer): Buffer | null {
  return path.length < 2 ? null : splitPath(path).parent;
}

/** Of the path, or of what it would be made in. */
function devOf(disk: Disk, path: Buffer): bigint | null {
  for (let at: Buffer | null = path; at !== null; at = parentOf(at)) {
    try {
      return within(disk, disk.openRoot(at), (dir) => disk.statOpen(dir).dev);
    } catch (error) {
      if (systemCode(error) !== "ENOENT") throw error;
    }
  }
  return null;
}

/** For this account alone, made where it is not there; nothing that is no directory is followed. */
function madeDir(disk: Disk, path: Buffer): Dir {
  try {
    return disk.openRoot(path);
  } catch (error) {
    if (systemCode(error) !== "ENOENT") throw error;
    const { parent, name } = splitPath(path);
    return within(disk, madeDir(disk, parent), (dir) => enter(disk, dir, name));
  }
}

/** @throws EremosError `unsupported` for one that is somebody else's: what is in it would be theirs to read */
function enter(disk: Disk, dir: Dir, name: Buffer): Dir {
  if (!disk.find(dir, name)) {
    disk.makeDir(dir, name, 0o700);
    disk.syncDir(dir);
  }
  const entered = disk.openDir(dir, name);
  if (disk.owns(disk.statOpen(entered))) return entered;
  disk.closeDir(entered);
  throw new EremosError("unsupported", said("trash-is-somebody-elses", { name: displayPath(name) }));
}
