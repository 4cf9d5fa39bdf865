import { EremosError, systemCode } from "../../../errors/eremos-error";
import { type GenerationRef, refOf, segmentsOf } from "../../../format/generation";
import type { GuardState } from "../../../format/guard-record";
import { type StateRecord, isStateName, withoutOverwriting } from "../../../format/state";
import type { Dir, Disk } from "../../../platform/port";
import { eraseHeld } from "../erase";
import { type Step, decide } from "./decide";
import type { Recovery } from "../guard";
import { isOfGuard, loadGuard } from "../unencrypted/guard-records";
import {
  type Folder,
  type GoingOver,
  type HeldFolder,
  NAMES,
  OWN_DIR_NAME,
  closeTop,
  displayPath,
  dropLock,
  emptyDir,
  hasRecord,
  isRecordName,
  keepingTimes,
  overwriteWhatGoes,
  removeEntry,
  restoreModes,
  restoreTopMode,
  topModes,
  within,
} from "../../ground";
import {
  NOTHING_HERE,
  arrivalOf,
  bringRemainsOut,
  commitState,
  hasObjects,
  isFromElsewhere,
  isOwnState,
  loadState,
  objectLength,
  removeStaging,
  stillArriving,
  wholeGenerations,
} from "../../records";
import { hide, placeSigns, removeSigns, removeWrittenSigns, showsName } from "../../visibility";
import { moveIn } from "./staging";
import { discardWork } from "../../contents";
import { said, say } from "@eremos/words/core/guards";

/** By what the state record says, read now; a folder without one is an ordinary one. */
export function recoverHeld(disk: Disk, folder: HeldFolder): Recovery {
  const state = loadState(disk, folder.ownDir);
  return state ? recoverSealed(disk, folder, state) : removeLeftover(disk, folder);
}

export function recoverSealed(disk: Disk, folder: HeldFolder, state: StateRecord): Recovery {
  if (!isAtRest(state) && !isOwnState(disk, folder.ownDir, state))
    return state.state === "erasing" && isAllThere(disk, folder.ownDir, state.generation)
      ? stayLocked(disk, folder, state)
      : keepBoth(disk, folder, state);
  if (state.mixed && isOwnState(disk, folder.ownDir, state)) removeGoing(disk, folder, state);
  const unfinished =
    state.next !== null ||
    state.staging !== null ||
    state.modes.length > topModes(disk, folder.dir, state.modes).length;
  const steps = decide({
    state: state.state,
    isFirst: state.generation === null,
    mixed: state.mixed,
    unfinished,
    showsName: showsName(disk, folder, state),
  });
  let now: StateRecord | null = state;
  let path = folder.path;
  // A disk, a backup or a program that keeps folders in step may have brought the record, and not everything that it
  // stands for.
  if (
    steps.includes("finish-removing") &&
    disk.find(folder.ownDir, NAMES.staging) &&
    !isAllThere(disk, folder.ownDir, state.generation)
  )
    return keepBoth(disk, folder, state);
  for (const step of steps) {
    if (!now) break;
    if (step === "hide") path = hide(disk, folder, now);
    else now = apply(disk, folder, now, step);
  }
  return { state: now?.state ?? stateBefore(disk, folder), path, steps };
}

/** Whether every object of a state lies here, in its whole length, and the keys to them. */
function isAllThere(disk: Disk, ownDir: Dir, ref: GenerationRef | null): boolean {
  const arrival = ref && arrivalOf(disk, ownDir, ref);
  return arrival !== null && arrival.arrived === arrival.pieces;
}

/** Another computer began to remove it, or somebody forged that: what is there whole stays. */
function stayLocked(disk: Disk, folder: HeldFolder, state: StateRecord): Recovery {
  const kept = commitState(disk, folder.ownDir, { ...withoutOverwriting(state), state: "sealed" });
  return { state: kept.state, path: folder.path, steps: ["mark-sealed"] };
}

/** A state in which nothing is removed, whoever wrote it. */
function isAtRest({ state, next, staging }: StateRecord): boolean {
  return state === "sealed" || (state === "mixed" && next === null && staging === null);
}

/**
 * Another computer was at work here, or somebody forged the record, or Eremos' own data is gone: nothing is removed.
 * What is readable comes to its place, the newest sealed state stays, and both together are the folder, as when it goes
 * file by file. @throws EremosError `unvouched` where nothing sealed is whole
 */
