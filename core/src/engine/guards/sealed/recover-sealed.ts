import { EremosError, systemCode } from "../../../errors/eremos-error";
import { type GenerationRef, refOf, segmentsOf } from "../../../format/generation";
import type { GuardState } from "../../../format/guard-record";
import { type StateRecord, isStateName } from "../../../format/state";
import type { Dir, Disk } from "../../../platform/port";
import { type Step, decide } from "./decide";
import type { Recovery } from "../guard";
import { isOfGuard, loadGuard } from "../unencrypted/guard-records";
import {
  type Folder,
  type HeldFolder,
  NAMES,
  VAULT_NAME,
  closeTop,
  displayPath,
  dropLock,
  emptyDir,
  hasRecord,
  isRecordName,
  keepingTimes,
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

/** By what the state record says, read now; a folder without one is an ordinary one. */
export function recoverHeld(disk: Disk, folder: HeldFolder): Recovery {
  const state = loadState(disk, folder.vault);
  return state ? recoverSealed(disk, folder, state) : removeLeftover(disk, folder);
}

export function recoverSealed(disk: Disk, folder: HeldFolder, state: StateRecord): Recovery {
  if (!isAtRest(state) && !isOwnState(disk, folder.vault, state)) return keepBoth(disk, folder, state);
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
    disk.find(folder.vault, NAMES.staging) &&
    !isAllThere(disk, folder.vault, state.generation)
  )
    return keepBoth(disk, folder, state);
  for (const step of steps) {
    if (!now) break;
    if (step === "hide") path = hide(disk, folder, now);
    else now = apply(disk, folder, now, step);
  }
  return { state: now?.state ?? stateBefore(disk, folder), path, steps };
}

/** Whether every object of a state lies here, in its whole length. */
function isAllThere(disk: Disk, vault: Dir, ref: GenerationRef | null): boolean {
  const arrival = ref && arrivalOf(disk, vault, ref);
  return arrival !== null && arrival.arrived === arrival.pieces;
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
  const generation = newestWhole(disk, folder.vault, isFromElsewhere(disk, folder.vault, state));
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
    shows: [],
  });
  return { state: kept.state, path: folder.path, steps: ["mark-mixed"] };
}

/**
 * The newest generation whose record and index are there; null: none. @throws EremosError `arriving` where none is
 * there throughout and the rest may come
 */
function newestWhole(disk: Disk, vault: Dir, mayCome: boolean): GenerationRef | null {
  const found = wholeGenerations(disk, vault).records;
  const throughout = found.find((record) => isAllThere(disk, vault, refOf(record)));
  if (!throughout && mayCome)
    throw stillArriving("This folder", (found[0] && arrivalOf(disk, vault, refOf(found[0]))) ?? NOTHING_HERE);
  // Else one of which the index is: then some of its files are missing, and the others come out.
  const whole =
    throughout ??
    found.find((record) =>
      segmentsOf(record).every(({ object }) => objectLength(disk, vault, "index", object) !== null),
    );
  return whole ? refOf(whole) : null;
}

/** Where its first sealing was undone, it lies open as before under another guard, or is an ordinary folder. */
function stateBefore(disk: Disk, folder: HeldFolder): GuardState | null {
  return disk.find(folder.dir, VAULT_NAME) ? (loadGuard(disk, folder.vault)?.state ?? null) : null;
}

/**
 * Eremos' directory without a state record: a first lock cut off before its first record, or a release after its last.
 */
export function removeLeftover(disk: Disk, folder: HeldFolder): Recovery {
  removeVault(disk, folder);
  return { state: null, path: folder.path, steps: ["dismantle"] };
}

/**
 * Where the folder lay open under another guard, it still does; the container of a single file goes when the file is
 * out of it.
 */
function removeVault(disk: Disk, folder: HeldFolder): void {
  if ([NAMES.guard, NAMES.file].some((name) => hasRecord(disk, folder.vault, name))) {
    emptyDir(
      disk,
      folder.vault,
      (name) => isOfGuard(name) || isRecordName(name, NAMES.file) || name.equals(NAMES.lock),
    );
    disk.syncDir(folder.vault);
    return;
  }
  emptyDir(disk, folder.vault);
  const remove = (): void => keepingTimes(disk, folder.dir, () => disk.removeDir(folder.dir, VAULT_NAME));
  try {
    remove();
  } catch (error) {
    if (systemCode(error) !== "ENOTEMPTY") throw error;
    // Through FUSE an open file keeps a name until it is closed.
    dropLock(disk, folder);
    emptyDir(disk, folder.vault);
    remove();
  }
}

function apply(disk: Disk, folder: HeldFolder, state: StateRecord, step: Exclude<Step, "hide">): StateRecord | null {
  switch (step) {
    case "move-back":
      moveBack(disk, folder, state);
      return state;
    case "discard-next":
      if (state.next) discardWork(disk, folder.vault, state.next, state.generation);
      removeWrittenSigns(disk, folder.vault);
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
        shows: [],
      });
    case "mark-mixed":
      return commitState(disk, folder.vault, {
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
 * Removes everything Eremos added and sets the folder's own times again. The state record goes last. A folder that was
 * never sealed before and lies open under another guard still does.
 */
export function dismantle(disk: Disk, folder: HeldFolder, state: StateRecord): void {
  if (state.state !== "releasing") commitState(disk, folder.vault, { ...state, state: "releasing" });
  removeSigns(disk, folder, state);
  bringRemainsOut(disk, folder);
  const stays = (name: Buffer): boolean =>
    isStateName(name) || isRecordName(name, NAMES.file) || (state.generation === null && isOfGuard(name));
  emptyDir(disk, folder.vault, (name) => stays(name) || name.equals(NAMES.lock));
  disk.syncDir(folder.vault);
  // While a record still says what they were.
  restoreTimes(disk, folder, state);
  emptyDir(disk, folder.vault, stays);
  removeVault(disk, folder);
  disk.syncDir(folder.dir);
}
