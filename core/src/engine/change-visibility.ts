import { randomBytes, sha256 } from "../crypto/bytes";
import { EremosError, fromSystemError } from "../errors/eremos-error";
import { openPlace } from "../format/generation";
import type { StateRecord } from "../format/state";
import type { Disk } from "../platform/port";
import type { CheckInput } from "./check";
import { FolderKeys, requireVouched } from "./keys";
import { hide, recoverHeld, removePage } from "./recover";
import { writeFile } from "./seal-generation";
import { showAtOrdinaryPath } from "./unlock";
import { type HeldFolder, NAMES, PAGE_NAME, commitState, displayPath, holdFolder, letGo, loadGeneration, loadHeader, loadState } from "./vault";

export interface VisibilityInput extends CheckInput {
  readonly visibility: StateRecord["visibility"];
  /** For a folder that comes into view: the page in it. */
  readonly page: Buffer;
}

/**
 * Hides a locked folder that is in view, or shows one that is hidden, without opening it. Until the last record is written, recovery
 * leads to `hidden`. Returns its path now. @throws EremosError `not-locked` | `path-taken` | `no-permission`
 */
export async function changeVisibility(disk: Disk, input: VisibilityInput): Promise<Buffer> {
  const folder = holdFolder(disk, input.path, { create: false });
  try {
    if (loadState(disk, folder.vault)?.state !== "sealed") recoverHeld(disk, folder);
    const state = loadState(disk, folder.vault);
    if (state?.state !== "sealed") throw new EremosError("not-locked", `${displayPath(input.path)} is not locked now. Nothing was touched.`);
    if (!disk.writable(folder.parent)) throw new EremosError("no-permission", "This renames the folder, and this account may not change the folder it lies in. Nothing was touched.");
    if (state.visibility === input.visibility) return folder.path;
    return input.visibility === "hidden" ? hideLocked(disk, folder, state) : await showLocked(disk, folder, state, input);
  } catch (error) {
    throw fromSystemError(error, "changing what shows of a locked folder; it is still locked");
  } finally {
    letGo(disk, folder);
  }
}

function hideLocked(disk: Disk, folder: HeldFolder, state: StateRecord): Buffer {
  const hiding = commitState(disk, folder.vault, { ...state, visibility: "hidden", hiddenName: `.${randomBytes(10).toString("hex")}` });
  removePage(disk, folder, state);
  const path = hide(disk, folder, hiding);
  commitState(disk, folder.vault, { ...hiding, page: null });
  return path;
}

async function showLocked(disk: Disk, folder: HeldFolder, state: StateRecord, input: VisibilityInput): Promise<Buffer> {
  const place = await placeOf(disk, folder, state, input);
  const showing = commitState(disk, folder.vault, { ...state, page: sha256(input.page).toString("hex") });
  const { path } = renamedOrBack(disk, folder, state, place);
  if (!disk.find(folder.dir, PAGE_NAME)) {
    writeFile(disk, folder.vault, NAMES.page, input.page);
    disk.setMode(folder.vault, NAMES.page, 0o644);
    disk.renameExclusive(folder.vault, NAMES.page, folder.dir, PAGE_NAME);
  }
  disk.barrier(folder.vault);
  commitState(disk, folder.vault, { ...showing, visibility: "view", hiddenName: null });
  return path;
}

function renamedOrBack(disk: Disk, folder: HeldFolder, state: StateRecord, place: Buffer): HeldFolder {
  try {
    return showAtOrdinaryPath(disk, folder, state, place);
  } catch (error) {
    commitState(disk, folder.vault, state);
    throw error;
  }
}

async function placeOf(disk: Disk, folder: HeldFolder, state: StateRecord, { keptHeader, access }: CheckInput): Promise<Buffer> {
  const { record: header } = loadHeader(disk, folder.vault, keptHeader);
  const { record: generation } = loadGeneration(disk, folder.vault, state.generation);
  const keys = await FolderKeys.open(disk, folder.vault, header, access);
  try {
    requireVouched(generation, header, keys, access, false);
    return openPlace(generation, keys.secret(generation.key));
  } finally {
    keys.wipe();
  }
}
