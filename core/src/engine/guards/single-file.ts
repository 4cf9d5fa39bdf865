import { EremosError, fromSystemError } from "../../errors/eremos-error";
import { nameIn, writeFileRecord } from "../../format/file-record";
import { randomHiddenName } from "../../format/ids";
import type { Dir, Disk } from "../../platform/port";
import {
  type HeldFolder,
  NAMES,
  OWN_DIR_NAME,
  commitRecord,
  containerOf,
  displayPath,
  dropLock,
  fileRecordIn,
  hasRecord,
  holdFolder,
  isHiddenName,
  isOwnDirectory,
  isRecordName,
  joinPath,
  letGo,
  moveFreely,
  removeRecord,
  splitPath,
  takeBack,
  twinOf,
  within,
} from "../ground";
import { hasState } from "../records";
import { governingIn } from "./guards";
import { closedRoot } from "./unencrypted/guard-records";
import { said } from "@eremos/words/core/guards";

/**
 * A single file is protected as the only content of a folder, its container. Locked, the container has the file's name,
 * or hides like every folder. While the file lies open at its place, the container lies under a random name beside it,
 * with what Eremos keeps. FORMAT.md §11.
 *
 *   apart     P/.random/.eremos           P/letter.pdf       open, or never protected
 *   brought   P/.random/letter.pdf        (nothing)
 *   wrapped   P/letter.pdf/letter.pdf                        from here on, a folder like any other
 *
 * Each step is one rename; whatever is not locked goes back to `apart`, also after `work` has failed.
 */
export async function withFileWrapped<T>(disk: Disk, path: Buffer, work: () => Promise<T>): Promise<T> {
  const isFile = wrapFile(disk, path);
  try {
    return await work();
  } catch (error) {
    if (isFile) putFileBack(disk, path);
    throw error;
  }
}

/** Whether it is a single file; then it is the only content of a folder of its name now. */
function wrapFile(disk: Disk, path: Buffer): boolean {
  const { parent: parentPath, name } = splitPath(path);
  let parent: Dir;
  try {
    parent = disk.openRoot(parentPath);
  } catch {
    // Whoever opens the folder says what is wrong.
    return false;
  }
  try {
    return within(disk, parent, () => wrapIn(disk, path, parentPath, parent, name));
  } catch (error) {
    throw fromSystemError(error, said("looking-at-file-is-whole", { path: displayPath(path) }));
  }
}

function wrapIn(disk: Disk, path: Buffer, parentPath: Buffer, parent: Dir, name: Buffer): boolean {
  const stat = disk.find(parent, name);
  if (stat?.type === "dir") return false;
  const known = containerOf(disk, parent, name);
  if (!known && stat?.type !== "file") return false;
  if (stat?.type !== "file")
    throw new EremosError("not-found", said("file-that-lies-open-as", { path: displayPath(path) }));
  sweepContainers(disk, parent);
  const container = known ?? randomHiddenName();
  try {
    if (!known) makeContainer(disk, parent, container, name);
    bring(disk, { parentPath, parent, name, container });
  } catch (error) {
    // It was made for nothing; where the file could not be put back, it holds that, and stays.
    if (!known) takeBack(() => removeIfUnmade(disk, parent, container, JUST_MADE));
    throw error;
  }
  return true;
}

interface Bringing {
  readonly parentPath: Buffer;
  readonly parent: Dir;
  readonly name: Buffer;
  readonly container: Buffer;
}

function bring(disk: Disk, { parentPath, parent, name, container }: Bringing): void {
  let folder = holdFolder(disk, joinPath(parentPath, container), { create: false });
  try {
    disk.renameExclusive(parent, name, folder.dir, name);
    disk.syncDir(folder.dir);
    disk.syncDir(parent);
    disk.renameExclusive(parent, container, parent, name);
    folder = { ...folder, name, path: joinPath(parentPath, name) };
    disk.syncDir(parent);
    commitRecord(disk, folder.ownDir, NAMES.file, writeFileRecord(null, fileRecordIn(disk, folder.ownDir)));
  } catch (error) {
    placeIfPossible(disk, folder);
    throw fromSystemError(error, said("locking-file-is-whole", { path: displayPath(joinPath(parentPath, name)) }));
  } finally {
    letGo(disk, folder);
  }
}

const CONTAINER_MODE = 0o755;

/** For the file of this name. */
function makeContainer(disk: Disk, parent: Dir, container: Buffer, name: Buffer): void {
  disk.makeDir(parent, container, CONTAINER_MODE);
  // There for certain before anything in it is.
  disk.syncDir(parent);
  within(disk, disk.openDir(parent, container), (dir) => {
    disk.makeDir(dir, OWN_DIR_NAME, 0o700);
    within(disk, disk.openDir(dir, OWN_DIR_NAME), (ownDir) => {
      disk.clearAccessLists(ownDir);
      disk.syncDir(dir);
      commitRecord(disk, ownDir, NAMES.file, writeFileRecord(name, null));
    });
  });
}

