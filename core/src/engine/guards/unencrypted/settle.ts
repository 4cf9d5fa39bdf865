import type { GuardRecord, Original } from "../../../format/guard-record";
import type { Dir, Disk } from "../../../platform/port";
import { type Permissions, bar, closed, samePermissions } from "./bars";
import {
  type Folder,
  type HeldFolder,
  NAMES,
  OWN_DIR_NAME,
  dropLock,
  emptyDir,
  ensureDir,
  hasRecord,
  isNotContents,
  isRecordName,
  keepingTimes,
  moveAside,
  moveFreely,
  removeRecord,
  silentHooks,
  splitPath,
  within,
} from "../../ground";
import { eraseHeld } from "../erase";
import { hide, showsName } from "../../visibility";
import { applyBars, restoreOriginals, setPermissions, whatBarsChange } from "./permissions";
import { bringRemainsOut, isRemains } from "../../records";
import { commitGuard, isOfGuard, isOwnGuard, loadOriginals, permissionsOfRoot, saveOriginals } from "./guard-records";

/**
 * Makes true what a guard record says. Every step may be repeated, none needs a key, and the folder is closed to others
 * while what lies in it changes. FORMAT.md §10.4.
 */

/** Brings a folder whose guarding was cut off to where its record says; does nothing where nothing is to do. */
export function recoverGuarded(
  disk: Disk,
  folder: HeldFolder,
  record: GuardRecord,
): { readonly record: GuardRecord | null; readonly path: Buffer; readonly settled: boolean } {
  // What another computer, or a forger, wrote down is told as it is, and not made true by itself.
  if (record.state === "open" || !isOwnGuard(disk, record)) return { record, path: folder.path, settled: false };
  if (record.state === "locked" && !showsName(disk, folder, record) && isRootBarred(disk, folder, record))
    return { record, path: folder.path, settled: false };
  return { ...settle(disk, folder, record), settled: true };
}

export interface Settled {
  readonly record: GuardRecord | null;
  readonly path: Buffer;
}

/**
 * Makes true what the record says, from wherever it was cut off; returns the record it ends with, null where nothing is
 * left.
 */
export function settle(disk: Disk, folder: HeldFolder, record: GuardRecord): Settled {
  switch (record.state) {
    case "closing":
      return settle(disk, folder, commitGuard(disk, folder.ownDir, rebarred(disk, folder, record)));
    case "barring":
    case "locked":
      return shut(disk, folder, record);
    case "opening":
    case "releasing":
      return unshut(disk, folder, record);
    case "erasing":
      eraseHeld(disk, folder, record);
      return { record: null, path: folder.path };
    case "open":
      return { record, path: folder.path };
  }
}

/**
 * Under the closed folder, everything is as it was before the old bars, and what the new ones will change is written
 * down.
 */
function rebarred(disk: Disk, folder: HeldFolder, record: GuardRecord): GuardRecord {
  const bars = record.next ?? record.bars;
  const { root, rest } = closeAndLoad(disk, folder, record);
  bringOut(disk, folder);
  inListable(disk, folder, (dir) => restoreOriginals(disk, dir, rest, record.bars));
  disk.barrier(folder.ownDir);
  const found = inListable(disk, folder, (dir) => whatBarsChange(disk, dir, bars, silentHooks));
  return {
    ...record,
    state: "barring",
    bars,
    next: null,
    originals: saveOriginals(disk, folder.ownDir, root ? [root, ...found] : found),
  };
}

/**
 * Closed, barred within, hidden, and last the folder's own permissions: at no moment is more allowed than before or
 * after.
 */
function shut(disk: Disk, folder: HeldFolder, record: GuardRecord): Settled {
  removeSealed(disk, folder.ownDir);
  const { root, rest } = closeAndLoad(disk, folder, record);
  if (!hidesContents(record)) bringOut(disk, folder);
  if (root) inListable(disk, folder, (dir) => applyBars(disk, dir, rest, record.bars));
  if (hidesContents(record)) bringIn(disk, folder);
  const path = hide(disk, folder, record);
  if (root) setRoot(disk, path, bar(root, record.bars, "root"));
  disk.barrier(folder.ownDir);
  return { record: commitGuard(disk, folder.ownDir, { ...record, state: "locked" }), path };
}

function setRoot(disk: Disk, path: Buffer, permissions: Permissions): void {
  const { parent, name } = splitPath(path);
  within(disk, disk.openRoot(parent), (dir) => setPermissions(disk, dir, name, permissions));
}

function unshut(disk: Disk, folder: HeldFolder, record: GuardRecord): Settled {
  const { root, rest } = closeAndLoad(disk, folder, record);
  bringOut(disk, folder);
  if (root) {
    inListable(disk, folder, (dir) => restoreOriginals(disk, dir, rest, record.bars));
    setPermissions(disk, folder.parent, folder.name, record.closed ? { ...root, mode: closed(root) } : root);
  }
  disk.barrier(folder.ownDir);
  const isReleased = record.state === "releasing";
  const originals = record.closed && root ? saveOriginals(disk, folder.ownDir, [root]) : null;
  const restored = commitGuard(disk, folder.ownDir, { ...record, state: isReleased ? "releasing" : "open", originals });
  if (isReleased) dismantleGuard(disk, folder, restored);
  return { record: isReleased ? null : restored, path: folder.path };
}

