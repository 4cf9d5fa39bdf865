import { EremosError, isEremosError, systemCode } from "../../errors/eremos-error";
import type { Dir, Disk, Stat } from "../../platform/port";
import { type HeldFolder, OWN_DIR_NAME, displayPath, joinPath, pathInto, splitPath, takeBack, within } from "../ground";
import { dropRecordName, loadDropRecord } from "../records";
import { type Trash, intoTrash } from "./trash";
import { type DropSlot, type Dropped, NO_DIRECTORY, dropFile, holding, isSame, withdraw, withinLater } from "./drop-in";
import { said, say } from "@eremos/words/core/slot";

/** An original that stays where it is, and why. */
interface LeftThere {
  readonly path: string;
  readonly reason: string;
}

export interface MovedIn {
  /** So many files are in, and of their originals what was asked has become. */
  readonly files: number;
  readonly left: readonly LeftThere[];
}

/** What becomes of the originals: they are removed, stay, or go into the trash, where they stay readable. */
export type Originals = "remove" | "stay" | Trash;

interface Put {
  /** Where its original lay. */
  readonly path: Buffer;
  readonly dropped: Dropped;
}

interface Moving {
  readonly originals: Originals;
  /** Of the entry that is being moved. */
  put: Put[];
  readonly disk: Disk;
  readonly slot: DropSlot;
  readonly folder: HeldFolder;
  readonly left: LeftThere[];
}

/**
 * Puts files, and all files in folders, into a locked folder, and removes the originals, where they are not to stay:
 * each one when what was put in is durable with its twin, and was read back and found the same, and the original has not changed meanwhile. Cut off
 * anywhere, there is the original, or what was put in, or both. Into the trash goes a whole entry, or, where something
 * of it has to stay, nothing of it. @throws EremosError `not-found` | `nested` | `unsupported`, and as the drop slot
 */
export async function moveInto(
  disk: Disk,
  slot: DropSlot,
  paths: readonly Buffer[],
  originals: Originals,
): Promise<MovedIn> {
  return holding(disk, slot, async (folder) => {
    const moving: Moving = { disk, slot, folder, originals, left: [], put: [] };
    let files = 0;
    for (const path of paths) {
      if (isAround(path, folder.path))
        throw new EremosError("nested", said("folder-is-in-what-goes", { path: displayPath(path) }));
      const { parent, name } = splitPath(path);
      await withinLater(disk, disk.openRoot(parent), async (dir) => {
        if (!disk.find(dir, name))
          throw new EremosError("not-found", said("nothing-to-move-at", { path: displayPath(path) }));
        moving.put = [];
        const stayed = moving.left.length;
        try {
          await moveEntry(moving, dir, name, path, NO_DIRECTORY);
          if (isTrash(originals)) trashWhole(moving, originals, dir, name, path, moving.left.length > stayed);
        } catch (error) {
          // The originals are all there.
          if (originals !== "remove") takeBack(() => withdrawAll(moving));
          throw error;
        }
        disk.syncDir(dir);
        files += moving.put.length;
      });
    }
    return { files, left: moving.left };
  });
}

function isTrash(originals: Originals): originals is Trash {
  return typeof originals === "object";
}

/** As one entry of the trash; where something of it stays, or has changed since, all of it stays. */
function trashWhole(moving: Moving, trash: Trash, dir: Dir, name: Buffer, path: Buffer, isPart: boolean): void {
  const { disk, put } = moving;
  if (put.length === 0) return;
  const changed = put.find(({ path: from, dropped }) => {
    const { parent, name: own } = splitPath(from);
    return within(disk, disk.openRoot(parent), (inner) => {
      const now = disk.find(inner, own);
      return !now || !isSame(dropped.stat, now) || disk.isWritten(inner, own) === true;
    });
  });
  if (!changed && !isPart) return intoTrash(disk, trash, dir, name, path);
  withdrawAll(moving);
  moving.left.push({
    path: displayPath(changed?.path ?? path),
    reason: changed ? say("is-being-changed") : say("stays-whole"),
  });
}

function withdrawAll(moving: Moving): void {
  for (const { dropped } of moving.put) withdraw(moving.disk, moving.folder, dropped);
  moving.put = [];
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
  const why = whyItStays(moving, dir, name, stat);
  if (why !== null) return stays(why);
  try {
    if (!(await moveFile(moving, dir, name, path, directory))) stays(say("is-being-changed"));
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
  const before = moving.put.length;
  if (disk.stat(dir, name).dev !== disk.statOpen(dir).dev) return stays(say("is-another-drive"));
  await withinLater(disk, disk.openDir(dir, name), async (inner) => {
    const children = disk.list(inner);
    if (children.some((child) => child.equals(OWN_DIR_NAME))) return stays(say("is-protected-itself"));
    if (children.length === 0) return stays(say("is-empty-folder"));
    for (const child of children)
      await moveEntry(moving, inner, child, joinPath(path, child), pathInto(directory, name));
    disk.syncDir(inner);
  });
  if (moving.put.length === before || moving.originals !== "remove") return;
  try {
    disk.removeDir(dir, name);
  } catch (error) {
    // What is left in it was told.
    if (systemCode(error) !== "ENOTEMPTY") throw error;
  }
}

function whyItStays({ disk, originals }: Moving, dir: Dir, name: Buffer, stat: Stat): string | null {
  if (stat.type !== "file") return say("is-no-file");
  if (stat.nlink > 1 && originals !== "stay") return say("has-another-name");
  return disk.isWritten(dir, name) === true ? say("is-being-changed") : null;
}

/** Whether the original went, or may go. */
async function moveFile(moving: Moving, dir: Dir, name: Buffer, path: Buffer, directory: Buffer): Promise<boolean> {
  const { disk, slot, folder, originals } = moving;
  const dropped = await dropFile(disk, folder, slot, dir, name, directory, {
    goes: originals !== "stay",
    from: originals === "stay" ? null : path,
  });
  loadDropRecord(disk, folder.ownDir, dropRecordName(dropped.key));
  const now = disk.find(dir, name);
  if (now && isSame(dropped.stat, now) && disk.isWritten(dir, name) !== true) {
    if (originals === "remove") disk.unlink(dir, name);
    moving.put.push({ path, dropped });
    return true;
  }
  withdraw(disk, folder, dropped);
  return false;
}
