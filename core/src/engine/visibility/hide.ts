import { EremosError, systemCode } from "../../errors/eremos-error";
import { randomHiddenName, whyNotCover } from "../../format/ids";
import type { Dir, Disk } from "../../platform/port";
import { type Folder, displayPath, ensureDir, isMountPoint, joinPath, splitPath, within } from "../ground";
import type { Visibility } from "../../format/choices";
import { said } from "@eremos/words/core/visibility";

/**
 * What shows of a folder while it is locked. FORMAT.md §7.3. Hidden in place, it has a random dot name beside its
 * ordinary one; tucked away, it lies under a random name in a held area of the same file system, and nothing is left
 * where it was. Either is one rename.
 */
export interface Hiding {
  readonly visibility: Visibility;
  /**
   * The name it has while it is locked: random where it hides, the cover name in view; null: its own, also for a drive
   * that hides its contents.
   */
  readonly lockedName: string | null;
  /**
   * Tucked away: how many levels above the directory it lies in the held area is; 0 is that directory itself. Null
   * otherwise.
   */
  readonly held: number | null;
}

/** What is to show of it: in view, perhaps under a cover name. */
export interface Showing {
  readonly visibility: Visibility;
  readonly cover?: string | null;
}

/** Where a tucked-away folder may go. */
export interface Grounds {
  /** The roots Eremos may protect in: what is tucked away stays below them. */
  readonly places: readonly Buffer[];
  /** Directories whose contents another program uploads: what is tucked away goes elsewhere. */
  readonly synced?: readonly Buffer[];
}

/** The directory that tucked-away folders lie in, its owner's alone. */
export const HELD_NAME = Buffer.from(".eremos-held");

export const IN_VIEW: Hiding = { visibility: "view", lockedName: null, held: null };

/**
 * Chooses a name, and for a tucked-away folder the held area. @throws EremosError `no-permission` | `path-taken` when
 * it can't be hidden so; nothing was touched
 */
export function hidingFor(disk: Disk, path: Buffer, { visibility, cover = null }: Showing, grounds: Grounds): Hiding {
  if (isMountPoint(disk, path)) return hidingForDrive(visibility, cover);
  if (visibility === "view")
    return cover === null || cover === splitPath(path).name.toString("utf8") ? IN_VIEW : coverFor(disk, path, cover);
  const lockedName = randomHiddenName().toString();
  if (visibility === "hidden") {
    requireRenamable(disk, path);
    return { visibility, lockedName, held: null };
  }
  return { visibility, lockedName, held: levelsToHeldArea(disk, path, grounds) };
}

/** A drive stays mounted where it is: hidden, it looks empty. */
function hidingForDrive(visibility: Visibility, cover: string | null): Hiding {
  if (visibility === "tucked") throw new EremosError("unsupported", said("drive-cant-be-tucked-away"));
  if (cover !== null) throw new EremosError("unsupported", said("drive-cant-have-cover-name"));
  return { visibility, lockedName: null, held: null };
}

function coverFor(disk: Disk, path: Buffer, cover: string): Hiding {
  const why = whyNotCover(cover);
  if (why !== null) throw new EremosError("usage", said("cover-name-nothing-was-touched", { why }));
  requireRenamable(disk, path);
  const taken = within(
    disk,
    disk.openRoot(splitPath(path).parent),
    (parent) => disk.find(parent, Buffer.from(cover)) !== null,
  );
  if (taken) throw new EremosError("path-taken", said("there-is-something-called-beside", { cover }));
  return { visibility: "view", lockedName: cover, held: null };
}

function requireRenamable(disk: Disk, path: Buffer): void {
  if (within(disk, disk.openRoot(splitPath(path).parent), (parent) => disk.writable(parent))) return;
  throw new EremosError("no-permission", said("this-renames-folder-and-this"));
}

/**
 * Another way of hiding a folder that shows itself for the change; where it can't be had, the folder hides as before.
 * @throws EremosError as {@link hidingFor}
 */
