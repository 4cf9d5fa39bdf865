import { HIDDEN_NAME } from "../format/ids";
import type { Disk } from "../platform/port";
import { within } from "./handles";
import { heldAreasAbove } from "./hide";
import { type Inspection, inspectFolder } from "./recover";
import { joinPath, splitPath } from "./vault";

export interface Located {
  readonly realPath: Buffer;
  readonly inspection: Inspection;
}

/** Finds a folder by its id: at its ordinary path, else under a hidden name beside it or in a held area above it. Null when it is at none. */
export function locateFolder(disk: Disk, path: Buffer, folder: string): Located | null {
  const here = inspectFolder(disk, path);
  if (here?.folder === folder) return { realPath: path, inspection: here };
  for (const parent of [splitPath(path).parent, ...heldAreasAbove(path)]) {
    for (const name of namesIn(disk, parent)) {
      if (!HIDDEN_NAME.test(name.toString("latin1"))) continue;
      const realPath = joinPath(parent, name);
      const inspection = inspectFolder(disk, realPath);
      if (inspection?.folder === folder) return { realPath, inspection };
    }
  }
  return null;
}

function namesIn(disk: Disk, path: Buffer): Buffer[] {
  try {
    return within(disk, disk.openRoot(path), (dir) => {
      return disk.list(dir);
    });
  } catch {
    return [];
  }
}

/** The nearest folder above `path` that is protected, or null: a protected folder can't lie in another. */
export function protectedAbove(disk: Disk, path: Buffer): Buffer | null {
  for (let at = splitPath(path).parent; at.length > 1; at = splitPath(at).parent) {
    if (inspectFolder(disk, at)) return at;
  }
  return null;
}
