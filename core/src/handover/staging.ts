import { EremosError } from "../errors/eremos-error";
import { OWNER_ALL, displayPath, emptyDir, removeEntry, splitPath, within } from "../engine/ground";
import { newId } from "../format/ids";
import type { Dir, Disk } from "../platform/port";
import { said } from "@eremos/words/core/handover";

/** What is being made lies in a directory of this account's alone, beside where it is to be, until it is whole. */
const STAGING = ".eremos-making-";
/** It is called this until it is held, so that nobody takes it for something that was left. */
const NOT_YET = ".eremos-not-yet-";
const LOCK = Buffer.from("lock");
const MADE = Buffer.from("made");

/**
 * Makes something that is there when it is whole and durable, or not at all: `make` puts it into a directory under the
 * name it is given. What a kill left of an earlier one beside it goes first. @throws EremosError `path-taken`
 */
export async function madeWhole<T>(
  disk: Disk,
  to: Buffer,
  make: (staging: Dir, name: Buffer) => Promise<T>,
): Promise<T> {
  const { parent, name } = splitPath(to);
  const taken = (): EremosError =>
    new EremosError("path-taken", said("something-is-there", { path: displayPath(to) }), { path: displayPath(to) });
  const dir = disk.openRoot(parent);
  try {
    if (disk.find(dir, name)) throw taken();
    sweep(disk, dir);
    const id = newId();
    const [first, stagingName] = [NOT_YET, STAGING].map((begin) => Buffer.from(`${begin}${id}`)) as [Buffer, Buffer];
    disk.makeDir(dir, first, OWNER_ALL);
    let called = first;
    try {
      const staging = disk.openDir(dir, first);
      const lock = disk.tryLock(staging, LOCK);
      try {
        disk.renameExclusive(dir, first, dir, stagingName);
        called = stagingName;
        const made = await make(staging, MADE);
        if (disk.find(dir, name)) throw taken();
        disk.renameExclusive(staging, MADE, dir, name);
        disk.syncDir(dir);
        return made;
      } finally {
        if (lock) disk.closeFile(lock);
        disk.closeDir(staging);
      }
    } finally {
      removeEntry(disk, dir, called);
    }
  } finally {
    disk.closeDir(dir);
  }
}

/** What nobody holds was left by a kill. What can't go, whoever put it there, holds up nothing. */
function sweep(disk: Disk, dir: Dir): void {
  for (const name of disk.list(dir)) {
    if (!name.toString("utf8").startsWith(STAGING)) continue;
    try {
      if (isLeft(disk, dir, name)) disk.removeDir(dir, name);
    } catch {
      // It is looked at again the next time.
    }
  }
}

/** Empties it, where it is. */
function isLeft(disk: Disk, dir: Dir, name: Buffer): boolean {
  const stat = disk.find(dir, name);
  if (stat?.type !== "dir" || !disk.owns(stat)) return false;
  return within(disk, disk.openDir(dir, name), (staging) => {
    const lock = disk.tryLock(staging, LOCK);
    if (!lock) return false;
    try {
      emptyDir(disk, staging);
    } finally {
      disk.closeFile(lock);
    }
    return true;
  });
}
