import { EremosError, type Failure, failureOf, isEremosError } from "../../errors/eremos-error";
import type { Disk } from "../../platform/port";
import { isInsured } from "../../insurance";
import type { Fork } from "../records";
import { forksAt } from "../visiting";
import { roomForBoth } from "../contents";
import { isLocked } from "../guards";
import { countMovedIn, ownDirPlace } from "../slot";
import { closeFolder, displayPath, openFolder, splitPath, within } from "../ground";
import { type Located, locateFolder } from "./locate";
import { said } from "@eremos/words/core/upkeep";

/** What the owner's list knows of a folder, as far as a look at it needs that. */
export interface FolderToLookAt {
  readonly id: string;
  /** Its ordinary path. */
  readonly path: Buffer;
  /** All that is on a drive. */
  readonly isDrive: boolean;
  /** It has what is encrypted: other states, insurance, a question of room. */
  readonly isEncrypting: boolean;
  readonly files: number;
  readonly bytes: number;
}

export interface LookRequest {
  readonly folders: readonly FolderToLookAt[];
  /** Where drives are mounted: a folder on one is found wherever that is now. */
  readonly mounts: readonly string[];
}

/** What the disk says of a folder of the list, now. Reads only, and needs no key. */
export interface Looked {
  readonly id: string;
  /** Its ordinary path now: another one where its drive is mounted elsewhere. */
  readonly path: Buffer;
  readonly located: Located | null;
  /** Why it can't be looked at. */
  readonly failure: Failure | null;
  /** Nothing is where it lay: what it lies on is not there. */
  readonly isAway: boolean;
  readonly forks: readonly Fork[];
  readonly isInsured: boolean;
  /** So many of the files that wait in it say from where they were moved in. */
  readonly movedIn: number;
  /** Locked, and there is no room to open it beside its encrypted copy. */
  readonly isCramped: boolean;
  /** By which Eremos' directory in it is told from one put in its place; null where that can't be told. */
  readonly ownDirPlace: string | null;
}

const NOTHING_MORE = { isAway: false, forks: [], isInsured: false, movedIn: 0, isCramped: false, ownDirPlace: null };

/** One folder's trouble is its own: this throws nothing that the disk may answer. */
export function lookAtFolder(disk: Disk, folder: FolderToLookAt, mounts: readonly string[]): Looked {
  const { id, path } = folder;
  try {
    const found = locateAnywhere(disk, folder, mounts);
    if (!found) return { ...NOTHING_MORE, id, path, located: null, failure: null, isAway: isEmptyAround(disk, path) };
    const { located } = found;
    return {
      id,
      path: found.path,
      located,
      failure: null,
      isAway: false,
      ...(folder.isEncrypting ? lookInside(disk, located, folder) : NOTHING_MORE),
    };
  } catch (error) {
    const failure = failureOf(error, said("looking-at-it-nothing-was"));
    return { ...NOTHING_MORE, id, path, located: null, failure };
  }
}

function lookInside(
  disk: Disk,
  { realPath, inspection }: Located,
  { files, bytes }: FolderToLookAt,
): Pick<Looked, "forks" | "isInsured" | "movedIn" | "isCramped" | "ownDirPlace"> {
  return {
    forks: forksAt(disk, realPath),
    isInsured: isInsured(disk, realPath),
    movedIn: inspection.drops === 0 ? 0 : movedInAt(disk, realPath),
    isCramped: files > 0 && isLocked(inspection) && !roomForBoth(disk, realPath, { files, bytes }),
    ownDirPlace: ownDirPlace(disk, realPath),
  };
}

function movedInAt(disk: Disk, path: Buffer): number {
  const folder = openFolder(disk, path);
  try {
    return folder.ownDir === null ? 0 : countMovedIn(disk, folder.ownDir);
  } finally {
    closeFolder(disk, folder);
  }
}

/**
 * Where a folder is now: at its place, or under another path at which its drive is mounted. Null: it is away, or gone.
 * @throws EremosError as {@link locateFolder}
 */
export function locateAnywhere(
  disk: Disk,
  folder: Pick<FolderToLookAt, "id" | "path" | "isDrive">,
  mounts: readonly string[],
): { readonly path: Buffer; readonly located: Located } | null {
  const located = locateFolder(disk, folder.path, folder.id);
  return located ? { path: folder.path, located } : onAnotherMount(disk, folder, mounts);
}

/** The path within the drive is the same, wherever it is mounted; how much of the old path that is, is tried. */
function onAnotherMount(
  disk: Disk,
  { id, path, isDrive }: Pick<FolderToLookAt, "id" | "path" | "isDrive">,
  mounts: readonly string[],
): { readonly path: Buffer; readonly located: Located } | null {
  const parts = displayPath(path)
    .split("/")
    .filter((part) => part !== "");
  for (const mount of mounts)
    for (let from = isDrive ? parts.length : parts.length - 1; from >= 0; from--) {
      const there = Buffer.from([mount, ...parts.slice(from)].join("/"));
      const located = locateOrNull(disk, there, id);
      if (located) return { path: there, located };
    }
  return null;
}

function locateOrNull(disk: Disk, path: Buffer, id: string): Located | null {
  try {
    return locateFolder(disk, path, id);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** Its directory is gone, or is an empty one to mount at. */
function isEmptyAround(disk: Disk, path: Buffer): boolean {
  try {
    return within(disk, disk.openRoot(splitPath(path).parent), (dir) => disk.list(dir).length === 0);
  } catch {
    return true;
  }
}

/** Of one that lies on what does not answer: nothing is known of it now. */
export function notAnswering({ id, path }: FolderToLookAt): Looked {
  const error = new EremosError("no-answer", said("what-it-lies-on-does"));
  return { ...NOTHING_MORE, id, path, located: null, failure: failureOf(error, said("looking-at-it")), isAway: true };
}
