import { EremosError, fromSystemError, systemCode } from "../errors/eremos-error";
import { generationNumbers } from "../format/generation";
import { OBJECT_HEADER_BYTES, decodeObjectHeader } from "../format/object";
import type { GuardRecord, GuardState } from "../format/guard-record";
import type { FolderState, StateRecord } from "../format/state";
import type { Dir, Disk } from "../platform/port";
import { type Step, decide } from "./decide";
import { countDrops } from "./drop";
import { arrivalsBeside, isOfGuard, isOwnGuard, loadGuard, recoverGuarded } from "./settle";
import { withFile, within } from "./handles";
import { withObjectDir } from "./object-io";
import { hide, showsName } from "./hide";
import { bringRemainsOut, countRemains, removeStaging } from "./remains";
import { settleFile, sweepBeside } from "./single-file";
import { NO_SIGNS, digestsOf, isSign, placeSigns, removeSigns, removeWrittenSigns } from "./signs";
import { closeTop, emptyDir, moveIn, removeEntry, restoreModes, restoreTopMode, topModes } from "./staging";
import {
  type Folder,
  type HeldFolder,
  NAMES,
  VAULT_NAME,
  closeFolder,
  commitState,
  displayPath,
  dropLock,
  generationName,
  holdFolder,
  isNotContents,
  isOwnState,
  letGo,
  loadGeneration,
  loadState,
  openFolder,
} from "./vault";

export type Guard = "sealed" | GuardRecord["guard"];

/** What a folder is now, read without any key and without waiting. */
export interface Inspection {
  readonly folder: string;
  readonly guard: Guard;
  readonly state: FolderState | GuardState;
  readonly generation: number;
  readonly visibility: StateRecord["visibility"];
  readonly lockedName: string | null;
  /** Tucked away: how many levels above the directory it belongs in its held area is. */
  readonly held: number | null;
  /** It stands for a single file. */
  readonly single: boolean;
  /** An operation of some process is running on it right now. */
  readonly busy: boolean;
  /** This computer wrote its record. */
  readonly isOwn: boolean;
  /** Plain entries that appeared in the locked folder and wait to be taken in. */
  readonly arrivals: number;
  /** Files that were put in, encrypted, and wait for the owner. */
  readonly drops: number;
  /** Readable entries that the system did not let this account remove at a lock: in Eremos' directory, closed to other accounts. */
  readonly remains: number;
}

/** Locked, and at rest. */
export function isLocked({ state }: Pick<Inspection, "state">): boolean {
  return state === "sealed" || state === "locked";
}

/** Null when there is nothing at the path or it is not protected. @throws EremosError `damaged` when its state can't be read, `io` when the disk can't; nothing else */
export function inspectFolder(disk: Disk, path: Buffer): Inspection | null {
  try {
    return inspect(disk, path);
  } catch (error) {
    throw fromSystemError(error, `looking at ${displayPath(path)}; nothing was touched`);
  }
}

function inspect(disk: Disk, path: Buffer): Inspection | null {
  let folder: Folder;
  try {
    folder = openFolder(disk, path);
  } catch (error) {
    if (error instanceof EremosError && (error.code === "not-found" || error.code === "not-a-folder")) return null;
    throw error;
  }
  try {
    const { vault } = folder;
    const guarded = vault ? loadGuard(disk, vault) : null;
    const single = vault !== null && disk.find(vault, NAMES.file) !== null;
    if (vault && guarded) {
      const { folder: id, guard, state, visibility, lockedName, held } = guarded;
      return {
        folder: id,
        guard,
        state,
        generation: 0,
        visibility,
        lockedName,
        held,
        single,
        busy: disk.isLocked(vault, NAMES.lock),
        isOwn: isOwnGuard(disk, guarded),
        arrivals: arrivalsBeside(disk, folder, guarded),
        drops: 0,
        remains: 0,
      };
    }
    const state = vault ? loadState(disk, vault) : null;
    if (!vault || !state) return null;
    const { folder: id, generation, visibility, lockedName, held } = state;
    const top = disk.statOpen(folder.dir);
    const arrivals =
      state.state === "sealed"
        ? disk.list(folder.dir).filter((name) => !isNotContents(top, name) && !isSign(name, state)).length
        : 0;
    return {
      folder: id,
      guard: "sealed",
      state: state.state,
      generation,
      visibility,
      lockedName,
      held,
      single,
      busy: disk.isLocked(vault, NAMES.lock),
      isOwn: isOwnState(disk, state),
      arrivals,
      drops: countDrops(disk, vault),
      remains: countRemains(disk, vault),
    };
  } finally {
    closeFolder(disk, folder);
  }
}

