import { EremosError, fromSystemError, systemCode } from "../../errors/eremos-error";
import { ownOrMarked } from "../../format/marked-name";
import { type Dir, type Disk, HOLDS_ALL } from "../../platform/port";
import { type SealedInput, applyMeta, openSealed } from "../contents";
import { displayPath, holdFolder, letGo, splitPath, within } from "../ground";
import { loadState } from "../records";
import { type Drop, type LeftThere, type MovedFile, openDrops, ordinaryMode, writeOut } from "../slot";
import { said, say } from "@eremos/words/core/visiting";

export interface TakeBackInput extends SealedInput {
  readonly moved: readonly MovedFile[];
}

export interface TakenBack {
  /** So many files are back where they were. */
  readonly files: number;
  readonly left: readonly LeftThere[];
}

/**
 * Files that were moved into a folder go back to where they were, as they were, while they still wait there: each is
 * whole and durable at its place before it leaves the folder. A name that is taken stays with what has it. @throws
 * EremosError `not-locked` | `busy`, and as opening a sealed folder
 */
export async function takeBackMoved(disk: Disk, input: TakeBackInput): Promise<TakenBack> {
  const folder = holdFolder(disk, input.path, { create: false });
  try {
    const state = loadState(disk, folder.ownDir);
    if (state?.state !== "sealed")
      throw new EremosError("not-locked", said("is-not-sealed-now-so", { path: displayPath(input.path) }));
    const { head, keys } = await openSealed(disk, folder.ownDir, state, input);
    try {
      const drops = new Map((await openDrops(disk, folder.ownDir, head.header, keys)).map((drop) => [drop.id, drop]));
      try {
        return takeEach(disk, drops, input.moved);
      } finally {
        for (const drop of drops.values()) drop.close();
      }
    } finally {
      keys.wipe();
    }
  } catch (error) {
    throw fromSystemError(error, said("taking-back-what-was-moved"));
  } finally {
    letGo(disk, folder);
  }
}

function takeEach(disk: Disk, drops: ReadonlyMap<string, Drop>, moved: readonly MovedFile[]): TakenBack {
  const left: LeftThere[] = [];
  let files = 0;
  for (const { key, path } of moved) {
    const drop = drops.get(key);
    if (!drop) {
      left.push({ path: displayPath(path), reason: say("does-not-wait-any-more") });
      continue;
    }
    putAt(disk, drop, path);
    drop.remove();
    files++;
  }
  return { files, left };
}

/** Written beside its place, made durable, and then given its name. */
function putAt(disk: Disk, drop: Drop, path: Buffer): void {
  const { parent, name } = splitPath(path);
  const beside = Buffer.from(`.${drop.id}.new`);
  within(disk, reachDir(disk, parent), (dir) => {
    writeOut(disk, dir, beside, drop, (file) => {
      applyMeta(disk, file, { ...drop.meta, mode: ordinaryMode(drop) }, HOLDS_ALL);
    });
    giveName(disk, dir, beside, name);
    disk.syncDir(dir);
  });
}

function giveName(disk: Disk, dir: Dir, beside: Buffer, wanted: Buffer): void {
  for (const free of ownOrMarked(wanted, "new")) {
    try {
      return disk.renameExclusive(dir, beside, dir, free);
    } catch (error) {
      if (systemCode(error) !== "EEXIST") throw error;
    }
  }
}

/** With what is missing of it made anew, for this account alone. */
function reachDir(disk: Disk, path: Buffer): Dir {
  try {
    return disk.openRoot(path);
  } catch (error) {
    if (systemCode(error) !== "ENOENT") throw error;
    const { parent, name } = splitPath(path);
    return within(disk, reachDir(disk, parent), (dir) => {
      disk.makeDir(dir, name, 0o700);
      disk.syncDir(dir);
      return disk.openDir(dir, name);
    });
  }
}