/** What is in Eremos' directory of a container of which nothing is known yet. */
const UNMADE = [
  ...[NAMES.file, twinOf(NAMES.file)].map((one) => Buffer.concat([one, Buffer.from(".new")])),
  NAMES.lock,
];
/** In one that this very work made: its record, too. */
const JUST_MADE = [...UNMADE, NAMES.file, twinOf(NAMES.file)];

/** Beside a file that is not protected. */
export function sweepBeside(disk: Disk, path: Buffer): void {
  within(disk, disk.openRoot(splitPath(path).parent), (parent) => sweepContainers(disk, parent));
}

/** Containers whose making or removal was cut off: nothing but an empty directory of Eremos' is in them. */
function sweepContainers(disk: Disk, parent: Dir): void {
  for (const name of disk.list(parent))
    if (isHiddenName(name) && isOwnDirectory(disk, parent, name)) removeIfUnmade(disk, parent, name, UNMADE);
}

/** `empty`: with nothing but these in it, nobody having it in hand, it is. */
function removeIfUnmade(disk: Disk, parent: Dir, name: Buffer, empty: readonly Buffer[]): void {
  const isUnmade = within(disk, disk.openDir(parent, name), (dir) => {
    const entries = disk.list(dir);
    if (entries.length === 0) return true;
    if (entries.length > 1 || !entries[0]?.equals(OWN_DIR_NAME)) return false;
    return within(disk, disk.openDir(dir, OWN_DIR_NAME), (ownDir) => {
      const left = disk.list(ownDir);
      if (left.some((inner) => !empty.some((known) => known.equals(inner))) || disk.isLocked(ownDir, NAMES.lock))
        return false;
      for (const inner of left) disk.unlink(ownDir, inner);
      return true;
    });
  });
  if (!isUnmade) return;
  within(disk, disk.openDir(parent, name), (dir) => {
    if (disk.find(dir, OWN_DIR_NAME)) disk.removeDir(dir, OWN_DIR_NAME);
  });
  disk.removeDir(parent, name);
}

/**
 * What is not locked lies at its own place: puts the file back beside its container, with whatever arrived in there
 * meanwhile, and removes a container that nothing is kept in any more. Does nothing for other folders. Returns where
 * the file, or the folder, is now.
 */
export function placeFile(disk: Disk, folder: HeldFolder): Buffer {
  const record = fileRecordIn(disk, folder.ownDir);
  if (!record || isKeptWrapped(disk, folder)) return folder.path;
  const parentPath = splitPath(folder.path).parent;
  const entries = disk.list(folder.dir).filter((name) => !name.equals(OWN_DIR_NAME));
  const name = entries.find((entry) => entry.equals(folder.name)) ?? nameIn(record) ?? entries[0] ?? folder.name;
  if (entries.length > 0) {
    // It is to be read again anyway, and whoever looks for it finds the container by it.
    commitRecord(disk, folder.ownDir, NAMES.file, writeFileRecord(name, record));
    if (!isHiddenName(folder.name)) {
      disk.renameExclusive(folder.parent, folder.name, folder.parent, randomHiddenName());
      disk.syncDir(folder.parent);
    }
    for (const entry of entries) moveFreely(disk, folder.dir, folder.parent, entry);
    disk.syncDir(folder.parent);
    disk.syncDir(folder.dir);
  }
  if (!hasState(disk, folder.ownDir) && !hasRecord(disk, folder.ownDir, NAMES.guard)) removeContainer(disk, folder);
  return joinPath(parentPath, name);
}

/** By its records: not open to others, and not an ordinary file again. */
function isKeptWrapped(disk: Disk, folder: HeldFolder): boolean {
  const governing = governingIn(disk, folder.ownDir);
  return governing !== null && (governing.record.state !== "open" || closedRoot(disk, folder) !== null);
}

function removeContainer(disk: Disk, folder: HeldFolder): void {
  const { ino } = disk.statOpen(folder.dir);
  const name = disk.list(folder.parent).find((candidate) => disk.find(folder.parent, candidate)?.ino === ino);
  if (!name) return;
  dropLock(disk, folder);
  for (const left of disk.list(folder.ownDir)) if (!isRecordName(left, NAMES.file)) disk.unlink(folder.ownDir, left);
  removeRecord(disk, folder.ownDir, NAMES.file);
  disk.removeDir(folder.dir, OWN_DIR_NAME);
  disk.removeDir(folder.parent, name);
  disk.syncDir(folder.parent);
}

/** After a lock that failed: the file is at its place again. */
function putFileBack(disk: Disk, path: Buffer): void {
  takeBack(() => {
    const folder = holdFolder(disk, path, { create: false });
    placeIfPossible(disk, folder);
    letGo(disk, folder);
  });
}

/** What can't be put back now is put back when the file is next looked at. */
function placeIfPossible(disk: Disk, folder: HeldFolder): void {
  takeBack(() => {
    placeFile(disk, folder);
  });
}
