import type { Disk } from "../../platform/port";
import { EremosError } from "../../errors/eremos-error";
import { isHiddenName, joinPath, splitPath, within } from "../ground";
import { heldAreasAbove } from "../visibility";
import { type Inspection, inspectFolder } from "../guards";

export interface Located {
  readonly realPath: Buffer;
  readonly inspection: Inspection;
}

/** A directory in which a folder may be under another name, and what its own record has to say for that. */
interface Somewhere {
  readonly directory: Buffer;
  readonly among: (name: Buffer) => boolean;
  readonly agrees: (inspection: Inspection, name: Buffer) => boolean;
}

/** Hidden beside its ordinary path; in a held area above it; in view, under its cover name. */
function placesOf(path: Buffer): readonly Somewhere[] {
  const { parent } = splitPath(path);
  return [
    { directory: parent, among: isHiddenName, agrees: () => true },
    ...heldAreasAbove(path).map((directory, level): Somewhere => ({
      directory,
      among: isHiddenName,
      agrees: ({ held }) => held === level,
    })),
    {
      directory: parent,
      among: (name) => !isHiddenName(name),
      agrees: ({ lockedName }, name) => lockedName !== null && name.equals(Buffer.from(lockedName)),
    },
  ];
}

/**
 * Where folders were seen last on a disk, by their ids: of many in one directory each would be looked for among all the
 * others. What is remembered is looked at like everything else.
 */
const seenOn = new WeakMap<Disk, Map<string, Buffer>>();

function seen(disk: Disk): Map<string, Buffer> {
  const known = seenOn.get(disk) ?? new Map<string, Buffer>();
  seenOn.set(disk, known);
  return known;
}

/**
 * Finds a folder by its id: at its ordinary path, else where it was seen last, else under a hidden name beside it or in
 * a held area above it, else under its cover name beside it. Null when it is at none.
 */
export function locateFolder(disk: Disk, path: Buffer, folder: string): Located | null {
  const places = placesOf(path);
  const whereSeen = isFree(disk, path) ? locateWhereSeen(disk, places, folder) : null;
  if (whereSeen) return whereSeen;
  const here = inspectFolder(disk, path);
  if (here?.folder === folder) return { realPath: path, inspection: here };
  return locateWhereSeen(disk, places, folder) ?? first(places, (place) => locateIn(disk, place, folder));
}

/** Nothing stands there; false where that can't be told. */
function isFree(disk: Disk, path: Buffer): boolean {
  const { parent, name } = splitPath(path);
  try {
    return within(disk, disk.openRoot(parent), (dir) => disk.find(dir, name) === null);
  } catch {
    return false;
  }
}

function locateWhereSeen(disk: Disk, places: readonly Somewhere[], folder: string): Located | null {
  const realPath = seen(disk).get(folder);
  if (!realPath) return null;
  const { parent, name } = splitPath(realPath);
  const place = places.find(({ directory, among }) => directory.equals(parent) && among(name));
  const inspection = place ? inspectOrNull(disk, realPath) : null;
  return inspection?.folder === folder && place?.agrees(inspection, name) ? { realPath, inspection } : null;
}

function first<T, F>(all: readonly T[], find: (one: T) => F | null): F | null {
  for (const one of all) {
    const found = find(one);
    if (found !== null) return found;
  }
  return null;
}

/** In a directory, among names of one kind, and where its own record agrees that it belongs there. */
function locateIn(disk: Disk, { directory, among, agrees }: Somewhere, folder: string): Located | null {
  let found: Located | null = null;
  // To the end, so that the next one of this directory need not be looked for.
  for (const name of directoriesIn(disk, directory).filter(among)) {
    const realPath = joinPath(directory, name);
    const inspection = inspectOrNull(disk, realPath);
    if (!inspection || !agrees(inspection, name)) continue;
    if (inspection.folder === folder) found ??= { realPath, inspection };
    else seen(disk).set(inspection.folder, realPath);
  }
  if (found) seen(disk).set(folder, found.realPath);
  return found;
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
