import { EremosError, fromSystemError, systemCode } from "../../errors/eremos-error";
import type { Disk } from "../../platform/port";
import { displayPath, splitPath, takeBack, within } from "../ground";
import { said } from "@eremos/words/core/upkeep";

/**
 * A folder that is not there yet, empty and for this account alone, so that it can be locked before anything is in it.
 * @throws EremosError `path-taken` | `not-found` (what it is to lie in) | `no-permission` | `no-space` | `io`
 */
export function makeFolder(disk: Disk, path: Buffer): void {
  const { parent, name } = splitPath(path);
  try {
    within(disk, disk.openRoot(parent), (dir) => {
      disk.makeDir(dir, name, 0o700);
      disk.syncDir(dir);
    });
  } catch (error) {
    const code = systemCode(error);
    if (code === "EEXIST") throw new EremosError("path-taken", said("something-is-at", { path: displayPath(path) }));
    if (code === "ENOENT" || code === "ENOTDIR" || code === "ELOOP")
      throw new EremosError("not-found", said("no-folder-to-lie-in", { parent: displayPath(parent) }));
    throw fromSystemError(error, said("making-folder", { path: displayPath(path) }));
  }
}

/** Takes a folder away that was made and not locked, while nothing is in it. */
export function unmakeFolder(disk: Disk, path: Buffer): void {
  takeBack(() => {
    const { parent, name } = splitPath(path);
    within(disk, disk.openRoot(parent), (dir) => {
      disk.removeDir(dir, name);
      disk.syncDir(dir);
    });
  });
}
