import { damage, isEremosError, isUnreadable, systemCode } from "../../errors/eremos-error";
import type { Dir, Disk } from "../../platform/port";
import { withFile } from "./handles";
import { said } from "@eremos/words/core/ground";

/**
 * The whole of a small file, or null when there is none. @throws EremosError `damaged` where something else stands in
 * its place, or the disk can't read it
 */
export function readSmallFile(disk: Disk, dir: Dir, name: Buffer, maxBytes = 64 * 1024 * 1024): Buffer | null {
  try {
    return readThere(disk, dir, name, maxBytes);
  } catch (error) {
    if (systemCode(error) === "ENOENT") return null;
    if (isUnreadable(error))
      throw damage(said("lies-where-disk-cant-read", { name: name.toString("utf8") }), {
        reason: "unreadable",
      });
    throw error;
  }
}

/**
 * The same, and null for one that can't be read, or that something else stands in the place of, too: for what is
 * written anew then, or done without.
 */
export function readIfWhole(disk: Disk, dir: Dir, name: Buffer, maxBytes?: number): Buffer | null {
  try {
    return readSmallFile(disk, dir, name, maxBytes);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** Whether the file is there with exactly these bytes. */
export function holdsBytes(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): boolean {
  return readIfWhole(disk, dir, name, bytes.length)?.equals(bytes) ?? false;
}

function readThere(disk: Disk, dir: Dir, name: Buffer, maxBytes: number): Buffer {
  const file = disk.openRead(dir, name);
  try {
    const { type, size: whole } = disk.statOpen(file);
    if (type !== "file") throw damage(said("is-no-file-so-it", { name: name.toString("utf8") }));
    const size = Math.min(whole, maxBytes + 1);
    const bytes = Buffer.alloc(size);
    return bytes.subarray(0, disk.read(file, bytes, 0, size, 0));
  } finally {
    disk.closeFile(file);
  }
}

/** Files in one directory, written beside, made durable, renamed over in this order, and the directory made durable. */
export function commitFiles(disk: Disk, dir: Dir, names: readonly Buffer[], bytes: Buffer): void {
  const beside = names.map((name) => Buffer.concat([name, Buffer.from(".new")]));
  for (const name of beside) {
    if (disk.find(dir, name)) disk.unlink(dir, name);
    withFile(disk, disk.create(dir, name, 0o600), (file) => {
      disk.write(file, bytes, 0, bytes.length, 0);
      disk.syncFile(file);
    });
  }
  names.forEach((name, i) => disk.rename(dir, beside[i] ?? name, dir, name));
  disk.syncDir(dir);
}

export function commitFile(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  commitFiles(disk, dir, [name], bytes);
}

/** Writes without making durable: the barrier before the next state record does that for all at once. */
export function writeFile(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  if (disk.find(dir, name)) disk.unlink(dir, name);
  withFile(disk, disk.create(dir, name, 0o600), (file) => {
    disk.write(file, bytes, 0, bytes.length, 0);
  });
}

export function ensureDir(disk: Disk, dir: Dir, name: Buffer): Dir {
  if (!disk.find(dir, name)) disk.makeDir(dir, name, 0o700);
  return disk.openDir(dir, name);
}
