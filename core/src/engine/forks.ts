import { EremosError, fromSystemError, isEremosError } from "../errors/eremos-error";
import { generationDigest, readGeneration } from "../format/generation";
import type { Dir, Disk } from "../platform/port";
import { within } from "./handles";
import { NAMES, closeFolder, displayPath, generationName, holdFolder, letGo, openFolder, readSmallFile } from "./vault";

/** Names that Eremos itself gives; whatever else has a record in it was named by a program that keeps directories in step. */
const OWN_NAME = /^\d{10}(?:\.copy)?\.json(?:\.new)?$/;
const MOST_RECORD_BYTES = 1024 * 1024;

/** A state of the folder that another computer locked at the same time, kept by whatever keeps the two in step under a name of its own. */
export interface Fork {
  /** Of its record, in `generations`. */
  readonly name: string;
  readonly generation: number;
}

export function forksIn(disk: Disk, vault: Dir): Fork[] {
  if (!disk.find(vault, NAMES.generations)) return [];
  return within(disk, disk.openDir(vault, NAMES.generations), (dir) => {
    const seen = new Set<string>();
    return disk.list(dir).flatMap((name): Fork[] => {
      const shown = name.toString("utf8");
      if (OWN_NAME.test(shown) || !shown.endsWith(".json")) return [];
      const found = recordIn(disk, dir, name);
      const own = found && recordIn(disk, dir, generationName(found.generation, false));
      // Both copies of a record come twice; and one that both computers have is none.
      if (!found || seen.has(found.digest) || own?.digest === found.digest) return [];
      seen.add(found.digest);
      return [{ name: shown, generation: found.generation }];
    });
  });
}

function recordIn(disk: Disk, dir: Dir, name: Buffer): { readonly generation: number; readonly digest: string } | null {
  try {
    const bytes = readSmallFile(disk, dir, name, MOST_RECORD_BYTES);
    const record = bytes && readGeneration(bytes);
    return record && { generation: record.generation, digest: generationDigest(record) };
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** Of a folder by its path. @throws EremosError `not-found` | `no-permission` */
export function forksAt(disk: Disk, path: Buffer): Fork[] {
  const folder = openFolder(disk, path);
  try {
    return folder.vault ? forksIn(disk, folder.vault) : [];
  } finally {
    closeFolder(disk, folder);
  }
}

/** Lets a state of another computer go; what only it needs goes with the next lock or visit. @throws EremosError `not-found` | `busy` */
export function forgetFork(disk: Disk, path: Buffer, name: string): void {
  const folder = holdFolder(disk, path, { create: false });
  try {
    const fork = forksIn(disk, folder.vault).find((one) => one.name === name);
    if (!fork)
      throw new EremosError("not-found", `${displayPath(path)} has no such state any more. Nothing was changed.`);
    within(disk, disk.openDir(folder.vault, NAMES.generations), (dir) => {
      const digest = recordIn(disk, dir, Buffer.from(name))?.digest;
      for (const other of disk.list(dir))
        if (!OWN_NAME.test(other.toString("utf8")) && recordIn(disk, dir, other)?.digest === digest)
          disk.unlink(dir, other);
      disk.syncDir(dir);
    });
  } catch (error) {
    throw fromSystemError(error, "letting the other state go; the folder is as it was");
  } finally {
    letGo(disk, folder);
  }
}
