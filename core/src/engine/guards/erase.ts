import { systemCode } from "../../errors/eremos-error";
import { type StateRecord, isStateName } from "../../format/state";
import type { Dir, Disk } from "../../platform/port";
import {
  type HeldFolder,
  NAMES,
  OWNER_ALL,
  OWN_DIR_NAME,
  dropLock,
  emptyDir,
  isMountPoint,
  isNotContents,
  isRecordName,
  overwriteWhatGoes,
  removeEntry,
  splitPath,
  within,
} from "../ground";
import { HELD_NAME, heldAreasAbove } from "../visibility";

/**
 * A locked folder goes for good with what is in it. The record says so before the first thing goes, and from then on
 * there is only the way forward; it goes last. FORMAT.md §7.10.
 */

/** What opens it. */
const WITH_KEYS = [NAMES.slots, NAMES.members, NAMES.keys, NAMES.insurance];

function hasKeys(name: Buffer): boolean {
  return name.toString("latin1").startsWith("header.") || WITH_KEYS.some((one) => one.equals(name));
}

/** By these what is left knows what it is, until nothing is. */
function goesLast(name: Buffer): boolean {
  return (
    isStateName(name) || [NAMES.guard, NAMES.file].some((one) => isRecordName(name, one)) || name.equals(NAMES.lock)
  );
}

/** The record that says so. */
type Erasing = Pick<StateRecord, "folder" | "overwrites">;

/** Removes what its record says is removed, from wherever that was cut off. @throws system errors; it may be done again */
export function eraseHeld(disk: Disk, folder: HeldFolder, { folder: id, overwrites: passes = 0 }: Erasing): void {
  const { ownDir, parent, name } = folder;
  const goes = (dir: Dir, one: Buffer, least: number): void => {
    const times = Math.max(least, passes);
    if (times > 0) overwriteWhatGoes(disk, dir, one, { passes: times });
    removeEntry(disk, dir, one);
  };
  // Without the keys nobody reads the rest, whatever becomes of it: they are small, and always written over.
  for (const one of disk.list(ownDir).filter(hasKeys)) goes(ownDir, one, 1);
  disk.barrier(ownDir);
  for (const one of disk.list(ownDir).filter((each) => !goesLast(each))) goes(ownDir, one, 0);
  const stat = disk.stat(parent, name);
  if ((stat.mode & OWNER_ALL) !== OWNER_ALL) disk.setMode(parent, name, OWNER_ALL);
  within(disk, disk.openDir(parent, name), (dir) => {
    const top = disk.statOpen(dir);
    for (const one of disk.list(dir)) if (!isNotContents(top, one)) goes(dir, one, 0);
    disk.barrier(dir);
    if (isMountPoint(disk, folder.path)) return takeRecordsAway(disk, folder, dir);
    takeFolderAway(disk, folder, dir, nameOfErased(id));
  });
}

/** A drive stays where it is mounted, with nothing on it. */
function takeRecordsAway(disk: Disk, folder: HeldFolder, dir: Dir): void {
  dropLock(disk, folder);
  emptyDir(disk, folder.ownDir);
  disk.removeDir(dir, OWN_DIR_NAME);
  disk.syncDir(dir);
}

function nameOfErased(id: string): Buffer {
  return Buffer.from(`.eremos-gone-${id}`);
}

/** By one rename there is nothing at its place any more; what has that name is nothing but records. */
function takeFolderAway(disk: Disk, folder: HeldFolder, dir: Dir, erased: Buffer): void {
  const { parent, name, path } = folder;
  disk.renameExclusive(parent, name, parent, erased);
  disk.syncDir(parent);
  dropLock(disk, folder);
  emptyDir(disk, folder.ownDir);
  disk.removeDir(dir, OWN_DIR_NAME);
  disk.removeDir(parent, erased);
  disk.syncDir(parent);
  removeHeldArea(disk, splitPath(path).parent);
}

/** Nothing of Eremos stays where nothing is tucked away. */
function removeHeldArea(disk: Disk, area: Buffer): void {
  const { parent, name } = splitPath(area);
  if (!name.equals(HELD_NAME)) return;
  try {
    within(disk, disk.openRoot(parent), (dir) => disk.removeDir(dir, HELD_NAME));
  } catch (error) {
    if (systemCode(error) === undefined) throw error;
  }
}

/**
 * What a crash at the last moment leaves where a folder was, or was hidden: a directory with its records alone. Anything
 * else of that name is left.
 */
export function sweepErased(disk: Disk, path: Buffer, id: string): void {
  const name = nameOfErased(id);
  for (const directory of [splitPath(path).parent, ...heldAreasAbove(path)]) {
    try {
      within(disk, disk.openRoot(directory), (parent) => {
        const stat = disk.find(parent, name);
        if (stat?.type !== "dir" || !disk.owns(stat)) return;
        const isEmpty = within(disk, disk.openDir(parent, name), (dir) => {
          if (disk.find(dir, OWN_DIR_NAME)?.type === "dir") {
            within(disk, disk.openDir(dir, OWN_DIR_NAME), (ownDir) => emptyDir(disk, ownDir, (one) => !goesLast(one)));
            disk.removeDir(dir, OWN_DIR_NAME);
          }
          return disk.list(dir).length === 0;
        });
        if (isEmpty) disk.removeDir(parent, name);
        disk.syncDir(parent);
      });
      removeHeldArea(disk, directory);
    } catch (error) {
      if (systemCode(error) === undefined) throw error;
    }
  }
}
