import { splitPath } from "../../engine/ground";
import { directoriesAt, isThere } from "../reading";
import { type Finding, entryOf } from "../trace";

/** Where file systems and their tools show what was there before, below a directory that lies above the folder. */
const SHOWN = [
  { at: [".snapshots"], inside: ["snapshot"] },
  { at: [".snapshots"], inside: [] },
  { at: [".zfs", "snapshot"], inside: [] },
] as const;

/** Earlier states of the file system in which the folder still lies readable, as far as this account may see them. */
export function findInSnapshots({ disk, folder, found }: Finding): void {
  for (const above of directoriesAbove(folder)) {
    const below = folder.subarray(above.length === 1 ? 0 : above.length);
    for (const { at, inside } of SHOWN)
      for (const snapshot of directoriesAt(disk, entryOf(above, ...at))) {
        const where = Buffer.concat([entryOf(snapshot, ...inside), below]);
        if (isThere(disk, where))
          found({ kind: "snapshots", where, what: folder, gives: "contents", isSure: true, spot: null });
      }
  }
}

function directoriesAbove(path: Buffer): Buffer[] {
  if (path.length <= 1) return [];
  const { parent } = splitPath(path);
  return [parent, ...directoriesAbove(parent)];
}
