import * as fs from "node:fs";
import type { Dir, Disk, EntryType, OpenFile, Stat } from "../port";
import { findHolders } from "./holders";
import * as libc from "./libc";

const { O_RDONLY, O_WRONLY, O_RDWR, O_CREAT, O_EXCL, O_DIRECTORY, O_NOFOLLOW, O_NONBLOCK, S_IFMT, S_IFREG, S_IFDIR, S_IFLNK, S_IFIFO, S_IFSOCK } = fs.constants;

/** An open directory, reached through its descriptor: /proc/self/fd/N/name stays in it whatever happens to its path. */
interface LinuxDir extends Dir {
  readonly prefix: Buffer;
}

function isLinuxDir(dir: Dir): dir is LinuxDir {
  return "prefix" in dir;
}

function at(dir: Dir, name: Buffer): Buffer {
  if (!isLinuxDir(dir)) throw new TypeError("dir was not opened by this disk");
  return Buffer.concat([dir.prefix, name]);
}

function here(dir: Dir): Buffer {
  return at(dir, Buffer.from("."));
}

function opened(fd: number): LinuxDir {
  return { handle: fd, prefix: Buffer.from(`/proc/self/fd/${fd}/`) };
}

function typeOf(mode: number): EntryType {
  switch (mode & S_IFMT) {
    case S_IFREG: return "file";
    case S_IFDIR: return "dir";
    case S_IFLNK: return "link";
    case S_IFIFO: return "fifo";
    case S_IFSOCK: return "socket";
    default: return "device";
  }
}

function toStat(stat: fs.BigIntStats): Stat {
  const mode = Number(stat.mode);
  return {
    type: typeOf(mode),
    dev: stat.dev,
    ino: stat.ino,
    mode: mode & 0o7777,
    uid: Number(stat.uid),
    gid: Number(stat.gid),
    nlink: Number(stat.nlink),
    size: Number(stat.size),
    blocks: Number(stat.blocks),
    mtimeNs: stat.mtimeNs,
    ctimeNs: stat.ctimeNs,
    atimeNs: stat.atimeNs,
  };
}

export const linuxDisk: Disk = {
  capabilities: { nanosecondTimes: true, extendedAttributes: true, holes: true, exclusiveRename: true },

  openRoot: (path) => opened(fs.openSync(path, O_RDONLY | O_DIRECTORY | O_NOFOLLOW)),
  openDir: (dir, name) => opened(fs.openSync(at(dir, name), O_RDONLY | O_DIRECTORY | O_NOFOLLOW)),
  closeDir: (dir) => fs.closeSync(dir.handle),
  list: (dir) => fs.readdirSync(here(dir), { encoding: "buffer" }),
  stat: (dir, name) => toStat(fs.lstatSync(at(dir, name), { bigint: true })),
  statDir: (dir) => toStat(fs.fstatSync(dir.handle, { bigint: true })),
  find: (dir, name) => {
    const stat = fs.lstatSync(at(dir, name), { bigint: true, throwIfNoEntry: false });
    return stat ? toStat(stat) : null;
  },

  openRead: (dir, name) => ({ handle: fs.openSync(at(dir, name), O_RDONLY | O_NOFOLLOW | O_NONBLOCK) }),
  create: (dir, name, mode) => ({ handle: fs.openSync(at(dir, name), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW, mode) }),
  statFile: (file) => toStat(fs.fstatSync(file.handle, { bigint: true })),
  read: (file, into, offset, length, position) => {
    let done = 0;
    while (done < length) {
      const count = fs.readSync(file.handle, into, offset + done, length - done, position + done);
      if (count === 0) break;
      done += count;
    }
    return done;
  },
  write: (file, from, offset, length, position) => {
    let done = 0;
    while (done < length) done += fs.writeSync(file.handle, from, offset + done, length - done, position + done);
  },
  truncate: (file, size) => fs.ftruncateSync(file.handle, size),
  extents: (file, size) => {
    const found: { offset: number; length: number }[] = [];
    for (let position = 0; position < size; ) {
      const data = libc.seek(file.handle, position, "data");
      if (data === null) return null;
      if (data < 0) break;
      const hole = libc.seek(file.handle, data, "hole") ?? size;
      const end = Math.min(hole < 0 ? size : hole, size);
      found.push({ offset: data, length: end - data });
      position = end;
    }
    const [first] = found;
    return found.length === 1 && first?.offset === 0 && first.length === size ? null : found;
  },
  syncFile: (file) => fs.fdatasyncSync(file.handle),
  closeFile: (file) => fs.closeSync(file.handle),
  syncDir: (dir) => fs.fsyncSync(dir.handle),
  barrier: (dir) => libc.syncFileSystem(dir.handle),

  makeDir: (dir, name, mode) => fs.mkdirSync(at(dir, name), { mode }),
  makeLink: (dir, name, target) => fs.symlinkSync(target, at(dir, name)),
  makeHardLink: (fromDir, fromName, toDir, toName) => fs.linkSync(at(fromDir, fromName), at(toDir, toName)),
  readLink: (dir, name) => fs.readlinkSync(at(dir, name), { encoding: "buffer" }),
  rename: (fromDir, fromName, toDir, toName) => fs.renameSync(at(fromDir, fromName), at(toDir, toName)),
  renameExclusive: (fromDir, fromName, toDir, toName) => libc.renameNoReplace(at(fromDir, fromName), at(toDir, toName)),
  unlink: (dir, name) => fs.unlinkSync(at(dir, name)),
  removeDir: (dir, name) => fs.rmdirSync(at(dir, name)),

  setMode: (dir, name, mode) => fs.chmodSync(at(dir, name), mode),
  setFileMode: (file, mode) => fs.fchmodSync(file.handle, mode),
  setOwner: (dir, name, uid, gid) => fs.lchownSync(at(dir, name), uid, gid),
  setTimes: (dir, name, atimeNs, mtimeNs) => libc.setTimesNs(at(dir, name), atimeNs, mtimeNs),
  setDirTimes: (dir, atimeNs, mtimeNs) => libc.setTimesNs(here(dir), atimeNs, mtimeNs),
  xattrs: (dir, name) => libc.readXattrs(at(dir, name)),
  setXattr: (dir, name, attribute, value) => libc.writeXattr(at(dir, name), attribute, value),

  readable: (dir, name, type) => {
    try {
      fs.accessSync(at(dir, name), fs.constants.R_OK | (type === "dir" ? fs.constants.X_OK : 0));
      return true;
    } catch {
      return false;
    }
  },
  writable: (dir) => {
    try {
      fs.accessSync(here(dir), fs.constants.W_OK | fs.constants.X_OK);
      return true;
    } catch {
      return false;
    }
  },
  freeBytes: (dir) => {
    const space = fs.statfsSync(here(dir), { bigint: true });
    return Number(space.bavail * space.bsize);
  },
  tryLock: (dir, name) => {
    for (;;) {
      const fd = fs.openSync(at(dir, name), O_RDWR | O_CREAT | O_NOFOLLOW, 0o600);
      if (!libc.lockExclusively(fd)) {
        fs.closeSync(fd);
        return null;
      }
      const held = fs.fstatSync(fd, { bigint: true });
      const now = fs.lstatSync(at(dir, name), { bigint: true, throwIfNoEntry: false });
      if (now && now.ino === held.ino && now.dev === held.dev) return { handle: fd } satisfies OpenFile;
      fs.closeSync(fd);
    }
  },
  holders: (path) => findHolders(path),
  wait: (milliseconds) => {
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, milliseconds);
  },
};

