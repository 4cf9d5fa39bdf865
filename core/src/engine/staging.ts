import { systemCode } from "../errors/eremos-error";
import type { StateRecord } from "../format/state";
import type { DirEntry, Entry, FileEntry, TreeReader } from "../format/tree";
import type { Dir, Disk, Stat } from "../platform/port";
import { within } from "./handles";
import type { Identities } from "./identity";
import { changedWhileLocking } from "./seal-tree";
import { NO_PATH, pathInto, shownPath } from "./survey";
import { VAULT_NAME } from "./vault";

/**
 * Plain entries leave and enter the folder only by rename, through a directory beside the state record. FORMAT.md §7.
 * Nothing is ever replaced: where two entries want one name, the newcomer gets a name of its own.
 */
type Modes = StateRecord["modes"];

const OWNER_WRITE = 0o200;
const OWNER_ALL = 0o700;

function modeOf(modes: Modes, stat: Stat): number | undefined {
  return modes.find((mode) => mode.dev === String(stat.dev) && mode.ino === String(stat.ino))?.mode;
}

/** The plain tree as it was sealed: what each entry must still be before it may go. */
export interface Sealed {
  readonly tree: TreeReader;
  readonly identities: Identities;
  /** Status times after our own moves, by inode: moving an entry changes the time of all its hard links. */
  readonly moved: Map<bigint, bigint>;
  /** Whether a file's content is the sealed one's; null where identities can be trusted. */
  readonly sameContent: ((dir: Dir, entry: FileEntry) => boolean) | null;
  /** Most files are gone already: what is left is directories, whose times that changed, links, and files with several names. */
  readonly mixed: boolean;
}

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

/** Moves the given entries of the top out. @throws EremosError `changed-while-locking` when one is no longer what was sealed. */
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
    throw changedWhileLocking(path.length > 0 ? path.toString("utf8") : "The folder");
  for (const { entry, number } of expected) {
    const stat = disk.find(dir, entry.name);
    if (!stat || !isSame(stat, entry, number, sealed)) throw changedWhileLocking(shownPath(path, entry.name));
    if (entry.kind === "file" && sealed.sameContent && !sealed.sameContent(dir, entry))
      throw changedWhileLocking(shownPath(path, entry.name));
    if (entry.kind !== "dir") continue;
    within(disk, disk.openDir(dir, entry.name), (inner) => {
      verifyStaged(disk, inner, sealed, entry, pathInto(path, entry.name));
    });
  }
}

/**
 * File by file: removes the plain files that are sealed and durable and still what was sealed. Returns how many were not, and stay.
 * Files with several names stay to the end, when they go with everything else: with one name gone, nobody could tell that it was linked.
 */
export function removeSealedFiles(disk: Disk, dir: Dir, sealed: Sealed, at: DirEntry = sealed.tree.root): number {
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
      stay += within(disk, disk.openDir(dir, entry.name), (inner) => removeSealedFiles(disk, inner, sealed, entry));
    } else if (!isSame(stat, entry, first + i, sealed) || (sealed.sameContent && !sealed.sameContent(dir, entry)))
      stay++;
    else disk.unlink(dir, entry.name);
  });
  return stay;
}

/** Moves whatever is in staging into the folder. What appeared there meanwhile under the same name is kept beside it. */
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

/** The permission bits of everybody but the owner. */
export const FOR_OTHERS = 0o077;

/**
 * The folder's own mode among these, as the only entry, or none. Where there is one, the folder lies open for its account alone, and
 * stays so until it is locked or released: a failure on the way lets nobody else in.
 */
export function topModes(disk: Disk, dir: Dir, modes: Modes): Modes {
  const stat = disk.statOpen(dir);
  return modes.filter(({ dev, ino }) => dev === String(stat.dev) && ino === String(stat.ino));
}

/** The same, to be noted. */
export function topModeOf(disk: Disk, dir: Dir, mode: number): Modes[number] {
  const { dev, ino } = disk.statOpen(dir);
  return { dev: String(dev), ino: String(ino), mode };
}

/** Closed to others, where these modes say that it is to be. */
export function closeTop(disk: Disk, dir: Dir, modes: Modes): void {
  const [own] = topModes(disk, dir, modes);
  if (own && disk.statOpen(dir).mode !== (own.mode & ~FOR_OTHERS)) disk.setOpenMode(dir, own.mode & ~FOR_OTHERS);
}

/** The folder's own mode, where it was closed to others until now. */
export function restoreTopMode(disk: Disk, dir: Dir, modes: Modes): void {
  const [own] = topModes(disk, dir, modes);
  if (own && own.mode !== disk.statOpen(dir).mode) disk.setOpenMode(dir, own.mode);
}

/** Gives every entry whose mode was changed its own mode again, wherever in the folder it is; the folder itself stays as it is. */
export function restoreModes(disk: Disk, dir: Dir, modes: Modes): void {
  const pending = new Map(modes.map((mode) => [`${mode.dev}:${mode.ino}`, mode.mode]));
  const visit = (at: Dir): void => {
    const found: { name: Buffer; stat: Stat; mode: number | undefined }[] = [];
    for (const name of disk.list(at)) {
      const stat = pending.size === 0 || name.equals(VAULT_NAME) ? null : disk.find(at, name);
      if (!stat) continue;
      const key = `${stat.dev}:${stat.ino}`;
      found.push({ name, stat, mode: pending.get(key) });
      pending.delete(key);
    }
    for (const { name, stat } of found) {
      if (pending.size === 0) break;
      if (stat.type !== "dir" || !disk.readable(at, name, stat)) continue;
      within(disk, disk.openDir(at, name), (inner) => visit(inner));
    }
    for (const { name, stat, mode } of found)
      if (mode !== undefined && mode !== stat.mode) disk.setMode(at, name, mode);
  };
  visit(dir);
}

function widen(disk: Disk, dir: Dir, name: Buffer): number | undefined {
  const stat = disk.stat(dir, name);
  if (stat.type !== "dir" || (stat.mode & OWNER_WRITE) !== 0) return undefined;
  disk.setMode(dir, name, stat.mode | OWNER_ALL);
  return stat.mode;
}

/** Names for an entry whose own is taken. */
function* freeNames(name: Buffer): Generator<Buffer> {
  for (let number = 1; ; number++) {
    const suffix = number === 1 ? " (arrived while locked)" : ` (arrived while locked ${number})`;
    yield Buffer.concat([name.subarray(0, 255 - suffix.length), Buffer.from(suffix)]);
  }
}

/** To another directory under its own name, or a free one beside what has taken that. Where this account may not write a directory, it may for the move. */
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
export function* namesFor(name: Buffer): Generator<Buffer> {
  yield name;
  yield* freeNames(name);
}

/** A newcomer in the way of a restored entry keeps its content under a name that says what it is. */
export function moveAside(disk: Disk, dir: Dir, name: Buffer): void {
  for (const aside of freeNames(name)) {
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

/** Whether there is nothing of that name any more. A directory is not unlinked: the kernel says so, which is cheaper than asking first. */
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