export function hidingOrBack(disk: Disk, folder: Folder, before: Hiding, showing: Showing, grounds: Grounds): Hiding {
  try {
    return hidingFor(disk, folder.path, showing, grounds);
  } catch (error) {
    hide(disk, folder, before);
    throw error;
  }
}

/**
 * The highest directory between the place and the folder that belongs to this account, is on the folder's file system,
 * may be written and lies in no synced directory: the higher, the less likely it is that a synced directory nobody told
 * of takes the held area with it.
 */
function levelsToHeldArea(disk: Disk, path: Buffer, { places, synced = [] }: Grounds): number {
  const { parent, name } = splitPath(path);
  // Asked of the directory it lies in: a barred folder may not be opened.
  const { dev } = within(disk, disk.openRoot(parent), (dir) => disk.stat(dir, name));
  let found: number | null = null;
  let isSynced = false;
  for (let at = parent, level = 0; ; at = splitPath(at).parent, level++) {
    if (!couldHold(disk, at, dev)) break;
    if (liesIn(at, synced)) isSynced = true;
    else found = level;
    if (at.length < 2 || places.some((place) => place.equals(at))) break;
  }
  if (found !== null && within(disk, disk.openRoot(parent), (dir) => disk.writable(dir))) return found;
  if (isSynced && found === null)
    throw new EremosError("no-permission", said("tucking-away-moves-folder-out", { path: displayPath(path) }));
  throw new EremosError("no-permission", said("tucking-away-moves-folder-and", { path: displayPath(path) }));
}

function liesIn(path: Buffer, directories: readonly Buffer[]): boolean {
  return directories.some(
    (directory) =>
      path.equals(directory) ||
      path.subarray(0, directory.length + 1).equals(Buffer.concat([directory, Buffer.from("/")])),
  );
}

function couldHold(disk: Disk, path: Buffer, dev: bigint): boolean {
  return within(disk, disk.openRoot(path), (dir) => {
    const stat = disk.statOpen(dir);
    return stat.dev === dev && disk.owns(stat) && disk.writable(dir);
  });
}

/** The directory so many levels above another. */
function above(path: Buffer, levels: number): Buffer {
  let at = path;
  for (let level = 0; level < levels; level++) at = splitPath(at).parent;
  return at;
}

/** Where a folder of this ordinary path may be tucked away: one held area for each directory above it. */
export function heldAreasAbove(path: Buffer): Buffer[] {
  const areas: Buffer[] = [];
  for (let at = splitPath(path).parent; ; at = splitPath(at).parent) {
    areas.push(joinPath(at, HELD_NAME));
    if (at.length < 2) return areas;
  }
}

/** Whether the folder has another name now than the one it should have while it is locked. */
export function showsName(disk: Disk, folder: Folder, { visibility, lockedName }: Hiding): boolean {
  if (lockedName === null || folder.name.equals(Buffer.from(lockedName))) return false;
  // Where something else has taken the cover name meanwhile, the folder keeps its own.
  return visibility !== "view" || disk.find(folder.parent, Buffer.from(lockedName)) === null;
}

/** Renames a locked folder to the name it has while it is locked; returns its path now. */
export function hide(disk: Disk, folder: Folder, hiding: Hiding): Buffer {
  if (hiding.lockedName === null || !showsName(disk, folder, hiding)) return folder.path;
  const hidden = Buffer.from(hiding.lockedName);
  const { parent } = splitPath(folder.path);
  if (hiding.held === null) {
    disk.renameExclusive(folder.parent, folder.name, folder.parent, hidden);
    disk.syncDir(folder.parent);
    return joinPath(parent, hidden);
  }
  const holder = above(parent, hiding.held);
  within(disk, disk.openRoot(holder), (dir) => {
    within(disk, ensureDir(disk, dir, HELD_NAME), (area) => {
      disk.clearAccessLists(area);
      disk.syncDir(dir);
      move(disk, { dir: folder.parent, name: folder.name }, { dir: area, name: hidden }, folder);
    });
  });
  return joinPath(joinPath(holder, HELD_NAME), hidden);
}

