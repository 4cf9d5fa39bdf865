import { randomFillSync } from "node:crypto";
import { EremosError, isEremosError, systemCode } from "../../errors/eremos-error";
import { newId } from "../../format/ids";
import type { Dir, Disk, OpenFile, Stat } from "../../platform/port";
import { withFile, within } from "./handles";
import { OWNER_ALL } from "./modes";
import { displayPath } from "./own-dir";
import { takeBack } from "./take-back";
import { said } from "@eremos/words/core/ground";

/**
 * Writing over what goes, before it goes. Whether the old blocks are reached is the file system's to say:
 * {@link whatOverwritingReaches}.
 */

/** So often what goes is written over with random bytes; 0: not at all. */
export const MOST_PASSES = 3;

export interface Overwriting {
  /** 1 to {@link MOST_PASSES}. */
  readonly passes: number;
  /** A file with other names loses its contents under all of them; else it is left. */
  readonly allNames: boolean;
  /** Told of each piece that was written. */
  readonly wrote?: ((bytes: number) => void) | undefined;
}

/** How what goes anyway is written over. */
export type GoingOver = Omit<Overwriting, "allNames">;

const PIECE_BYTES = 1024 * 1024;

/** Everything that the file holds, holes left as they are; durable after each pass, and empty at the end. */
export function overwriteOpen(disk: Disk, file: OpenFile, { passes, wrote }: Overwriting): void {
  const { size } = disk.statOpen(file);
  const extents = disk.extents(file, size) ?? [{ offset: 0, length: size }];
  const piece = Buffer.allocUnsafe(Math.min(PIECE_BYTES, Math.max(1, size)));
  for (let pass = 0; pass < passes; pass++) {
    for (const { offset, length } of extents)
      for (let at = offset; at < offset + length; at += piece.length) {
        const count = Math.min(piece.length, offset + length - at);
        randomFillSync(piece, 0, count);
        disk.write(file, piece, 0, count, at);
        wrote?.(count);
      }
    disk.syncFile(file);
  }
  disk.truncate(file, 0);
  disk.syncFile(file);
}

const OWNER_READ_WRITE = 0o600;

/** One thing for certain, whatever comes to stand under its name. */
export type Seen = Pick<Stat, "dev" | "ino" | "type">;

/**
 * Writes over a file, gives it a name that says nothing, and removes it. It is the one that was seen, and nobody has it
 * open. Every failure leaves it under its name; what was written over by then is gone. Returns whether others shared
 * blocks with it: theirs are not reached. @throws EremosError `busy` where somebody holds it or it is another one,
 * `unsupported` where it has other names; system errors
 */
export function overwriteFile(disk: Disk, dir: Dir, name: Buffer, seen: Seen, how: Overwriting): boolean {
  const isShared = whileWritable(disk, dir, name, seen, () =>
    withFile(disk, disk.openWrite(dir, name), (file) => {
      const stat = disk.statOpen(file);
      if (!isSeen(stat, seen)) throw changed(name);
      if (stat.nlink > 1 && !how.allNames)
        throw new EremosError("unsupported", said("has-another-name", { name: displayPath(name) }));
      if (isHeld(disk, file)) throw new EremosError("busy", said("program-has-open", { name: displayPath(name) }));
      const shares = disk.sharesBlocks(file) === true;
      overwriteOpen(disk, file, how);
      return shares;
    }),
  );
  removeNameless(disk, dir, name, (unnamed) => disk.unlink(dir, unnamed));
  return isShared;
}

const HELD_LOOKS = 20;
const HELD_LOOK_MS = 50;

/** Who looks at it for an instant, as a search or a preview does, does not have it open. */
function isHeld(disk: Disk, file: OpenFile): boolean {
  for (let looks = 1; disk.isHeldOpen(file) === true; looks++) {
    if (looks === HELD_LOOKS) return true;
    disk.wait(HELD_LOOK_MS);
  }
  return false;
}

function isSeen(now: Seen, { dev, ino, type }: Seen): boolean {
  return now.dev === dev && now.ino === ino && now.type === type;
}

function changed(name: Buffer): EremosError {
  return new EremosError("busy", said("is-another-one-now", { name: displayPath(name) }));
}

/** Its owner may always give itself the right to write it; what is left has the rights it had. */
function whileWritable<T>(disk: Disk, dir: Dir, name: Buffer, seen: Seen, work: () => T): T {
  const stat = disk.stat(dir, name);
  // A pipe that is opened, or a device that is written to, does something.
  if (stat.type !== "file" || !isSeen(stat, seen)) throw changed(name);
  if ((stat.mode & OWNER_READ_WRITE) === OWNER_READ_WRITE || !disk.owns(stat)) return work();
  disk.setMode(dir, name, stat.mode | OWNER_READ_WRITE);
  try {
    return work();
  } catch (error) {
    takeBack(() => disk.setMode(dir, name, stat.mode));
    throw error;
  }
}

/** Under a name that says nothing first: directories, and what file systems write down of them, keep names for a while. */
export function removeNameless(disk: Disk, dir: Dir, name: Buffer, remove: (unnamed: Buffer) => void): void {
  const unnamed = Buffer.from(newId().slice(0, Math.max(12, Math.min(32, name.length))));
  disk.renameExclusive(dir, name, dir, unnamed);
  try {
    remove(unnamed);
  } catch (error) {
    takeBack(() => disk.renameExclusive(dir, unnamed, dir, name));
    throw error;
  }
}

/**
 * Writes over everything in an entry that is about to be removed, and takes its names away, as far as that goes: what
 * can't be written over (it has a name elsewhere, a program has it open, the system refuses) stays for the removal as it
 * is. Returns how many files that were. A file all of whose names are in there loses them, and its contents with the
 * last one. Links are never followed. May be cut off and done again.
 */
export function overwriteWhatGoes(disk: Disk, dir: Dir, name: Buffer, how: GoingOver): number {
  const stat = disk.find(dir, name);
  if (stat?.type === "dir") return overwriteWithin(disk, dir, name, stat, how);
  if (stat?.type !== "file") return 0;
  const goes = (): void => {
    // Names outside were told of before; where all are in there, the last one is alone.
    if (stat.nlink > 1) disk.unlink(dir, name);
    else overwriteFile(disk, dir, name, stat, { ...how, allNames: false });
  };
  return orLeft(goes) ? 0 : 1;
}

function overwriteWithin(disk: Disk, dir: Dir, name: Buffer, stat: Stat, how: GoingOver): number {
  let not = 0;
  const goes = (): void => {
    if ((stat.mode & OWNER_ALL) !== OWNER_ALL && disk.owns(stat)) disk.setMode(dir, name, OWNER_ALL);
    within(disk, disk.openDir(dir, name), (inner) => {
      for (const child of disk.list(inner)) {
        not += overwriteWhatGoes(disk, inner, child, how);
        if (disk.find(inner, child)?.type === "dir") orLeft(() => removeNameless(disk, inner, child, () => undefined));
      }
    });
  };
  return orLeft(goes) ? not : not + 1;
}

/** Whether it could be done: what the system refuses, or somebody holds, is the removal's to deal with. */
function orLeft(act: () => void): boolean {
  try {
    act();
    return true;
  } catch (error) {
    if (isEremosError(error) || systemCode(error) !== undefined) return false;
    throw error;
  }
}
