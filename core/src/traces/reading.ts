import { isEremosError, systemCode } from "../errors/eremos-error";
import type { Dir, Disk } from "../platform/port";
import type { Finding } from "./trace";
import { say } from "@eremos/words/core/traces";
import { joinPath, readSmallFile, splitPath, withFile, within } from "../engine/ground";

/** What no list of a desktop reaches. */
const MOST_BYTES = 64 * 1024 * 1024;
const NOT_THERE = new Set(["ENOENT", "ENOTDIR", "ELOOP", "EACCES"]);

export function orNull<T>(look: () => T): T | null {
  try {
    return look();
  } catch (error) {
    if (NOT_THERE.has(systemCode(error) ?? "") || (isEremosError(error) && error.code === "not-found")) return null;
    throw error;
  }
}

/** A file as it stands; null where there is none. What is no file of its own is told of, and left alone. */
export function listAt({ disk, trouble }: Pick<Finding, "disk" | "trouble">, path: Buffer): Buffer | null {
  const { parent, name } = splitPath(path);
  return orNull(() =>
    within(disk, disk.openRoot(parent), (dir) => {
      const type = disk.find(dir, name)?.type;
      if (type === "file") return readSmallFile(disk, dir, name, MOST_BYTES);
      if (type !== undefined) trouble(path, say("is-no-file-of-its-own"));
      return null;
    }),
  );
}

/** The beginning of each file of a directory, and its path; nothing where there is no directory. */
export function* beginnings(
  disk: Disk,
  directory: Buffer,
  length: number,
): Generator<{ readonly path: Buffer; readonly name: Buffer; readonly bytes: Buffer }> {
  const dir = orNull(() => disk.openRoot(directory));
  if (!dir) return;
  try {
    const buffer = Buffer.allocUnsafe(length);
    for (const name of disk.list(dir)) {
      if (disk.find(dir, name)?.type !== "file") continue;
      const file = orNull(() => disk.openRead(dir, name));
      if (!file) continue;
      try {
        const count = disk.read(file, buffer, 0, length, 0);
        yield { path: joinPath(directory, name), name, bytes: Buffer.from(buffer.subarray(0, count)) };
      } finally {
        disk.closeFile(file);
      }
    }
  } finally {
    disk.closeDir(dir);
  }
}

/** The entries of a directory; none where there is none. */
export function namesAt(disk: Disk, directory: Buffer): { readonly name: Buffer; readonly path: Buffer }[] {
  const names = orNull(() => within(disk, disk.openRoot(directory), (dir) => disk.list(dir))) ?? [];
  return names.map((name) => ({ name, path: joinPath(directory, name) }));
}

/** Directories in a directory. */
export function directoriesAt(disk: Disk, directory: Buffer): Buffer[] {
  return (
    orNull(() =>
      within(disk, disk.openRoot(directory), (dir) =>
        disk
          .list(dir)
          .filter((name) => disk.find(dir, name)?.type === "dir")
          .map((name) => joinPath(directory, name)),
      ),
    ) ?? []
  );
}

export function isThere(disk: Disk, path: Buffer): boolean {
  const { parent, name } = splitPath(path);
  return orNull(() => within(disk, disk.openRoot(parent), (dir) => disk.find(dir, name))) !== null;
}

const PIECE = 1024 * 1024;

/** Whether a file holds any of these bytes. */
export function holdsAny(disk: Disk, path: Buffer, needles: readonly Buffer[]): boolean {
  const longest = Math.max(...needles.map(({ length }) => length));
  const { parent, name } = splitPath(path);
  const look = (dir: Dir): boolean => {
    if (disk.find(dir, name)?.type !== "file") return false;
    return withFile(disk, disk.openRead(dir, name), (file) => {
      const piece = Buffer.alloc(PIECE + longest);
      for (let at = 0; ; at += PIECE) {
        const bytes = piece.subarray(0, disk.read(file, piece, 0, piece.length, at));
        if (needles.some((needle) => bytes.includes(needle))) return true;
        if (bytes.length < piece.length) return false;
      }
    });
  };
  return orNull(() => within(disk, disk.openRoot(parent), look)) ?? false;
}

/** A directory, no link to one, and this account's. */
export function isOwnDirectoryAt(disk: Disk, path: Buffer): boolean {
  return orNull(() => within(disk, disk.openRoot(path), (dir) => disk.owns(disk.statOpen(dir)))) ?? false;
}