interface Spot {
  readonly dir: Dir;
  readonly name: Buffer;
}

const OWNER_WRITE = 0o200;

/**
 * To another directory, the kernel moves only a folder that this account may write. It is in the new one for certain
 * before it is gone from the old one.
 */
function move(disk: Disk, from: Spot, to: Spot, folder: Folder): void {
  const { mode } = disk.statOpen(folder.dir);
  if ((mode & OWNER_WRITE) === 0) disk.setMode(from.dir, from.name, mode | OWNER_WRITE);
  try {
    disk.renameExclusive(from.dir, from.name, to.dir, to.name);
    disk.syncDir(to.dir);
    disk.syncDir(from.dir);
  } finally {
    if ((mode & OWNER_WRITE) === 0) restoreMode(disk, [to, from], mode);
  }
}

function restoreMode(disk: Disk, spots: readonly Spot[], mode: number): void {
  const spot = spots.find(({ dir, name }) => disk.find(dir, name) !== null);
  if (spot) disk.setMode(spot.dir, spot.name, mode);
}

/**
 * A hidden folder gets its ordinary name back, `place` being its ordinary path: first of all, so that a crash from here
 * on needs no key to hide it again. @throws EremosError `path-taken` | `not-found` with nothing touched
 */
export function showAtOrdinaryPath<F extends Folder>(disk: Disk, folder: F, hiding: Hiding, place: Buffer): F {
  if (hiding.lockedName === null || !folder.name.equals(Buffer.from(hiding.lockedName))) return folder;
  const { name } = splitPath(place);
  const parentPath = splitPath(folder.path).parent;
  if (hiding.held === null) {
    refusingToReplace(place, () => disk.renameExclusive(folder.parent, folder.name, folder.parent, name));
    disk.syncDir(folder.parent);
    return { ...folder, name, path: joinPath(parentPath, name) };
  }
  const holder = splitPath(parentPath).parent;
  const ordinaryParent = below(holder, place, hiding.held);
  const parent = openPlaceOf(disk, ordinaryParent);
  try {
    refusingToReplace(place, () =>
      move(disk, { dir: folder.parent, name: folder.name }, { dir: parent, name }, folder),
    );
  } catch (error) {
    disk.closeDir(parent);
    throw error;
  }
  disk.closeDir(folder.parent);
  removeIfEmpty(disk, holder);
  return { ...folder, parent, name, path: joinPath(ordinaryParent, name) };
}

/**
 * The folder's ordinary directory as seen from the one that has the held area, so that a drive may be mounted elsewhere
 * meanwhile.
 */
function below(holder: Buffer, place: Buffer, levels: number): Buffer {
  const top = above(splitPath(place).parent, levels);
  const rest = splitPath(place).parent.subarray(top.length < 2 ? 1 : top.length + 1);
  return rest.length === 0 ? holder : joinPath(holder, rest);
}

function openPlaceOf(disk: Disk, path: Buffer): Dir {
  try {
    return disk.openRoot(path);
  } catch (error) {
    const code = systemCode(error);
    if (code !== "ENOENT" && code !== "ENOTDIR" && code !== "ELOOP") throw error;
    throw new EremosError("not-found", said("where-folder-belongs-is-not", { path: displayPath(path) }), {
      path: displayPath(path),
    });
  }
}

function refusingToReplace(place: Buffer, rename: () => void): void {
  try {
    rename();
  } catch (error) {
    if (systemCode(error) !== "EEXIST") throw error;
    throw new EremosError("path-taken", said("something-else-is-at-now", { place: displayPath(place) }), {
      path: displayPath(place),
    });
  }
}

/** Nothing of Eremos stays where nothing is tucked away. */
function removeIfEmpty(disk: Disk, holder: Buffer): void {
  try {
    within(disk, disk.openRoot(holder), (dir) => disk.removeDir(dir, HELD_NAME));
  } catch {
    // Another folder lies there.
  }
}
