import type { Disk } from "../../platform/port";
import { joinPath, withFile, within } from "../ground";

export interface NewFile {
  readonly directory: Buffer;
  /** What it is called, without its ending; where that is there already, with a number. */
  readonly name: string;
  readonly ending: string;
  readonly bytes: Buffer;
}

/** Where it is, and what no other on its disk can be. */
export interface Written {
  readonly path: Buffer;
  readonly dev: bigint;
  readonly ino: bigint;
}

const MOST_NAMES = 100;

/**
 * Writes a file that this account alone may read, whole on the disk when it returns, under a name that is free: nothing
 * there is written over. @throws system errors
 */
export function writeNew(disk: Disk, { directory, name, ending, bytes }: NewFile): Written {
  return within(disk, disk.openRoot(directory), (dir) => {
    const free = freeName(name, ending, (its) => disk.find(dir, its) !== null);
    return withFile(disk, disk.create(dir, free, 0o600), (file) => {
      disk.write(file, bytes, 0, bytes.length, 0);
      disk.syncFile(file);
      disk.syncDir(dir);
      const { dev, ino } = disk.statOpen(file);
      return { path: joinPath(directory, free), dev, ino };
    });
  });
}

function freeName(name: string, ending: string, isTaken: (name: Buffer) => boolean): Buffer {
  for (let nth = 1; ; nth++) {
    const free = Buffer.from(`${name}${nth === 1 ? "" : ` (${nth})`}${ending}`);
    if (nth === MOST_NAMES || !isTaken(free)) return free;
  }
}
