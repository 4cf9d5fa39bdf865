import type { Dir, Disk, OpenFile } from "../../platform/port";

/** What is opened is closed, whatever happens in between. */
export function within<T>(disk: Disk, dir: Dir, use: (dir: Dir) => T): T {
  try {
    return use(dir);
  } finally {
    disk.closeDir(dir);
  }
}

/** What is done in a directory that is not its contents leaves its times as they were. */
export function keepingTimes<T>(disk: Disk, dir: Dir, use: () => T): T {
  const before = disk.statOpen(dir);
  const made = use();
  // Only its owner may set them.
  if (disk.owns(before)) disk.setTimes(dir, before.atimeNs, before.mtimeNs);
  return made;
}

export function withFile<T>(disk: Disk, file: OpenFile, use: (file: OpenFile) => T): T {
  try {
    return use(file);
  } finally {
    disk.closeFile(file);
  }
}
