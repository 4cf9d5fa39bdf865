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
  return locateIn(disk, splitPath(path).parent, folder, null) ?? first(heldAreasAbove(path), (area, level) => locateIn(disk, area, folder, level));
}

function first<T, F>(all: readonly T[], find: (one: T, index: number) => F | null): F | null {
  for (const [index, one] of all.entries()) {
    const found = find(one, index);
    if (found !== null) return found;
  }
  return null;
}

/** Under a hidden name in a directory; in a held area only where that is as far above the ordinary path as its record says. */
function locateIn(disk: Disk, directory: Buffer, folder: string, level: number | null): Located | null {
  for (const name of namesIn(disk, directory)) {
    if (!HIDDEN_NAME.test(name.toString("latin1"))) continue;
    const realPath = joinPath(directory, name);
    const inspection = inspectFolder(disk, realPath);
    if (inspection?.folder === folder && (level === null || inspection.held === level)) return { realPath, inspection };
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