export interface Recovery {
  /** The state the folder is in now; null when it is an ordinary folder again. */
  readonly state: FolderState | GuardState | null;
  readonly path: Buffer;
  readonly steps: readonly (Step | "settle")[];
}

/**
 * Brings a folder whose operation was cut off into a whole state. Needs no key, may be cut off itself, and does nothing where nothing is to do.
 * @throws EremosError `busy` when the operation is still running | `not-protected` | `damaged`
 */
export function recoverFolder(disk: Disk, path: Buffer): Recovery {
  const folder = holdForRecovery(disk, path);
  try {
    const recovery = recoverAny(disk, folder);
    return isLockedOrPartly(recovery.state) ? recovery : { ...recovery, path: settleFile(disk, folder) };
  } catch (error) {
    throw fromSystemError(error, `putting ${displayPath(path)} right; nothing is lost`);
  } finally {
    letGo(disk, folder);
  }
}

function holdForRecovery(disk: Disk, path: Buffer): HeldFolder {
  try {
    return holdFolder(disk, path, { create: false });
  } catch (error) {
    if (!(error instanceof EremosError) || error.code !== "not-a-folder") throw error;
    sweepBeside(disk, path);
    throw new EremosError("not-protected", `${displayPath(path)} is not protected by Eremos.`);
  }
}

function isLockedOrPartly(state: Recovery["state"]): boolean {
  return state !== null && state !== "open";
}

function recoverAny(disk: Disk, folder: HeldFolder): Recovery {
  const guarded = loadGuard(disk, folder.vault);
  if (!guarded) return recoverHeld(disk, folder);
  const { record, path: now, settled } = recoverGuarded(disk, folder, guarded);
  return { state: record?.state ?? null, path: now, steps: settled ? ["settle"] : [] };
}

export function recoverHeld(disk: Disk, folder: HeldFolder): Recovery {
  const state = loadState(disk, folder.vault);
  if (!state) return { state: null, path: folder.path, steps: removeLeftover(disk, folder) };
  if (!isAtRest(state) && !isOwnState(disk, state)) return keepBoth(disk, folder, state);
  const unfinished =
    state.next !== null ||
    state.staging !== null ||
    state.modes.length > topModes(disk, folder.dir, state.modes).length;
  const steps = decide({
    state: state.state,
    generation: state.generation,
    mixed: state.mixed,
    unfinished,
    showsName: showsName(disk, folder, state),
  });
  let now: StateRecord | null = state;
  let path = folder.path;
  for (const step of steps) {
    if (!now) break;
    if (step === "hide") path = hide(disk, folder, now);
    else now = apply(disk, folder, now, step);
  }
  return { state: now?.state ?? stateBefore(disk, folder), path, steps };
}

/** A state in which nothing is removed, whoever wrote it. */
function isAtRest({ state, next, staging }: StateRecord): boolean {
  return state === "sealed" || (state === "mixed" && next === null && staging === null);
}

/**
 * Another computer was at work here, or somebody forged the record, or Eremos' own data is gone: nothing is removed. What is readable comes to its place, the
 * newest sealed state stays, and both together are the folder, as when it goes file by file. @throws EremosError `unvouched` where nothing sealed is whole
 */
function keepBoth(disk: Disk, folder: HeldFolder, state: StateRecord): Recovery {
  const generation = newestWhole(disk, folder.vault);
  if (generation === null)
    throw new EremosError(
      "unvouched",
      `Work on ${displayPath(folder.path)} was cut off, and its record is not of this computer, so nothing was removed or moved. Finish it on the computer that began it, or bring everything out with \`eremos rescue\`.`,
      { what: "record" },
    );
  if (disk.find(folder.vault, NAMES.staging)) {
    within(disk, disk.openDir(folder.vault, NAMES.staging), (staging) => {
      moveIn(disk, staging, folder.dir, []);
      disk.barrier(folder.vault);
    });
    disk.removeDir(folder.vault, NAMES.staging);
  }
  const kept = commitState(disk, folder.vault, {
    ...state,
    state: "mixed",
    generation,
    next: null,
    staging: null,
    modes: [],
    mixed: true,
    ...digestsOf(NO_SIGNS),
  });
  return { state: kept.state, path: folder.path, steps: ["mark-mixed"] };
}

