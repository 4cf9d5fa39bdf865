import type { Disk } from "../../platform/port";
import { EremosError } from "../../errors/eremos-error";
import { isHiddenName, joinPath, splitPath, within } from "../ground";
import { heldAreasAbove } from "../visibility";
import { type Inspection, inspectFolder } from "../guards";

export interface Located {
  readonly realPath: Buffer;
  readonly inspection: Inspection;
}

/**
 * Finds a folder by its id: at its ordinary path, else under a hidden name beside it or in a held area above it, else
 * under its cover name beside it. Null when it is at none.
 */
export function locateFolder(disk: Disk, path: Buffer, folder: string): Located | null {
  const here = inspectFolder(disk, path);
  if (here?.folder === folder) return { realPath: path, inspection: here };
  const { parent } = splitPath(path);
  return (
    locateIn(disk, parent, folder, isHiddenName, () => true) ??
    first(heldAreasAbove(path), (area, level) =>
      locateIn(disk, area, folder, isHiddenName, ({ held }) => held === level),
    ) ??
    locateIn(
      disk,
      parent,
      folder,
      (name) => !isHiddenName(name),
      ({ lockedName }, name) => lockedName !== null && name.equals(Buffer.from(lockedName)),
    )
  );
}

function first<T, F>(all: readonly T[], find: (one: T, index: number) => F | null): F | null {
  for (const [index, one] of all.entries()) {
    const found = find(one, index);
    if (found !== null) return found;
  }
  return null;
}

/** In a directory, among names of one kind, and where its own record agrees that it belongs there. */
function locateIn(
  disk: Disk,
  directory: Buffer,
  folder: string,
  among: (name: Buffer) => boolean,
  agrees: (inspection: Inspection, name: Buffer) => boolean,
): Located | null {
  for (const name of directoriesIn(disk, directory).filter(among)) {
    const realPath = joinPath(directory, name);
    const inspection = inspectOrNull(disk, realPath);
    if (inspection?.folder === folder && agrees(inspection, name)) return { realPath, inspection };
  }
  return null;
}

/** What stands beside it may be damaged, or closed to this account; that is another's matter. */
function inspectOrNull(disk: Disk, path: Buffer): Inspection | null {
  try {
    return inspectFolder(disk, path);
  } catch (error) {
    if (error instanceof EremosError) return null;
    throw error;
  }
}

function directoriesIn(disk: Disk, path: Buffer): Buffer[] {
  try {
    return within(disk, disk.openRoot(path), (dir) => {
      return disk.list(dir).filter((name) => disk.find(dir, name)?.type === "dir");
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
