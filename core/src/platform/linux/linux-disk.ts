import * as fs from "node:fs";
import { randomBytes } from "../../crypto/bytes";
import { identityOf } from "../identity";
import { type Dir, type Disk, HOLDS_ALL, type Stat } from "../port";
import { looks } from "../looks";
import { accountLists } from "./account-lists";
import { linuxFlags } from "./attributes";
import { tryHolding } from "../try-holding";
import { findHolders, runningPrograms, runsWith } from "./holders";
import * as libc from "./libc";
import { mediumOf } from "./medium";

const { O_RDONLY, O_RDWR, O_CREAT, O_EXCL, O_DIRECTORY, O_NOFOLLOW, O_NONBLOCK, R_OK, W_OK, X_OK } = fs.constants;
const O_CLOEXEC = 0o2000000;
const O_PATH = 0o10000000;

const HERE = Buffer.from(".");

/** An entry by path, through its open directory: for the calls that take no descriptor. */
function pathOf(dir: Dir, name: Buffer): Buffer {
  return Buffer.concat([Buffer.from(`/proc/self/fd/${dir.handle}/`), name]);
}

/**
 * File systems (statfs magic numbers) whose inode numbers last and whose status times no program can set: ext2 to 4,
 * xfs, btrfs, f2fs, tmpfs, overlay, zfs, bcachefs.
 */
const KEEPS_IDENTITY = new Set([
  0xef53, 0x58465342, 0x9123683e, 0xf2f52010, 0x01021994, 0x794c7630, 0x2fc12fc1, 0xca451a4e,
]);

function ownUid(): number {
  return process.geteuid?.() ?? -1;
}

/** Whether the mode alone settles that this account may: it owns the entry, or it is root. */
function modeAllows(stat: Stat, bits: number): boolean {
  const uid = ownUid();
  return uid === 0 || (stat.uid === uid && (stat.mode & bits) === bits);
}

