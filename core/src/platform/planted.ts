import * as fs from "node:fs";

/**
 * The door to files that somebody else could have placed, for looking: no link is followed, nothing is waited for, only
 * a regular file is read, and no more of it than a limit. Null: there is none of that kind. What is written goes
 * through the file-system port, by a directory that is held.
 */
export function readPlanted(path: string | Buffer, mostBytes: number, offset = 0): Buffer | null {
  let descriptor: number;
  try {
    descriptor = fs.openSync(
      path,
      fs.constants.O_RDONLY | (fs.constants.O_NOFOLLOW ?? 0) | (fs.constants.O_NONBLOCK ?? 0),
    );
  } catch {
    return null;
  }
  try {
    if (!fs.fstatSync(descriptor).isFile()) return null;
    const bytes = Buffer.alloc(mostBytes);
    return bytes.subarray(0, fs.readSync(descriptor, bytes, 0, mostBytes, offset));
  } catch {
    return null;
  } finally {
    fs.closeSync(descriptor);
  }
}