/** The number of the newest generation whose record and index are there; null: none. */
function newestWhole(disk: Disk, vault: Dir): number | null {
  if (!disk.find(vault, NAMES.generations)) return null;
  const numbers = within(disk, disk.openDir(vault, NAMES.generations), (dir) =>
    generationNumbers(disk.list(dir).map((name) => name.toString("latin1"))),
  );
  return numbers.sort((a, b) => b - a).find((number) => isThere(disk, vault, number)) ?? null;
}

function isThere(disk: Disk, vault: Dir, number: number): boolean {
  try {
    const { record } = loadGeneration(disk, vault, number);
    return (
      record.generation === number &&
      withObjectDir(disk, vault, "index", record.index.object, false, (dir, name) => disk.find(dir, name) !== null)
    );
  } catch (error) {
    if (error instanceof EremosError || systemCode(error) === "ENOENT") return false;
    throw error;
  }
}

/** Where its first sealing was undone, it lies open as before under another guard, or is an ordinary folder. */
function stateBefore(disk: Disk, folder: HeldFolder): GuardState | null {
  return disk.find(folder.dir, VAULT_NAME) ? (loadGuard(disk, folder.vault)?.state ?? null) : null;
}

/** Eremos' directory without a state record: a first lock cut off before its first record, or a release after its last. */
function removeLeftover(disk: Disk, folder: HeldFolder): readonly Step[] {
  removeVault(disk, folder);
  return ["dismantle"];
}

/** Where the folder lay open under another guard, it still does; the container of a single file goes when the file is out of it. */
function removeVault(disk: Disk, folder: HeldFolder): void {
  if (disk.find(folder.vault, NAMES.guard) || disk.find(folder.vault, NAMES.file)) {
    emptyDir(
      disk,
      folder.vault,
      (name) => isOfGuard(name) || [NAMES.file, NAMES.lock].some((kept) => kept.equals(name)),
    );
    disk.syncDir(folder.vault);
    return;
  }
  emptyDir(disk, folder.vault);
  try {
    disk.removeDir(folder.dir, VAULT_NAME);
  } catch (error) {
    if (systemCode(error) !== "ENOTEMPTY") throw error;
    // Through FUSE an open file keeps a name until it is closed.
    dropLock(disk, folder);
    emptyDir(disk, folder.vault);
    disk.removeDir(folder.dir, VAULT_NAME);
  }
}

function apply(disk: Disk, folder: HeldFolder, state: StateRecord, step: Exclude<Step, "hide">): StateRecord | null {
  switch (step) {
    case "move-back":
      moveBack(disk, folder, state);
      return state;
    case "discard-next":
      discardGeneration(disk, folder.vault, state.next ?? 0, state.generation);
      return state;
    case "remove-page":
      removeSigns(disk, folder, state);
      return state;
    case "dismantle":
      dismantle(disk, folder, state);
      return null;
    case "restore-modes":
      restoreModes(disk, folder.dir, state.modes);
      return state;
    case "mark-open":
      return commitState(disk, folder.vault, {
        ...state,
        state: "open",
        next: null,
        staging: null,
        modes: topModes(disk, folder.dir, state.modes),
        mixed: false,
        ...digestsOf(NO_SIGNS),
      });
    case "mark-mixed":
      return commitState(disk, folder.vault, {
        ...state,
        state: "mixed",
        next: null,
        staging: null,
        modes: topModes(disk, folder.dir, state.modes),
        ...digestsOf(NO_SIGNS),
      });
    case "finish-removing":
      finishRemoving(disk, folder, state);
      return state;
    case "empty-staging":
      removeEntry(disk, folder.vault, NAMES.staging);
      removeEntry(disk, folder.vault, NAMES.links);
      // What is readable is gone for certain before any record says that the folder is sealed.
      disk.syncDir(folder.vault);
      return state;
    case "mark-sealed":
      return commitState(disk, folder.vault, {
        ...state,
        state: "sealed",
        next: null,
        staging: null,
        modes: [],
        times: null,
      });
  }
}

