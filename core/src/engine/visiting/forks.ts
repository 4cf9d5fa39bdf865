import { EremosError } from "../../errors/eremos-error";
import { generationName, refOf } from "../../format/generation";
import type { Disk } from "../../platform/port";
import { type Fork, forksIn, generationsIn, loadState } from "../records";
import { closeFolder, displayPath, openFolder } from "../ground";
import { type Committed, Visit, type VisitInput } from "./visit";
import { said } from "@eremos/words/core/visiting";

/** Of a folder by its path. @throws EremosError `not-found` | `no-permission` */
export function forksAt(disk: Disk, path: Buffer): Fork[] {
  const folder = openFolder(disk, path);
  try {
    // One is the present one; of most folders there is no more to be read.
    if (!folder.ownDir || generationsIn(disk, folder.ownDir).length < 2) return [];
    const state = loadState(disk, folder.ownDir);
    return state ? forksIn(disk, folder.ownDir, state) : [];
  } finally {
    closeFolder(disk, folder);
  }
}

/**
 * Lets a state of another computer go: the folder comes from it, too, from now on, so that the other computer takes up
 * the folder as it is here. What only the other state needs goes when no computer is at it any more. @throws
 * EremosError `not-found` and as {@link Visit.open}
 */
export async function letForkGo(disk: Disk, input: VisitInput, name: string): Promise<Committed> {
  const visit = await Visit.open(disk, input);
  try {
    const fork = visit.forks().find((record) => generationName(refOf(record)) === name);
    if (!fork) throw new EremosError("not-found", said("has-no-such-state-any", { path: displayPath(input.path) }));
    visit.join(refOf(fork));
  } finally {
    visit.close();
  }
  return visit.committed;
}
