import { EremosError, fromSystemError } from "../../errors/eremos-error";
import type { StateRecord } from "../../format/state";
import type { Disk } from "../../platform/port";
import {
  type Grounds,
  type Hiding,
  type Showing,
  type Signs,
  hasIcon,
  hide,
  hidingOrBack,
  placeSigns,
  removeSigns,
  showAtOrdinaryPath,
  shownBy,
  writeSigns,
} from "../visibility";
import { holdAtRest } from "../guards";
import { commitState, loadState } from "../records";
import { type HeldFolder, displayPath, isMountPoint, letGo } from "../ground";

export interface VisibilityInput extends Showing, Signs, Grounds {
  readonly path: Buffer;
  /** Its ordinary path, as the owner's list knows it. */
  readonly place: Buffer;
}

/**
 * Changes what shows of a locked folder without opening it: its visibility, its cover name, its icon. Until the record
 * says otherwise, recovery leads to what it was before. Returns its path now. @throws EremosError `not-locked` |
 * `path-taken` | `no-permission` | `not-found`
 */
export function changeVisibility(disk: Disk, input: VisibilityInput): Buffer {
  let folder = holdAtRest(disk, input.path);
  try {
    const state = loadState(disk, folder.vault);
    if (state?.state !== "sealed")
      throw new EremosError("not-locked", `${displayPath(input.path)} is not locked now. Nothing was touched.`);
    if (isSo(state, input)) return folder.path;
    if (!disk.writable(folder.parent) && !isMountPoint(disk, folder.path))
      throw new EremosError(
        "no-permission",
        "This renames the folder, and this account may not change the folder it lies in. Nothing was touched.",
      );
    if (state.lockedName !== null) folder = showAtOrdinaryPath(disk, folder, state, input.place);
    const hiding = hidingOrBack(disk, folder, state, input, input);
    return input.visibility === "view"
      ? showLocked(disk, folder, state, hiding, input)
      : hideLocked(disk, folder, state, hiding);
  } catch (error) {
    throw fromSystemError(error, "changing what shows of a locked folder; it is still locked");
  } finally {
    letGo(disk, folder);
  }
}

function isSo(state: StateRecord, input: VisibilityInput): boolean {
  if (state.visibility !== input.visibility) return false;
  return input.visibility !== "view" || (state.lockedName === (input.cover ?? null) && hasIcon(state, input));
}

function hideLocked(disk: Disk, folder: HeldFolder, state: StateRecord, hiding: Hiding): Buffer {
  const hidden = commitState(disk, folder.vault, { ...state, ...hiding });
  removeSigns(disk, folder, state);
  const path = hide(disk, folder, hidden);
  commitState(disk, folder.vault, { ...hidden, shows: [] });
  return path;
}

/**
 * What stood in it goes first; the record names what comes before it is there, so that none is taken for the person's
 * own.
 */
function showLocked(disk: Disk, folder: HeldFolder, state: StateRecord, hiding: Hiding, signs: Signs): Buffer {
  removeSigns(disk, folder, state);
  const showing = commitState(disk, folder.vault, { ...state, shows: shownBy(signs) });
  writeSigns(disk, folder.vault, signs);
  disk.barrier(folder.vault);
  placeSigns(disk, folder, showing);
  disk.syncDir(folder.dir);
  const shown = commitState(disk, folder.vault, { ...showing, ...hiding });
  return hide(disk, folder, shown);
}
