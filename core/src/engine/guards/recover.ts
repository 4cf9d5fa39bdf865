import { EremosError, fromSystemError } from "../../errors/eremos-error";
import type { GuardName } from "../../format/guards";
import type { Disk } from "../../platform/port";
import { type HeldFolder, displayPath, holdFolder, letGo } from "../ground";
import type { InHand, Recovery } from "./guard";
import { type Governing, governingIn, guardOf } from "./guards";
import { removeLeftover } from "./sealed/recover-sealed";
import { placeFile, sweepBeside } from "./single-file";
import { said } from "@eremos/words/core/guards";

/**
 * Brings a folder whose operation was cut off into a whole state. Needs no key, may be cut off itself, and does nothing
 * where nothing is to do.
 * @throws EremosError `busy` when the operation is still running | `not-protected` | `damaged`
 */
export function recoverFolder(disk: Disk, path: Buffer): Recovery {
  const folder = holdForRecovery(disk, path);
  try {
    const recovery = recoverAny(disk, folder);
    return isLockedOrPartly(recovery.state) || isErased(recovery)
      ? recovery
      : { ...recovery, path: placeFile(disk, folder) };
  } catch (error) {
    throw fromSystemError(error, said("putting-right-nothing-is-lost", { path: displayPath(path) }));
  } finally {
    letGo(disk, folder);
  }
}

/**
 * Work that begins from rest, on a folder held where it lies then, under the name it has then: what was cut off in it
 * is put right first.
 * @throws EremosError as {@link recoverFolder}, and whatever the work does
 */
export async function atRest<T>(disk: Disk, path: Buffer, work: (hand: InHand) => Promise<T> | T): Promise<T> {
  const hand: InHand = { folder: holdAtRest(disk, path) };
  try {
    return await work(hand);
  } catch (error) {
    throw fromSystemError(error, said("working-on-nothing-is-lost", { path: displayPath(path) }));
  } finally {
    letGo(disk, hand.folder);
  }
}

function holdAtRest(disk: Disk, path: Buffer): HeldFolder {
  const folder = holdFolder(disk, path, { create: false });
  let now = folder.path;
  try {
    const recovery = recoverAny(disk, folder);
    if (isErased(recovery))
      throw new EremosError("not-found", said("was-removed-for-good", { path: displayPath(path) }));
    now = recovery.path;
  } catch (error) {
    letGo(disk, folder);
    throw fromSystemError(error, said("putting-right-nothing-is-lost", { path: displayPath(path) }));
  }
  if (now.equals(folder.path)) return folder;
  letGo(disk, folder);
  return holdFolder(disk, now, { create: false });
}

function holdForRecovery(disk: Disk, path: Buffer): HeldFolder {
  try {
    return holdFolder(disk, path, { create: false });
  } catch (error) {
    if (!(error instanceof EremosError) || error.code !== "not-a-folder") throw error;
    sweepBeside(disk, path);
    throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(path) }));
  }
}

/** There is no folder any more. */
function isErased({ steps }: Recovery): boolean {
  return steps.includes("erase");
}

function isLockedOrPartly(state: Recovery["state"]): boolean {
  return state !== null && state !== "open";
}

function recoverAny(disk: Disk, folder: HeldFolder): Recovery {
  const governing = governingIn(disk, folder.ownDir);
  return governing ? recoverBy(disk, folder, governing) : removeLeftover(disk, folder);
}

function recoverBy<N extends GuardName>(disk: Disk, folder: HeldFolder, governing: Governing<N>): Recovery {
  return guardOf(governing).recover(disk, folder, governing.record);
}
