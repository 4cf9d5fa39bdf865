import { EremosError } from "../../../errors/eremos-error";
import type { StateRecord } from "../../../format/state";
import type { Disk } from "../../../platform/port";
import type { SealingInput } from "../../contents";
import { displayPath, isNotContents } from "../../ground";
import { commitState, countRemains, isOwnState, loadState } from "../../records";
import { countDrops } from "../../slot";
import { isSign } from "../../visibility";
import { type FolderWithOwnDir, type Guard, type LockInput, type Look, isLocked } from "../guard";
import { changeSealed } from "./change";
import { previewSealing, sealFolder } from "./lock";
import { recoverSealed } from "./recover-sealed";
import { releaseOpen, releaseSealed, unsealFolder } from "./unlock";
import { said } from "@eremos/words/core/guards";

/** Contents are encrypted in place; the plain copy goes when the sealed one is durable. FORMAT.md §7. */
export const sealed: Guard<StateRecord> = {
  inspect,
  recover: recoverSealed,
  preview: previewSealing,
  lock: (disk, input, hooks) => sealFolder(disk, sealInputOf(input), hooks),
  unlock: (disk, hand, { path, closed = false, sealed: unsealing }, hooks) => {
    if (!unsealing) throw withoutKeys(path);
    return unsealFolder(disk, hand, { ...unsealing, path, closed }, hooks);
  },
  release: async (disk, hand, { path, sealed: unsealing }, hooks) => {
    if (!unsealing) return releaseOpen(disk, hand);
    return releaseSealed(disk, hand, { ...unsealing, path }, hooks);
  },
  change: changeSealed,
  erase: (disk, { folder }, passes) => {
    const state = loadState(disk, folder.ownDir);
    if (state?.state !== "sealed") throw notLocked(folder.path);
    const erasing = { ...state, state: "erasing" as const, next: null, ...(passes > 0 ? { overwrites: passes } : {}) };
    recoverSealed(disk, folder, commitState(disk, folder.ownDir, erasing));
  },
  reach: (_disk, path, inspection) => ({ isEncrypted: isLocked(inspection), at: path }),
};

function sealInputOf({ sealing, path, folder, visibility, cover = null, places, synced }: LockInput): SealingInput {
  if (!sealing) throw withoutKeys(path);
  return { ...sealing, path, folder, visibility, cover, places, ...(synced ? { synced } : {}) };
}

function notLocked(path: Buffer): EremosError {
  return new EremosError("not-locked", said("is-not-locked-now-nothing", { path: displayPath(path) }));
}

function withoutKeys(path: Buffer): EremosError {
  return new EremosError("usage", said("keys-are-needed-for-and", { path: displayPath(path) }));
}

function inspect(disk: Disk, folder: FolderWithOwnDir, state: StateRecord): Look {
  const { ownDir } = folder;
  const { folder: id, generation, visibility, lockedName, held } = state;
  return {
    folder: id,
    guard: "sealed",
    state: state.state,
    generation: generation?.number ?? 0,
    visibility,
    lockedName,
    held,
    isOwn: isOwnState(disk, ownDir, state),
    arrivals: arrivalsIn(disk, folder, state),
    drops: countDrops(disk, ownDir),
    remains: countRemains(disk, ownDir),
  };
}

function arrivalsIn(disk: Disk, { dir }: FolderWithOwnDir, state: StateRecord): number {
  if (!isLocked(state)) return 0;
  const top = disk.statOpen(dir);
  return disk.list(dir).filter((name) => !isNotContents(top, name) && !isSign(name, state)).length;
}
