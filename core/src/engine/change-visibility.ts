import { sha256 } from "../crypto/bytes";
import { EremosError, fromSystemError } from "../errors/eremos-error";
import type { StateRecord } from "../format/state";
import type { Disk } from "../platform/port";
import { type Hiding, IN_VIEW, hide, hidingOrBack, showAtOrdinaryPath } from "./hide";
import { recoverHeld, removePage } from "./recover";
import { writeFile } from "./seal-generation";
import { type HeldFolder, NAMES, PAGE_NAME, commitState, displayPath, holdFolder, letGo, loadState } from "./vault";

export interface VisibilityInput {
  readonly path: Buffer;
  /** Its ordinary path, as the owner's list knows it. */
  readonly place: Buffer;
  readonly visibility: StateRecord["visibility"];
  readonly places: readonly Buffer[];
  /** For a folder that comes into view: the page in it. */
  readonly page: Buffer;
}

/**
 * Changes what shows of a locked folder without opening it. Until the record says otherwise, recovery leads to what it was before.
 * Returns its path now. @throws EremosError `not-locked` | `path-taken` | `no-permission` | `not-found`
 */
export function changeVisibility(disk: Disk, input: VisibilityInput): Buffer {
  let folder = holdFolder(disk, input.path, { create: false });
  try {
    if (loadState(disk, folder.vault)?.state !== "sealed") recoverHeld(disk, folder);
    const state = loadState(disk, folder.vault);
    if (state?.state !== "sealed") throw new EremosError("not-locked", `${displayPath(input.path)} is not locked now. Nothing was touched.`);
    if (!disk.writable(folder.parent)) throw new EremosError("no-permission", "This renames the folder, and this account may not change the folder it lies in. Nothing was touched.");
    if (state.visibility === input.visibility) return folder.path;
    if (state.hiddenName !== null) folder = showAtOrdinaryPath(disk, folder, state, input.place);
    const hiding = hidingOrBack(disk, folder, state, input.visibility, input.places);
    return input.visibility === "view" ? showLocked(disk, folder, state, input.page) : hideLocked(disk, folder, state, hiding);
  } catch (error) {
    throw fromSystemError(error, "changing what shows of a locked folder; it is still locked");
  } finally {
    letGo(disk, folder);
  }
}

function hideLocked(disk: Disk, folder: HeldFolder, state: StateRecord, hiding: Hiding): Buffer {
  const hidden = commitState(disk, folder.vault, { ...state, ...hiding });
  removePage(disk, folder, state);
  const path = hide(disk, folder, hidden);
  commitState(disk, folder.vault, { ...hidden, page: null });
  return path;
}

function showLocked(disk: Disk, folder: HeldFolder, state: StateRecord, page: Buffer): Buffer {
  const showing = commitState(disk, folder.vault, { ...state, page: sha256(page).toString("hex") });
  if (!disk.find(folder.dir, PAGE_NAME)) {
    writeFile(disk, folder.vault, NAMES.page, page);
    disk.setMode(folder.vault, NAMES.page, 0o644);
    disk.barrier(folder.vault);
    disk.renameExclusive(folder.vault, NAMES.page, folder.dir, PAGE_NAME);
  }
  disk.syncDir(folder.dir);
  commitState(disk, folder.vault, { ...showing, ...IN_VIEW });
  return folder.path;
}
