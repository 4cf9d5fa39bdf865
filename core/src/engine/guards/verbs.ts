import { EremosError, fromSystemError } from "../../errors/eremos-error";
import { type GuardName, traitsOf } from "../../format/guards";
import type { Disk } from "../../platform/port";
import { type Hooks, Meter, OWN_DIR_NAME, displayPath } from "../ground";
import type {
  ChangeInput,
  Changed,
  EraseInput,
  Guard,
  InHand,
  LockInput,
  LockPreview,
  Locked,
  PreviewInput,
  Records,
  UnlockInput,
  Unlocked,
} from "./guard";
import { type Governing, governingIn, guardNamed, guardOf, isChangeAlone } from "./guards";
import { sweepErased } from "./erase";
import { atRest } from "./recover";
import { placeFile, withFileWrapped } from "./single-file";
import { said } from "@eremos/words/core/guards";

/**
 * The verbs, whatever the guard is. A single file is wrapped before and brought to its place afterwards: no guard knows
 * of it.
 */

/** What a lock would take on. Touches nothing. @throws EremosError for every refusal */
export function previewLock(disk: Disk, input: PreviewInput): LockPreview {
  return guardNamed(input.guard).preview(disk, input);
}

/** Locks a folder, or a single file. @throws EremosError for every refusal, before anything is touched */
export async function lockFolder(disk: Disk, input: LockInput, hooks: Hooks): Promise<Locked> {
  return withFileWrapped(disk, input.path, () => guardNamed(input.guard).lock(disk, input, hooks));
}

/** Opens it at its place. @throws EremosError `not-locked` | `unvouched` and each guard's own */
export function unlockFolder(disk: Disk, input: UnlockInput, hooks: Hooks): Promise<Unlocked> {
  return leave(disk, input, (guard, hand) => guard.unlock(disk, hand, input, hooks));
}

/** An ordinary folder again, exactly as before; from locked or from open. @throws EremosError as {@link unlockFolder} */
export function releaseFolder(disk: Disk, input: UnlockInput, hooks: Hooks): Promise<Unlocked> {
  return leave(disk, input, (guard, hand) => guard.release(disk, hand, input, hooks));
}

/**
 * Other rules, another visibility, or another guard that leaves contents in the form they are in, while it stays
 * locked. @throws EremosError `not-locked` and refusals
 */
export function changeFolder(disk: Disk, input: ChangeInput): Promise<Changed> {
  return atRest(disk, input.path, (hand) => {
    const governing = requireGoverned(disk, hand);
    if (!isChangeAlone(governing.guard, input.guard))
      throw new EremosError(
        "usage",
        said("is-and-does-not-become", {
          path: displayPath(input.path),
          word: traitsOf(governing.guard).word,
          other: traitsOf(input.guard).word,
        }),
      );
    return guardOf(governing).change(disk, hand, input);
  });
}

/**
 * Removes a locked folder for good, with everything in it. From the first change on it is not undone: what is cut off,
 * recovery ends. @throws EremosError `unvouched` where another folder stands there, `not-locked`, and what keeps it from
 * going on
 */
export async function eraseFolder(disk: Disk, input: EraseInput, hooks: Hooks): Promise<{ readonly folder: string }> {
  try {
    await atRest(disk, input.path, (hand) => {
      const governing = requireGoverned(disk, hand);
      if (governing.guard !== input.guard || governing.record.folder !== input.folder)
        throw new EremosError("unvouched", said("another-folder-stands-at", { path: displayPath(input.path) }), {
          what: "guard",
        });
      const meter = new Meter(hooks, "removing", 0, 0);
      meter.stopIfCancelled();
      try {
        guardOf(governing).erase(disk, hand, input.passes);
      } catch (error) {
        throw fromSystemError(error, said("removing-goes-on-later", { path: displayPath(input.path) }));
      }
    });
  } finally {
    sweepErased(disk, input.path, input.folder);
  }
  return { folder: input.folder };
}

function leave(
  disk: Disk,
  input: UnlockInput,
  way: (guard: Guard<Records[GuardName]>, hand: InHand) => Promise<Unlocked>,
): Promise<Unlocked> {
  return atRest(disk, input.path, async (hand) => {
    const governing = requireGoverned(disk, hand);
    if (governing.guard !== input.guard)
      throw new EremosError(
        "unvouched",
        said("what-stands-at-is-now", {
          path: displayPath(input.path),
          word: traitsOf(governing.guard).word,
          other: traitsOf(input.guard).word,
        }),
        { what: "guard" },
      );
    const outcome = await way(guardOf(governing), hand);
    return { ...outcome, path: placed(disk, hand) };
  });
}

function placed(disk: Disk, { folder }: InHand): Buffer {
  try {
    return placeFile(disk, folder);
  } catch (error) {
    throw fromSystemError(error, said("bringing-its-place-it-is", { path: displayPath(folder.path) }));
  }
}

function governedBy(disk: Disk, folder: InHand["folder"]): Governing | null {
  try {
    return disk.find(folder.dir, OWN_DIR_NAME) ? governingIn(disk, folder.ownDir) : null;
  } catch (error) {
    throw fromSystemError(error, said("looking-at-nothing-was-touched", { path: displayPath(folder.path) }));
  }
}

function requireGoverned(disk: Disk, { folder }: InHand): Governing {
  const governing = governedBy(disk, folder);
  if (!governing)
    throw new EremosError("not-protected", said("is-ordinary-folder-there-is", { path: displayPath(folder.path) }));
  return governing;
}