function keepBoth(disk: Disk, folder: HeldFolder, state: StateRecord): Recovery {
  const generation = newestWhole(disk, folder.ownDir, isFromElsewhere(disk, folder.ownDir, state));
  if (generation === null)
    throw new EremosError("unvouched", said("work-on-was-cut-off", { path: displayPath(folder.path) }), {
      what: "record",
    });
  if (disk.find(folder.ownDir, NAMES.staging)) {
    within(disk, disk.openDir(folder.ownDir, NAMES.staging), (staging) => {
      moveIn(disk, staging, folder.dir, []);
      disk.barrier(folder.ownDir);
    });
    disk.removeDir(folder.ownDir, NAMES.staging);
  }
  const kept = commitState(disk, folder.ownDir, {
    ...state,
    state: "mixed",
    generation,
    next: null,
    staging: null,
    modes: [],
    mixed: true,
    shows: [],
  });
  return { state: kept.state, path: folder.path, steps: ["mark-mixed"] };
}

/**
 * The newest generation whose record and index are there; null: none. @throws EremosError `arriving` where none is
 * there throughout and the rest may come
 */
function newestWhole(disk: Disk, ownDir: Dir, mayCome: boolean): GenerationRef | null {
  const found = wholeGenerations(disk, ownDir).records;
  // A key that is not on its way either is lost; what is not sealed with it comes out.
  const throughout = found.find((record) => (mayCome ? isAllThere : hasObjects)(disk, ownDir, refOf(record)));
  if (!throughout && mayCome)
    throw stillArriving(say("this-folder"), (found[0] && arrivalOf(disk, ownDir, refOf(found[0]))) ?? NOTHING_HERE);
  // Else one of which the index is: then some of its files are missing, and the others come out.
  const whole =
    throughout ??
    found.find((record) =>
      segmentsOf(record).every(({ object }) => objectLength(disk, ownDir, "index", object) !== null),
    );
  return whole ? refOf(whole) : null;
}

/** Where its first sealing was undone, it lies open as before under another guard, or is an ordinary folder. */
function stateBefore(disk: Disk, folder: HeldFolder): GuardState | null {
  return disk.find(folder.dir, OWN_DIR_NAME) ? (loadGuard(disk, folder.ownDir)?.state ?? null) : null;
}

/**
 * Eremos' directory without a state record: a first lock cut off before its first record, or a release after its last.
 */
export function removeLeftover(disk: Disk, folder: HeldFolder): Recovery {
  removeOwnDir(disk, folder);
  return { state: null, path: folder.path, steps: ["dismantle"] };
}

/**
 * Where the folder lay open under another guard, it still does; the container of a single file goes when the file is
 * out of it.
 */
function removeOwnDir(disk: Disk, folder: HeldFolder): void {
  if ([NAMES.guard, NAMES.file].some((name) => hasRecord(disk, folder.ownDir, name))) {
    emptyDir(
      disk,
      folder.ownDir,
      (name) => isOfGuard(name) || isRecordName(name, NAMES.file) || name.equals(NAMES.lock),
    );
    disk.syncDir(folder.ownDir);
    return;
  }
  emptyDir(disk, folder.ownDir);
  const remove = (): void => keepingTimes(disk, folder.dir, () => disk.removeDir(folder.dir, OWN_DIR_NAME));
  try {
    remove();
  } catch (error) {
    if (systemCode(error) !== "ENOTEMPTY") throw error;
    // Through FUSE an open file keeps a name until it is closed.
    dropLock(disk, folder);
    emptyDir(disk, folder.ownDir);
    remove();
  }
}

