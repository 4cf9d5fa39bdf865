import { EremosError, fromSystemError } from "../../errors/eremos-error";
import type { GuardRecord, GuardState } from "../../format/guard-record";
import type { FolderState, StateRecord } from "../../format/state";
import type { Disk } from "../../platform/port";
import { countDrops } from "../slot";
import { arrivalsBeside, recoverGuarded } from "./barred/settle";
import { isOwnGuard, loadGuard } from "./barred/guard-records";
import { countRemains, isOwnState, loadState } from "../records";
import { settleFile, sweepBeside } from "./single-file";
import { isSign } from "../visibility";
import {
  type Folder,
  type HeldFolder,
  NAMES,
  closeFolder,
  displayPath,
  hasRecord,
  holdFolder,
  isNotContents,
  letGo,
  openFolder,
} from "../ground";
import { type Recovery, recoverHeld } from "./sealed/recover-sealed";

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
  /**
   * Readable entries that the system did not let this account remove at a lock: in Eremos' directory, closed to other
   * accounts.
   */
  readonly remains: number;
}

/** Locked, and at rest. */
export function isLocked({ state }: Pick<Inspection, "state">): boolean {
  return state === "sealed" || state === "locked";
}

/**
 * Null when there is nothing at the path or it is not protected. @throws EremosError `damaged` when its state can't be
 * read, `io` when the disk can't; nothing else
 */
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
    const single = vault !== null && hasRecord(disk, vault, NAMES.file);
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
      generation: generation?.number ?? 0,
      visibility,
      lockedName,
      held,
      single,
      busy: disk.isLocked(vault, NAMES.lock),
      isOwn: isOwnState(disk, vault, state),
      arrivals,
      drops: countDrops(disk, vault),
      remains: countRemains(disk, vault),
    };
  } finally {
    closeFolder(disk, folder);
  }
}

/**
 * Brings a folder whose operation was cut off into a whole state. Needs no key, may be cut off itself, and does nothing
 * where nothing is to do.
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

/**
 * Holds a folder for work that begins from rest: what was cut off in it is put right first, and it is held where it
 * lies then, under the name it has then.
 * @throws EremosError as {@link recoverFolder}
 */
export function holdAtRest(disk: Disk, path: Buffer): HeldFolder {
  const folder = holdFolder(disk, path, { create: false });
  let now = folder.path;
  try {
    now = recoverAny(disk, folder).path;
  } catch (error) {
    letGo(disk, folder);
    throw fromSystemError(error, `putting ${displayPath(path)} right; nothing is lost`);
  }
  if (now.equals(folder.path)) return folder;
  letGo(disk, folder);
  return holdFolder(disk, now, { create: false });
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
