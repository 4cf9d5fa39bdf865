import { systemCode } from "../../errors/eremos-error";
import { markedNames, ownOrMarked } from "../../format/marked-name";
import type { Dir, Disk } from "../../platform/port";
import { within } from "./handles";
import { OWNER_ALL, widen } from "./modes";

/**
 * To another directory under its own name, or a free one beside what has taken that. Where this account may not write a
 * directory, it may for the move.
 */
export function moveFreely(disk: Disk, from: Dir, to: Dir, name: Buffer): void {
  const mode = widen(disk, from, name);
  for (const free of namesFor(name)) {
    try {
      disk.renameExclusive(from, name, to, free);
      if (mode !== undefined) disk.setMode(to, free, mode);
      return;
    } catch (error) {
      if (systemCode(error) !== "EEXIST") throw error;
    }
  }
}

/** Its own name, then free ones beside what has taken that. */
export function namesFor(name: Buffer): Generator<Buffer> {
  return ownOrMarked(name, "arrived while locked");
}

/** A newcomer in the way of a restored entry keeps its content under a name that says what it is. */
export function moveAside(disk: Disk, dir: Dir, name: Buffer): void {
  for (const aside of markedNames(name, "arrived while locked")) {
    try {
      disk.renameExclusive(dir, name, dir, aside);
      return;
    } catch (error) {
      if (systemCode(error) !== "EEXIST") throw error;
    }
  }
}

/** Removes everything in a directory. Links are removed, never followed. */
export function emptyDir(disk: Disk, dir: Dir, keep: (name: Buffer) => boolean = () => false): void {
  for (const name of disk.list(dir)) {
    if (!keep(name)) removeEntry(disk, dir, name);
  }
}

export function removeEntry(disk: Disk, dir: Dir, name: Buffer): void {
  if (unlinked(disk, dir, name)) return;
  const stat = disk.stat(dir, name);
  if ((stat.mode & OWNER_ALL) !== OWNER_ALL) disk.setMode(dir, name, OWNER_ALL);
  within(disk, disk.openDir(dir, name), (inner) => {
    emptyDir(disk, inner);
  });
  disk.removeDir(dir, name);
}

/** Removes an entry, or of a directory whatever this account may. Returns whether nothing is left. */
export function removeWhatGoes(disk: Disk, dir: Dir, name: Buffer): boolean {
  try {
    removeEntry(disk, dir, name);
    return true;
  } catch (error) {
    if (!isRefusal(error)) throw error;
  }
  const stat = disk.find(dir, name);
  if (!stat || stat.type !== "dir") return !stat;
  try {
    within(disk, disk.openDir(dir, name), (inner) =>
      disk.list(inner).forEach((child) => void removeWhatGoes(disk, inner, child)),
    );
    disk.removeDir(dir, name);
    return true;
  } catch (error) {
    if (!isRefusal(error)) throw error;
    return false;
  }
}

function isRefusal(error: unknown): boolean {
  return ["EACCES", "EPERM", "ENOTEMPTY"].includes(systemCode(error) ?? "");
}

/**
 * Whether there is nothing of that name any more. A directory is not unlinked: the kernel says so, which is cheaper
 * than asking first.
 */
function unlinked(disk: Disk, dir: Dir, name: Buffer): boolean {
  try {
    disk.unlink(dir, name);
    return true;
  } catch (error) {
    const code = systemCode(error);
    if (code === "ENOENT") return true;
    if (code === "EISDIR" || (code === "EPERM" && disk.find(dir, name)?.type === "dir")) return false;
    throw error;
  }
}
