import { EremosError, fromSystemError, systemCode } from "../../errors/eremos-error";
import { ownOrMarked } from "../../format/marked-name";
import { type Dir, type Disk, HOLDS_ALL } from "../../platform/port";
import { type SealedInput, applyMeta, openSealed } from "../contents";
import { displayPath, holdFolder, letGo, splitPath, within } from "../ground";
import { loadState } from "../records";
import { type Drop, openDrops, ordinaryMode, writeOut } from "../slot";
import { said } from "@eremos/words/core/visiting";

export interface TakeBackInput extends SealedInput {
  /** The public key by which this computer says what it put in. */
  readonly device: Uint8Array;
}

export interface TakenBack {
  /** So many files are back where they were. */
  readonly files: number;
}

/**
 * Files that were moved into a folder go back to where they were, as they were, while they still wait there: each is
 * whole and durable at its place before it leaves the folder. A name that is taken stays with what has it. Only what this
 * computer signed: whoever else can write to the folder would choose where a file comes to lie. @throws EremosError `not-locked` | `busy`, and as opening a sealed folder
 */
export async function takeBackMoved(disk: Disk, input: TakeBackInput): Promise<TakenBack> {
  const folder = holdFolder(disk, input.path, { create: false });
  try {
    const state = loadState(disk, folder.ownDir);
    if (state?.state !== "sealed")
      throw new EremosError("not-locked", said("is-not-sealed-now-so", { path: displayPath(input.path) }));
    const { head, keys } = await openSealed(disk, folder.ownDir, state, input);
    try {
      const drops = await openDrops(disk, folder.ownDir, head.header, keys);
      try {
        let files = 0;
        for (const drop of drops) {
          if (drop.movedFrom === null || !drop.isBy(input.device)) continue;
          putAt(disk, drop, drop.movedFrom);
          drop.remove();
          files++;
        }
        return { files };
      } finally {
        for (const drop of drops) drop.close();
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
