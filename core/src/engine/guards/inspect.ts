import { EremosError, fromSystemError } from "../../errors/eremos-error";
import type { GuardName } from "../../format/guards";
import type { Disk } from "../../platform/port";
import { type Folder, NAMES, closeFolder, displayPath, hasRecord, openFolder } from "../ground";
import type { FolderWithOwnDir, Inspection, Look } from "./guard";
import { type Governing, governingIn, guardOf } from "./guards";
import { said } from "@eremos/words/core/guards";

/**
 * What a folder is now, read without any key and without waiting. Null when there is nothing at the path or it is not
 * protected. @throws EremosError `damaged` when its state can't be read, `unknown-version` | `unsupported`, `io` when
 * the disk can't; nothing else
 */
export function inspectFolder(disk: Disk, path: Buffer): Inspection | null {
  try {
    return inspect(disk, path);
  } catch (error) {
    throw fromSystemError(error, said("looking-at-nothing-was-touched", { path: displayPath(path) }));
  }
}

function inspect(disk: Disk, path: Buffer): Inspection | null {
  let folder: Folder;
  try {
    folder = openFolder(disk, path);
  } catch (error) {
    if (error instanceof EremosError && (error.code === "not-found" || error.code === "not-a-folder")) return null;
    throw error;
  }
  try {
    const { ownDir } = folder;
    const governing = ownDir && governingIn(disk, ownDir);
    if (!ownDir || !governing) return null;
    return {
      ...lookBy(disk, { ...folder, ownDir }, governing),
      single: hasRecord(disk, ownDir, NAMES.file),
      busy: disk.isLocked(ownDir, NAMES.lock),
    };
  } finally {
    closeFolder(disk, folder);
  }
}

function lookBy<N extends GuardName>(disk: Disk, folder: FolderWithOwnDir, governing: Governing<N>): Look {
  return guardOf(governing).inspect(disk, folder, governing.record);
}
