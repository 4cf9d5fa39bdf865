import type { Dir, Disk } from "../../platform/port";
import { type GoingOver, type HeldFolder, NAMES, namesFor, overwriteWhatGoes, removeWhatGoes, within } from "../ground";

/**
 * Readable entries that the system did not let this account remove at a lock, against what it had said before. They
 * stay in Eremos' directory, which is its owner's alone, and are told; the folder is sealed all the same. FORMAT.md
 * §7.1.
 */
export function isRemains(name: Buffer): boolean {
  return /^remains(?:-\d+)?$/.test(name.toString("latin1"));
}

/**
 * The plain copy goes, once its sealed copy is committed and verified; before that it is written over so often. Returns
 * how many files were not, since a program has them open or the system refuses.
 */
export function removeStaging(disk: Disk, ownDir: Dir, passes = 0, wrote?: GoingOver["wrote"]): number {
  const not = passes > 0 ? overwriteWhatGoes(disk, ownDir, NAMES.staging, { passes, wrote }) : 0;
  takeStagingAway(disk, ownDir);
  return not;
}

function takeStagingAway(disk: Disk, ownDir: Dir): void {
  if (!disk.find(ownDir, NAMES.staging) || removeWhatGoes(disk, ownDir, NAMES.staging)) return;
  for (let number = 1; ; number++) {
    const name = number === 1 ? NAMES.remains : Buffer.from(`${NAMES.remains.toString()}-${number}`);
    if (disk.find(ownDir, name)) continue;
    disk.renameExclusive(ownDir, NAMES.staging, ownDir, name);
    return;
  }
}

export function countRemains(disk: Disk, ownDir: Dir): number {
  const countIn = (dir: Dir): number =>
    disk.list(dir).reduce((sum, name) => {
      const stat = disk.find(dir, name);
      return (
        sum +
        (stat?.type === "dir" && disk.readable(dir, name, stat) ? within(disk, disk.openDir(dir, name), countIn) : 1)
      );
    }, 0);
  return disk
    .list(ownDir)
    .filter(isRemains)
    .reduce((sum, name) => sum + within(disk, disk.openDir(ownDir, name), countIn), 0);
}

/** What still can't go is beside a released folder's contents, under a name that says what it is. */
export function bringRemainsOut(disk: Disk, folder: HeldFolder): void {
  for (const name of disk.list(folder.ownDir).filter(isRemains)) {
    if (removeWhatGoes(disk, folder.ownDir, name)) continue;
    for (const free of namesFor(Buffer.from("Left over while locked"))) {
      if (disk.find(folder.dir, free)) continue;
      disk.renameExclusive(folder.ownDir, name, folder.dir, free);
      break;
    }
  }
}