export const linuxDisk: Disk = {
  system: "linux",
  // Of this process alone; Eremos gives it the secret of its own data, by which it knows its records again:
  // linuxDiskOf.
  identity: identityOf(randomBytes(32)),

  openRoot: (path) => ({ handle: libc.openAt(null, path, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC) }),
  openDir: (dir, name) => ({ handle: libc.openAt(dir.handle, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC) }),
  enterDir: (dir, name) => ({ handle: libc.openAt(dir.handle, name, O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC) }),
  closeDir: (dir) => libc.close(dir.handle),
  list: (dir) => libc.list(dir.handle),
  stat: (dir, name) => libc.statAt(dir.handle, name) ?? fail("ENOENT"),
  statOpen: (of) => libc.statOpen(of.handle),
  find: (dir, name) => libc.statAt(dir.handle, name),

  openRead: (dir, name) => ({ handle: libc.openAt(dir.handle, name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC) }),
  openWrite: (dir, name) => ({ handle: libc.openAt(dir.handle, name, O_RDWR | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC) }),
  create: (dir, name, mode) => ({
    handle: libc.openAt(dir.handle, name, O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode),
  }),
  read: (file, into, offset, length, position) => libc.read(file.handle, into, offset, length, position),
  write: (file, from, offset, length, position) => libc.write(file.handle, from, offset, length, position),
  truncate: (file, size) => libc.truncate(file.handle, size),
  extents: (file, size) => {
    const found: { offset: number; length: number }[] = [];
    for (let position = 0; position < size;) {
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
  syncFile: (file) => libc.syncData(file.handle),
  closeFile: (file) => libc.close(file.handle),
  syncDir: (dir) => libc.syncAll(dir.handle),
  barrier: (dir) => libc.syncFileSystem(dir.handle),

  makeDir: (dir, name, mode) => libc.makeDir(dir.handle, name, mode),
  makeLink: (dir, name, target) => libc.makeLink(target, dir.handle, name),
  makeHardLink: (fromDir, fromName, toDir, toName) => libc.makeHardLink(fromDir.handle, fromName, toDir.handle, toName),
  readLink: (dir, name) => libc.readLink(dir.handle, name),
  rename: (fromDir, fromName, toDir, toName) => libc.rename(fromDir.handle, fromName, toDir.handle, toName, true),
  renameExclusive: (fromDir, fromName, toDir, toName) =>
    libc.rename(fromDir.handle, fromName, toDir.handle, toName, false),
  unlink: (dir, name) => libc.unlink(dir.handle, name),
  removeDir: (dir, name) => libc.removeDir(dir.handle, name),

  setMode: (dir, name, mode) => {
    const fd = libc.openAt(dir.handle, name, O_PATH | O_NOFOLLOW | O_CLOEXEC);
    try {
      if (libc.statOpen(fd).type === "link") fail("ELOOP");
      libc.setModeByPath(Buffer.from(`/proc/self/fd/${fd}`), mode);
    } finally {
      libc.close(fd);
    }
  },
  setOwner: (of, uid, gid) => libc.setOwner(of.handle, uid, gid),
  setTimes: (of, atimeNs, mtimeNs) => libc.setTimes(of.handle, atimeNs, mtimeNs),
  setOpenMode: (of, mode) => libc.setMode(of.handle, mode),
  xattrs: (of) => libc.attributesOf(of.handle),
  setXattr: (of, { name, value }) => libc.setAttribute(of.handle, name, value),

  clearAccessLists: (dir) => {
    for (const name of ["system.posix_acl_default", "system.posix_acl_access"])
      libc.removeAttribute(dir.handle, Buffer.from(name));
  },

  setLinkOwner: (dir, name, uid, gid) => libc.setOwnerAt(dir.handle, name, uid, gid),
  setLinkTimes: (dir, name, atimeNs, mtimeNs) => libc.setTimesAt(dir.handle, name, atimeNs, mtimeNs),
  linkXattrs: (dir, name) => libc.attributesAt(pathOf(dir, name)),
  setLinkXattr: (dir, name, attribute) => libc.setAttributeAt(pathOf(dir, name), attribute.name, attribute.value),

  readable: (dir, name, stat) =>
    stat.type === "dir"
      ? modeAllows(stat, 0o500) || libc.mayAccess(dir.handle, name, R_OK | X_OK)
      : modeAllows(stat, 0o400) || libc.mayAccess(dir.handle, name, R_OK),
  writable: (dir) => libc.mayAccess(dir.handle, HERE, W_OK | X_OK),
  owns: (stat) => ownUid() === 0 || stat.uid === ownUid(),
  identifies: (dir) => KEEPS_IDENTITY.has(fs.statfsSync(pathOf(dir, HERE)).type),
  holds: (dir) => (KEEPS_IDENTITY.has(fs.statfsSync(pathOf(dir, HERE)).type) ? HOLDS_ALL : tryHolding(linuxDisk, dir)),
  freeBytes: (dir) => {
    const space = fs.statfsSync(pathOf(dir, HERE), { bigint: true });
    return Number(space.bavail * space.bsize);
  },
  isWritten: (dir, name) => {
    let fd: number;
    try {
      fd = libc.openAt(dir.handle, name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    } catch {
      return null;
    }
    try {
      return libc.isOpenForWriting(fd);
    } finally {
      libc.close(fd);
    }
  },
  isHeldOpen: (file) => libc.isOpenElsewhere(file.handle),
  sharesBlocks: (file) => libc.sharesExtents(file.handle),
  flags: linuxFlags,
  looks,
  medium: (dir) => mediumOf(dir.handle),
  tryLock: (dir, name) => {
    for (;;) {
      const handle = libc.openAt(dir.handle, name, O_RDWR | O_CREAT | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC, 0o600);
      requireFile(handle);
      let isHeld = false;
      try {
        if (!libc.lockExclusively(handle)) return null;
        // Whoever held it before may have taken its name away.
        const [held, now] = [libc.statOpen(handle), libc.statAt(dir.handle, name)];
        isHeld = now?.ino === held.ino && now.dev === held.dev;
        if (isHeld) return { handle };
      } finally {
        if (!isHeld) libc.close(handle);
      }
    }
  },
  isLocked: (dir, name) => {
    if (!libc.statAt(dir.handle, name)) return false;
    const fd = libc.openAt(dir.handle, name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    requireFile(fd);
    try {
      return !libc.lockShared(fd);
    } finally {
      libc.close(fd);
    }
  },
  holders: (path) => findHolders(path),
  programs: () => runningPrograms(),
  runsWith,
  accounts: accountLists,
  wait: (milliseconds) => {
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, milliseconds);
  },
};

/** Somebody else's pipe of that name is no lock, and must stop nobody. */
function requireFile(fd: number): void {
  if (libc.statOpen(fd).type === "file") return;
  libc.close(fd);
  fail("EINVAL");
}

/** The disk of a computer that knows its own records by this secret. */
export function linuxDiskOf(secret: Uint8Array): Disk {
  return { ...linuxDisk, identity: identityOf(secret) };
}

function fail(code: string): never {
  throw Object.assign(new Error(code), { code });
}
