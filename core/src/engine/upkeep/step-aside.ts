import { systemCode } from "../../errors/eremos-error";
import { markedNames } from "../../format/marked-name";
import type { Disk } from "../../platform/port";
import { joinPath, splitPath, within } from "../ground";

/**
 * What lies unprotected where a protected folder belongs gets a free name beside it, and leaves that one its place.
 * Returns its path now.
 * @throws system errors, with nothing changed
 */
export function stepAside(disk: Disk, path: Buffer): Buffer {
  const { parent, name } = splitPath(path);
  return within(disk, disk.openRoot(parent), (dir) => {
    for (const free of markedNames(name, "new")) {
      try {
        disk.renameExclusive(dir, name, dir, free);
        disk.syncDir(dir);
        return joinPath(parent, free);
      } catch (error) {
        if (systemCode(error) !== "EEXIST") throw error;
      }
    }
    throw new RangeError("there was no free name");
  });
}
