import { EremosError, isEremosError, systemCode } from "../../errors/eremos-error";
import type { Dir, Disk, Stat } from "../../platform/port";
import { type HeldFolder, OWN_DIR_NAME, displayPath, joinPath, pathInto, splitPath } from "../ground";
import { dropRecordName, loadDropRecord } from "../records";
import { type DropSlot, NO_DIRECTORY, dropFile, holding, isSame, withdraw, withinLater } from "./drop-in";
import { said, say } from "@eremos/words/core/slot";

/** An original that stays where it is, and why. */
interface LeftThere {
  readonly path: string;
  readonly reason: string;
}

export interface MovedIn {
  /** So many files are in, and their originals gone. */
  readonly files: number;
  readonly left: readonly LeftThere[];
}

interface Moving {
  readonly disk: Disk;
  readonly slot: DropSlot;
  readonly folder: HeldFolder;
  readonly left: LeftThere[];
  files: number;
}

/**
 * Puts files, and all files in folders, into a locked folder, and removes the originals: each one when what was put in
 * is durable with its twin, and was read back and found the same, and the original has not changed meanwhile. Cut off
 * anywhere, there is the original, or what was put in, or both. @throws EremosError `not-found` | `nested`, and as the
 * drop slot
 */
export async function moveInto(disk: Disk, slot: DropSlot, paths: readonly Buffer[]): Promise<MovedIn> {
  return holding(disk, slot, async (folder) => {
    const moving: Moving = { disk, slot, folder, left: [], files: 0 };
    for (const path of paths) {
      if (isAround(path, folder.path))
        throw new EremosError("nested", said("folder-is-in-what-goes", { path: displayPath(path) }));
      const { parent, name } = splitPath(path);
      await withinLater(disk, disk.openRoot(parent), async (dir) => {
        if (!disk.find(dir, name))
          throw new EremosError("not-found", said("nothing-to-move-at", { path: displayPath(path) }));
        await moveEntry(moving, dir, name, path, NO_DIRECTORY);
        disk.syncDir(dir);
      });
    }
    return { files: moving.files, left: moving.left };
  });
}

/** Whether one of them is the other, or lies in it. */
function isAround(path: Buffer, folder: Buffer): boolean {
  const [outer, inner] = path.length < folder.length ? [path, folder] : [folder, path];
  return outer.equals(inner) || inner.subarray(0, outer.length + 1).equals(Buffer.concat([outer, Buffer.from("/")]));
}

async function moveEntry(moving: Moving, dir: Dir, name: Buffer, path: Buffer, directory: Buffer): Promise<void> {
  const stat = moving.disk.find(dir, name);
  if (!stat) return;
  const stays = (reason: string): void => void moving.left.push({ path: displayPath(path), reason });
  if (stat.type === "dir") return moveDir(moving, dir, name, path, directory, stays);
  const why = whyItStays(moving.disk, dir, name, stat);
  if (why !== null) return stays(why);
  try {
    if (await moveFile(moving, dir, name, directory)) moving.files++;
    else stays(say("is-being-changed"));
  } catch (error) {
    // One that keeps changing stays; a disk that fails stops everything.
    if (!isEremosError(error) || error.code !== "changed-while-locking") throw error;
    stays(say("is-being-changed"));
  }
}

async function moveDir(
  moving: Moving,
  dir: Dir,
  name: Buffer,
  path: Buffer,
  directory: Buffer,
  stays: (reason: string) => void,
): Promise<void> {
  const { disk } = moving;
  const before = moving.files;
  if (disk.stat(dir, name).dev !== disk.statOpen(dir).dev) return stays(say("is-another-drive"));
  await withinLater(disk, disk.openDir(dir, name), async (inner) => {
    const children = disk.list(inner);
    if (children.some((child) => child.equals(OWN_DIR_NAME))) return stays(say("is-protected-itself"));
    if (children.length === 0) return stays(say("is-empty-folder"));
    for (const child of children)
      await moveEntry(moving, inner, child, joinPath(path, child), pathInto(directory, name));
    disk.syncDir(inner);
  });
  if (moving.files === before) return;
  try {
    disk.removeDir(dir, name);
  } catch (error) {
    // What is left in it was told.
    if (systemCode(error) !== "ENOTEMPTY") throw error;
  }
}

function whyItStays(disk: Disk, dir: Dir, name: Buffer, stat: Stat): string | null {
  if (stat.type !== "file") return say("is-no-file");
  if (stat.nlink > 1) return say("has-another-name");
  return disk.isWritten(dir, name) === true ? say("is-being-changed") : null;
}

/** Whether the original went. */
async function moveFile({ disk, slot, folder }: Moving, dir: Dir, name: Buffer, directory: Buffer): Promise<boolean> {
  const dropped = await dropFile(disk, folder, slot, dir, name, directory, true);
  loadDropRecord(disk, folder.ownDir, dropRecordName(dropped.key));
  const now = disk.find(dir, name);
  if (now && isSame(dropped.stat, now) && disk.isWritten(dir, name) !== true) {
    disk.unlink(dir, name);
    return true;
  }
  withdraw(disk, folder, dropped);
  return false;
}