/** Entries and the modes they get back are durable before any record says that they are at their place. */
export function moveBack(disk: Disk, folder: HeldFolder, state: StateRecord): void {
  if (disk.find(folder.vault, NAMES.staging)) {
    within(disk, disk.openDir(folder.vault, NAMES.staging), (staging) => {
      closeTop(disk, folder.dir, state.modes);
      moveIn(disk, staging, folder.dir, state.modes);
      restoreModes(disk, folder.dir, state.modes);
      restoreTimes(disk, folder, state);
      disk.barrier(folder.vault);
    });
    disk.removeDir(folder.vault, NAMES.staging);
  } else if (state.modes.length > 0) {
    restoreModes(disk, folder.dir, state.modes);
    restoreTimes(disk, folder, state);
    disk.barrier(folder.vault);
  }
  removeEntry(disk, folder.vault, NAMES.links);
}

function restoreTimes(disk: Disk, folder: Folder, state: StateRecord): void {
  if (state.times) disk.setTimes(folder.dir, BigInt(state.times.atimeNs), BigInt(state.times.mtimeNs));
}

/** Removes the objects and records of a generation that was never committed. */
function discardGeneration(disk: Disk, vault: Dir, generation: number, committed: number): void {
  if (generation === 0 || generation === committed) return;
  eachObject(disk, vault, (dir, name, born) => {
    if (born === generation || born === null) disk.unlink(dir, name);
  });
  const inDir = (dirName: Buffer, matches: (name: string) => boolean): void => {
    if (!disk.find(vault, dirName)) return;
    within(disk, disk.openDir(vault, dirName), (dir) => {
      for (const name of disk.list(dir)) if (matches(name.toString("latin1"))) disk.unlink(dir, name);
    });
  };
  const records = [
    generationName(generation, false).toString("latin1"),
    generationName(generation, true).toString("latin1"),
  ];
  inDir(NAMES.generations, (name) => records.includes(name));
  inDir(NAMES.keys, (name) => name.startsWith(`${generation}-`));
  removeWrittenSigns(disk, vault);
}

/** Calls `use` with every pack and index object and the generation it was born in (null when its beginning can't be read). */
export function eachObject(disk: Disk, vault: Dir, use: (dir: Dir, name: Buffer, born: number | null) => void): void {
  const visit = (parent: Dir, name: Buffer, depth: number): void => {
    if (!disk.find(parent, name)) return;
    within(disk, disk.openDir(parent, name), (dir) => {
      for (const child of disk.list(dir)) {
        if (depth > 0) visit(dir, child, depth - 1);
        else use(dir, child, bornIn(disk, dir, child));
      }
    });
  };
  visit(vault, NAMES.packs, 1);
  visit(vault, NAMES.index, 0);
}

function bornIn(disk: Disk, dir: Dir, name: Buffer): number | null {
  return withFile(disk, disk.openRead(dir, name), (file) => {
    const bytes = Buffer.alloc(OBJECT_HEADER_BYTES);
    if (disk.read(file, bytes, 0, bytes.length, 0) < bytes.length) return null;
    try {
      return decodeObjectHeader(bytes).generation;
    } catch {
      return null;
    }
  });
}

/** Removes the plain copy, puts the page at its place. From `removing` on this may only go forward. */
export function finishRemoving(disk: Disk, folder: HeldFolder, state: StateRecord): void {
  removeStaging(disk, folder.vault);
  removeEntry(disk, folder.vault, NAMES.opened);
  emptyDir(disk, folder.vault, (name) => !isOfGuard(name));
  placeSigns(disk, folder, state);
  restoreTopMode(disk, folder.dir, state.modes);
  disk.syncDir(folder.vault);
  disk.syncDir(folder.dir);
}

/**
 * Removes everything Eremos added and sets the folder's own times again. The state record goes last. A folder that was never sealed before
 * and lies open under another guard still does.
 */
export function dismantle(disk: Disk, folder: HeldFolder, state: StateRecord): void {
  if (state.state !== "releasing") commitState(disk, folder.vault, { ...state, state: "releasing" });
  removeSigns(disk, folder, state);
  bringRemainsOut(disk, folder);
  const stays = (name: Buffer): boolean =>
    name.equals(NAMES.state) || name.equals(NAMES.file) || (state.generation === 0 && isOfGuard(name));
  emptyDir(disk, folder.vault, (name) => stays(name) || name.equals(NAMES.lock));
  disk.syncDir(folder.vault);
  emptyDir(disk, folder.vault, stays);
  removeVault(disk, folder);
  restoreTimes(disk, folder, state);
  disk.syncDir(folder.dir);
}
