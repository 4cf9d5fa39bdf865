import { EremosError } from "../../../errors/eremos-error";
import type { DirEntry, Entry } from "../../../format/tree";
import type { Dir, Disk, Stat } from "../../../platform/port";
import { type Modes, NO_PATH, modeOf, moveAside, pathInto, shownPath, widen, within } from "../../ground";
import { type Sealed, changedWhileLocking } from "../../contents";
import { said, say } from "@eremos/words/core/guards";

/**
 * Plain entries leave and enter the folder only by rename, through a directory beside the state record. FORMAT.md §7.
 * Nothing is ever replaced: where two entries want one name, the newcomer gets a name of its own.
 */

/** The entries of a directory that must still be there, with their numbers. */
function expectedIn(sealed: Sealed, at: DirEntry): { readonly entry: Entry; readonly number: number }[] {
  const { first, entries } = sealed.tree.list(at);
  const all = entries.map((entry, i) => ({ entry, number: first + i }));
  return sealed.mixed
    ? all.filter(
        ({ entry, number }) => (entry.kind !== "file" || entry.linkGroup > 0) && sealed.identities.isKnown(number),
      )
    : all;
}

/**
 * Moves the given entries of the top out. @throws EremosError `changed-while-locking` when one is no longer what was
 * sealed.
 */
export function moveOut(disk: Disk, from: Dir, staging: Dir, sealed: Sealed): void {
  for (const { entry, number } of expectedIn(sealed, sealed.tree.root)) {
    const before = disk.find(from, entry.name);
    if (!before || !isSame(before, entry, number, sealed)) throw changedWhileLocking(entry.name.toString("utf8"));
    disk.renameExclusive(from, entry.name, staging, entry.name);
    const after = disk.stat(staging, entry.name);
    sealed.moved.set(after.ino, after.ctimeNs);
  }
}

function isSame(stat: Stat, entry: Entry, number: number, { identities, moved, sameContent, mixed }: Sealed): boolean {
  if (sameContent) return stat.type === entry.kind;
  if (mixed && entry.kind === "dir") return stat.type === "dir" && identities.of(number).ino === stat.ino;
  const known = { dev: stat.dev, ino: stat.ino, ctimeNs: stat.ctimeNs };
  const itsOwn = identities.of(number).ctimeNs;
  const expected = moved.get(stat.ino);
  if (expected !== undefined && stat.ctimeNs === expected) known.ctimeNs = itsOwn;
  return (
    identities.has(number, known) &&
    stat.mtimeNs === entry.meta.mtimeNs &&
    (entry.kind !== "file" || stat.size === entry.size)
  );
}

/** Looks once more at everything that is about to be removed. @throws EremosError `changed-while-locking` */
export function verifyStaged(
  disk: Disk,
  dir: Dir,
  sealed: Sealed,
  at: DirEntry = sealed.tree.root,
  path: Buffer = NO_PATH,
): void {
  const expected = expectedIn(sealed, at);
  if (disk.list(dir).length !== expected.length)
    throw changedWhileLocking(path.length > 0 ? path.toString("utf8") : say("folder"));
  for (const { entry, number } of expected) {
    const stat = disk.find(dir, entry.name);
    if (!stat || !isSame(stat, entry, number, sealed)) throw changedWhileLocking(shownPath(path, entry.name));
    if (entry.kind === "file" && sealed.sameContent && !sealed.sameContent(dir, entry))
      throw changedWhileLocking(shownPath(path, entry.name));
    if (entry.kind === "file" && sealed.refusesWriters)
      refuseWritten(disk, dir, entry.name, shownPath(path, entry.name));
    if (entry.kind !== "dir") continue;
    within(disk, disk.openDir(dir, entry.name), (inner) => {
      verifyStaged(disk, inner, sealed, entry, pathInto(path, entry.name));
    });
  }
}

/** @throws EremosError `in-use` */
function refuseWritten(disk: Disk, dir: Dir, name: Buffer, shown: string): void {
  if (disk.isWritten(dir, name) !== true) return;
  throw new EremosError("in-use", said("program-has-open-for-writing", { shown }), { programs: [] });
}

/**
 * File by file: removes the plain files that are sealed and durable and still what was sealed. Returns how many were
 * not, and stay. Files with several names stay to the end, when they go with everything else: with one name gone,
 * nobody could tell that it was linked.
 */
export function removeSealedFiles(
  disk: Disk,
  dir: Dir,
  sealed: Sealed,
  goes: (dir: Dir, name: Buffer) => void = (from, name) => disk.unlink(from, name),
  at: DirEntry = sealed.tree.root,
): number {
  const { first, entries } = sealed.tree.list(at);
  let stay = 0;
  entries.forEach((entry, i) => {
    if (
      entry.kind === "link" ||
      (entry.kind === "file" && entry.linkGroup > 0) ||
      !sealed.identities.isKnown(first + i)
    )
      return;
    const stat = disk.find(dir, entry.name);
    if (!stat || stat.type !== entry.kind) return;
    if (entry.kind === "dir") {
      stay += within(disk, disk.openDir(dir, entry.name), (inner) =>
        removeSealedFiles(disk, inner, sealed, goes, entry),
      );
    } else if (!isSame(stat, entry, first + i, sealed) || (sealed.sameContent && !sealed.sameContent(dir, entry)))
      stay++;
    else {
      if (sealed.refusesWriters) refuseWritten(disk, dir, entry.name, entry.name.toString("utf8"));
      goes(dir, entry.name);
    }
  });
  return stay;
}

/**
 * Moves whatever is in staging into the folder. What appeared there meanwhile under the same name is kept beside it.
 */
export function moveIn(disk: Disk, staging: Dir, into: Dir, modes: Modes): void {
  for (const name of disk.list(staging)) {
    if (disk.find(into, name)) moveAside(disk, into, name);
    const mode = widen(disk, staging, name);
    disk.renameExclusive(staging, name, into, name);
    const stat = disk.stat(into, name);
    const recorded = modeOf(modes, stat) ?? mode;
    if (recorded !== undefined && stat.mode !== recorded) disk.setMode(into, name, recorded);
  }
}