/**
 * A drive that hides can't be renamed: its contents lie in Eremos' directory on it, which is its owner's alone, and the
 * drive looks empty.
 */
function hidesContents({ visibility, lockedName }: Pick<GuardRecord, "visibility" | "lockedName">): boolean {
  return visibility !== "view" && lockedName === null;
}

/** Where contents lie: the ones of a drive that looks empty in a directory that is its owner's alone. */
export function contentsAt(disk: Disk, path: string): string {
  try {
    const isThere = within(disk, disk.openRoot(Buffer.from(path)), (dir) =>
      within(disk, disk.enterDir(dir, OWN_DIR_NAME), (ownDir) => disk.find(ownDir, NAMES.contents)?.type === "dir"),
    );
    return isThere ? `${path}/${OWN_DIR_NAME.toString()}/${NAMES.contents.toString()}` : path;
  } catch {
    return path;
  }
}

/** What came to a drive whose contents are hidden. */
export function arrivalsBeside(disk: Disk, folder: Folder, record: GuardRecord): number {
  if (record.state !== "locked" || !hidesContents(record)) return 0;
  return inListable(disk, folder, (dir) => contentsOf(disk, dir).length);
}

function contentsOf(disk: Disk, dir: Dir): Buffer[] {
  const top = disk.statOpen(dir);
  return disk.list(dir).filter((name) => !isNotContents(top, name));
}

function bringIn(disk: Disk, folder: HeldFolder): void {
  within(disk, ensureDir(disk, folder.ownDir, NAMES.contents), (inside) => {
    disk.syncDir(folder.ownDir);
    inListable(disk, folder, (dir) => {
      for (const name of contentsOf(disk, dir)) moveFreely(disk, dir, inside, name);
      disk.syncDir(inside);
      disk.syncDir(dir);
    });
  });
}

/** Nothing is replaced; the directory they lay in goes when it is empty. */
function bringOut(disk: Disk, folder: HeldFolder): void {
  if (!disk.find(folder.ownDir, NAMES.contents)) return;
  within(disk, disk.openDir(folder.ownDir, NAMES.contents), (inside) => {
    inListable(disk, folder, (dir) => {
      for (const name of disk.list(inside)) {
        if (disk.find(dir, name)) moveAside(disk, dir, name);
        moveFreely(disk, inside, dir, name);
      }
      disk.syncDir(dir);
      disk.syncDir(inside);
    });
  });
  disk.removeDir(folder.ownDir, NAMES.contents);
  disk.syncDir(folder.ownDir);
}

/** The contents by a handle that can list them: the one the folder was entered by may not. */
export function inListable<T>(disk: Disk, folder: Folder, use: (dir: Dir) => T): T {
  return within(disk, disk.openDir(folder.parent, folder.name), use);
}

/** Closes the folder to everybody but its account, where permissions are changed at all. */
function closeAndLoad(
  disk: Disk,
  folder: HeldFolder,
  record: GuardRecord,
): { readonly root: Original | null; readonly rest: readonly Original[] } {
  const { root, rest } = loadOriginals(disk, folder, record);
  if (root) disk.setMode(folder.parent, folder.name, closed(root));
  return { root, rest };
}

function isRootBarred(disk: Disk, folder: HeldFolder, record: GuardRecord): boolean {
  if (record.originals === null) return true;
  const now = permissionsOfRoot(disk, folder);
  return samePermissions(now, bar(now, record.bars, "root"));
}

/** A folder that was sealed and lies open gets another guard: its sealed copy is not needed any more. */
function removeSealed(disk: Disk, ownDir: Dir): void {
  emptyDir(disk, ownDir, (name) => isKept(name) || isOfGuard(name));
}

function isKept(name: Buffer): boolean {
  return (
    isRemains(name) ||
    [NAMES.guard, NAMES.file].some((kept) => isRecordName(name, kept)) ||
    [NAMES.contents, NAMES.lock].some((kept) => kept.equals(name))
  );
}

function dismantleGuard(disk: Disk, folder: HeldFolder, record: GuardRecord): void {
  bringRemainsOut(disk, folder);
  emptyDir(disk, folder.ownDir, isKept);
  disk.syncDir(folder.ownDir);
  if (hasRecord(disk, folder.ownDir, NAMES.file)) {
    // The container of a single file goes when the file is out of it.
    removeRecord(disk, folder.ownDir, NAMES.guard);
    disk.syncDir(folder.ownDir);
    return;
  }
  inListable(disk, folder, (dir) => {
    disk.setTimes(dir, BigInt(record.times.atimeNs), BigInt(record.times.mtimeNs));
    dropLock(disk, folder);
    emptyDir(disk, folder.ownDir);
    keepingTimes(disk, dir, () => disk.removeDir(dir, OWN_DIR_NAME));
    disk.syncDir(dir);
  });
}
