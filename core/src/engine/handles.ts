import type { Dir, Disk, OpenFile } from "../platform/port";

/** What is opened is closed, whatever happens in between. */
export function within<T>(disk: Disk, dir: Dir, use: (dir: Dir) => T): T {
  try {
    return use(dir);
  } finally {
    disk.closeDir(dir);
  }
}

export function withFile<T>(disk: Disk, file: OpenFile, use: (file: OpenFile) => T): T {
  try {
    return use(file);
  } finally {
    disk.closeFile(file);
  }
}
