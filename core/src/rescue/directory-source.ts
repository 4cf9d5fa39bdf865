import * as fs from "node:fs";
import * as path from "node:path";
import type { RescueSource } from "./source";

/** A locked folder on this disk; nothing in it is changed. What the disk can't read counts as missing. */
export function directorySource(folder: Buffer): RescueSource {
  const at = (below: string): Buffer => Buffer.concat([folder, Buffer.from(path.sep), Buffer.from(below)]);
  return {
    place: attempt(() => placeOf(fs.lstatSync(at(".eremos"), { bigint: true })), null),
    list: async (directory) => attempt(() => fs.readdirSync(at(directory)), []),
    size: async (file) =>
      attempt(() => {
        const stat = fs.lstatSync(at(file));
        return stat.isFile() ? stat.size : null;
      }, null),
    read: async (file, offset, length) => attempt(() => readAt(at(file), offset, length), Buffer.alloc(0)),
  };
}

function placeOf({ ino, birthtimeNs }: fs.BigIntStats): string {
  return `${process.platform}:${ino}:${birthtimeNs}`;
}

function attempt<T>(look: () => T, otherwise: T): T {
  try {
    return look();
  } catch {
    return otherwise;
  }
}

function readAt(file: Buffer, offset: number, length: number): Buffer {
  const descriptor = fs.openSync(
    file,
    fs.constants.O_RDONLY | (fs.constants.O_NOFOLLOW ?? 0) | (fs.constants.O_NONBLOCK ?? 0),
  );
  try {
    if (!fs.fstatSync(descriptor).isFile())
      throw Object.assign(new Error("EINVAL: no regular file"), { code: "EINVAL" });
    const bytes = Buffer.allocUnsafe(length);
    let done = 0;
    while (done < length) {
      const count = fs.readSync(descriptor, bytes, done, length - done, offset + done);
      if (count === 0) break;
      done += count;
    }
    return bytes.subarray(0, done);
  } finally {
    fs.closeSync(descriptor);
  }
}
