import { EremosError, fromSystemError } from "../../../errors/eremos-error";
import type { StateRecord } from "../../../format/state";
import type { Disk } from "../../../platform/port";
import {
  type Hiding,
  type Signs,
  hasIcon,
  hide,
  hidingOrBack,
  placeSigns,
  removeSigns,
  showAtOrdinaryPath,
  shownBy,
  writeSigns,
} from "../../visibility";
import type { ChangeInput, Changed, InHand } from "../guard";
import { commitState, loadState } from "../../records";
import { type HeldFolder, displayPath, isMountPoint } from "../../ground";
import { said } from "@eremos/words/core/guards";

/**
 * Changes what shows of a locked folder without opening it: its visibility, its cover name, its icon. Until the record
 * says otherwise, recovery leads to what it was before. @throws EremosError `not-locked` | `path-taken` |
 * `no-permission` | `not-found`
 */
export function changeSealed(disk: Disk, hand: InHand, input: ChangeInput): Changed {
  try {
    const state = loadState(disk, hand.folder.ownDir);
    if (state?.state !== "sealed")
      throw new EremosError("not-locked", said("is-not-locked-now-nothing", { path: displayPath(input.path) }));
    if (isSo(state, input)) return { path: hand.folder.path, stillOpenIn: [] };
    if (!disk.writable(hand.folder.parent) && !isMountPoint(disk, hand.folder.path))
      throw new EremosError("no-permission", said("this-renames-folder-and-this"));
    if (state.lockedName !== null) hand.folder = showAtOrdinaryPath(disk, hand.folder, state, input.place);
    const { folder } = hand;
    const hiding = hidingOrBack(disk, folder, state, input, input);
    const path =
      input.visibility === "view"
        ? showLocked(disk, folder, state, hiding, input)
        : hideLocked(disk, folder, state, hiding);
    return { path, stillOpenIn: [] };
  } catch (error) {
    throw fromSystemError(error, said("changing-what-shows-locked-folder"));
  }
}

function isSo(state: StateRecord, input: ChangeInput): boolean {
  if (state.visibility !== input.visibility) return false;
  return input.visibility !== "view" || (state.lockedName === (input.cover ?? null) && hasIcon(state, input));
}

function hideLocked(disk: Disk, folder: HeldFolder, state: StateRecord, hiding: Hiding): Buffer {
  const hidden = commitState(disk, folder.ownDir, { ...state, ...hiding });
  removeSigns(disk, folder, state);
  const path = hide(disk, folder, hidden);
  commitState(disk, folder.ownDir, { ...hidden, shows: [] });
  return path;
}

/**
 * What stood in it goes first; the record names what comes before it is there, so that none is taken for the person's
 * own.
 */
function showLocked(disk: Disk, folder: HeldFolder, state: StateRecord, hiding: Hiding, signs: Signs): Buffer {
  removeSigns(disk, folder, state);
  const showing = commitState(disk, folder.ownDir, { ...state, shows: shownBy(signs) });
  writeSigns(disk, folder.ownDir, signs);
  disk.barrier(folder.ownDir);
  placeSigns(disk, folder, showing);
  disk.syncDir(folder.dir);
  const shown = commitState(disk, folder.ownDir, { ...showing, ...hiding });
  return hide(disk, folder, shown);
}