function apply(disk: Disk, folder: HeldFolder, state: StateRecord, step: Exclude<Step, "hide">): StateRecord | null {
  switch (step) {
    case "move-back":
      moveBack(disk, folder, state);
      return state;
    case "discard-next":
      if (state.next) discardWork(disk, folder.ownDir, state.next, state.generation);
      removeWrittenSigns(disk, folder.ownDir);
      return state;
    case "remove-page":
      removeSigns(disk, folder, state);
      return state;
    case "erase":
      eraseHeld(disk, folder, state);
      return null;
    case "dismantle":
      dismantle(disk, folder, state);
      return null;
    case "restore-modes":
      restoreModes(disk, folder.dir, state.modes);
      return state;
    case "mark-open":
      return commitState(disk, folder.ownDir, {
        ...withoutOverwriting(state),
        state: "open",
        next: null,
        staging: null,
        modes: topModes(disk, folder.dir, state.modes),
        mixed: false,
        shows: [],
      });
    case "mark-mixed":
      return commitState(disk, folder.ownDir, {
        ...state,
        state: "mixed",
        next: null,
        staging: null,
        modes: topModes(disk, folder.dir, state.modes),
        shows: [],
      });
    case "finish-removing":
      finishRemoving(disk, folder, state);
      return state;
    case "empty-staging":
      removeEntry(disk, folder.ownDir, NAMES.staging);
      removeEntry(disk, folder.ownDir, NAMES.links);
      // What is readable is gone for certain before any record says that the folder is sealed.
      disk.syncDir(folder.ownDir);
      return state;
    case "mark-sealed":
      return commitState(disk, folder.ownDir, {
        ...withoutOverwriting(state),
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
  if (disk.find(folder.ownDir, NAMES.staging)) {
    within(disk, disk.openDir(folder.ownDir, NAMES.staging), (staging) => {
      closeTop(disk, folder.dir, state.modes);
      moveIn(disk, staging, folder.dir, state.modes);
      restoreModes(disk, folder.dir, state.modes);
      restoreTimes(disk, folder, state);
      disk.barrier(folder.ownDir);
    });
    disk.removeDir(folder.ownDir, NAMES.staging);
  } else if (state.modes.length > 0) {
    restoreModes(disk, folder.dir, state.modes);
    restoreTimes(disk, folder, state);
    disk.barrier(folder.ownDir);
  }
  removeEntry(disk, folder.ownDir, NAMES.links);
}

function restoreTimes(disk: Disk, folder: Folder, state: StateRecord): void {
  if (state.times) disk.setTimes(folder.dir, BigInt(state.times.atimeNs), BigInt(state.times.mtimeNs));
}

/** Removes the plain copy, puts the page at its place. From `removing` on this may only go forward. */
export function finishRemoving(disk: Disk, folder: HeldFolder, state: StateRecord, wrote?: GoingOver["wrote"]): number {
  const notOverwritten = removeStaging(disk, folder.ownDir, state.overwrites, wrote) + removeGoing(disk, folder, state);
  removeEntry(disk, folder.ownDir, NAMES.opened);
  emptyDir(disk, folder.ownDir, (name) => !isOfGuard(name));
  placeSigns(disk, folder, state);
  restoreTopMode(disk, folder.dir, state.modes);
  disk.syncDir(folder.ownDir);
  disk.syncDir(folder.dir);
  return notOverwritten;
}

/** File by file: what lies there is sealed and durable, and on its way out. Returns as {@link removeStaging}. */
export function removeGoing(disk: Disk, folder: HeldFolder, { overwrites = 0 }: StateRecord): number {
  if (!disk.find(folder.ownDir, NAMES.going)) return 0;
  const not = overwrites > 0 ? overwriteWhatGoes(disk, folder.ownDir, NAMES.going, { passes: overwrites }) : 0;
  removeEntry(disk, folder.ownDir, NAMES.going);
  disk.syncDir(folder.ownDir);
  return not;
}

/**
 * Removes everything Eremos added and sets the folder's own times again. The state record goes last. A folder that was
 * never sealed before and lies open under another guard still does.
 */
export function dismantle(disk: Disk, folder: HeldFolder, state: StateRecord): void {
  if (state.state !== "releasing") commitState(disk, folder.ownDir, { ...state, state: "releasing" });
  removeSigns(disk, folder, state);
  bringRemainsOut(disk, folder);
  const stays = (name: Buffer): boolean =>
    isStateName(name) || isRecordName(name, NAMES.file) || (state.generation === null && isOfGuard(name));
  emptyDir(disk, folder.ownDir, (name) => stays(name) || name.equals(NAMES.lock));
  disk.syncDir(folder.ownDir);
  // While a record still says what they were.
  restoreTimes(disk, folder, state);
  emptyDir(disk, folder.ownDir, stays);
  removeOwnDir(disk, folder);
  disk.syncDir(folder.dir);
}
