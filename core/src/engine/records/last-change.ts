import type { Dir, Disk } from "../../platform/port";
import { nameIn } from "../../format/file-record";
import { closeFolder, fileRecordIn, isNotContents, openFolder, within } from "../ground";

export interface LastChangeInput {
  readonly path: Buffer;
}

/**
 * When anything in a folder, or a single file, changed last, by the status times of all its entries: milliseconds since
 * 1970. What Eremos keeps in it doesn't count.
 */
export function lastChange(disk: Disk, { path }: LastChangeInput): number {
  const folder = openFolder(disk, path);
  const top = disk.statOpen(folder.dir);
  let newest = 0n;
  const visit = (dir: Dir): void => {
    for (const name of disk.list(dir)) {
      const stat = dir === folder.dir && isNotContents(top, name) ? null : disk.find(dir, name);
      if (!stat) continue;
      if (stat.ctimeNs > newest) newest = stat.ctimeNs;
      if (stat.type === "dir" && disk.readable(dir, name, stat)) within(disk, disk.openDir(dir, name), visit);
    }
  };
  try {
    visit(folder.dir);
    const record = folder.ownDir && fileRecordIn(disk, folder.ownDir);
    const file = record && nameIn(record);
    const stat = file ? disk.find(folder.parent, file) : null;
    if (stat && stat.ctimeNs > newest) newest = stat.ctimeNs;
    return Number(newest / 1_000_000n);
  } finally {
    closeFolder(disk, folder);
  }
}
