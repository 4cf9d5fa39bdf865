import { EremosError, fromSystemError } from "../../errors/eremos-error";
import type { Disk } from "../../platform/port";
import { FOR_OTHERS, closeTop, displayPath, fileRecordIn, holdFolder, letGo, topModeOf } from "../ground";
import { commitState, loadState } from "../records";
import { said } from "@eremos/words/core/upkeep";

/**
 * For a folder that lies open and can't be locked in the time there is: other accounts are kept out of it until it is
 * locked, which gives it its own mode again. Returns whether it is so; a single file has no directory of its own to
 * close. @throws EremosError `not-open` | `busy`
 */
export function closeToOthers(disk: Disk, path: Buffer): boolean {
  const folder = holdFolder(disk, path, { create: false });
  try {
    const state = loadState(disk, folder.ownDir);
    if (state?.state !== "open")
      throw new EremosError("not-open", said("is-not-open-now-nothing", { path: displayPath(path) }));
    const { mode } = disk.statOpen(folder.dir);
    if (fileRecordIn(disk, folder.ownDir) || (mode & FOR_OTHERS) === 0) return false;
    const closed = commitState(disk, folder.ownDir, {
      ...state,
      modes: [...state.modes, topModeOf(disk, folder.dir, mode)],
    });
    closeTop(disk, folder.dir, closed.modes);
    disk.syncDir(folder.dir);
    return true;
  } catch (error) {
    throw fromSystemError(error, said("closing-other-accounts-its-contents", { path: displayPath(path) }));
  } finally {
    letGo(disk, folder);
  }
}
