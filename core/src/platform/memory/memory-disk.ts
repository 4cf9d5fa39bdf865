import { identityOf } from "../identity";
import {
  type AccountLists,
  type Attribute,
  type Dir,
  type Disk,
  type EntryFlags,
  type EntryType,
  HOLDS_ALL,
  type Holding,
  type Looks,
  type Medium,
  type OpenFile,
  type Stat,
} from "../port";
import { type DiskChange, DurableDisk, type InodeMeta } from "./durable-disk";

/**
 * A disk in memory that forgets like a real one: what was written lives in a cache, and only a sync makes it durable. A
 * power cut leaves what was durable and any subset of the rest (see {@link DurableDisk}). For tests.
 */
interface Inode {
  readonly ino: number;
  readonly type: "file" | "dir" | "link";
  meta: InodeMeta;
  data: Buffer;
  size: number;
  readonly entries: Map<string, Inode>;
  nlink: number;
  ctimeNs: bigint;
}

interface MemoryHandle {
  readonly handle: number;
  readonly inode: Inode;
}

function fail(code: string): never {
  throw Object.assign(new Error(code), { code });
}

const LONGEST_NAME = 255;

function key(name: Buffer): string {
  return name.length > LONGEST_NAME ? fail("ENAMETOOLONG") : name.toString("latin1");
}

/** Source: rename(2). */
function requireReplaceable(inode: Inode, replaced: Inode): void {
  if (inode.type !== "dir") return replaced.type === "dir" ? fail("EISDIR") : undefined;
  if (replaced.type !== "dir") fail("ENOTDIR");
  if (replaced.entries.size > 0) fail("ENOTEMPTY");
}

function holds(inode: Inode, other: Inode): boolean {
  return inode === other || [...inode.entries.values()].some((child) => holds(child, other));
}

export class MemoryDisk implements Disk {
  readonly system = "memory";
  /** The same for all of them: a computer knows its own records again after a power cut. */
  readonly identity = identityOf(Buffer.alloc(32, 1));
  /** What {@link freeBytes} answers. */
  free = Number.MAX_SAFE_INTEGER;
  private readonly root: Inode;
  private readonly locked = new Set<Inode>();
  private clock: bigint;
  private handles = 1;
  private inodes: number;

  /** Starts from what is durable; everything volatile of an earlier disk is gone. */
  constructor(private readonly durable: DurableDisk = new DurableDisk()) {
    this.clock = durable.clock;
    this.inodes = durable.highestInode;
    const known = new Map<number, Inode>();
    const revive = (ino: number): Inode => {
      const there = known.get(ino);
      if (there) {
        there.nlink++;
        return there;
      }
      const stored = durable.inode(ino);
      const inode: Inode = {
        ino,
        type: stored.type,
        meta: { ...stored.meta },
        data: Buffer.from(stored.data),
        size: stored.data.length,
        entries: new Map(),
        nlink: 1,
        ctimeNs: this.now(),
      };
      known.set(ino, inode);
      for (const [name, child] of stored.entries) inode.entries.set(name, revive(child));
      return inode;
    };
    this.root = revive(durable.rootInode);
  }

  private now(): bigint {
    this.clock += 1000n;
    return this.clock;
  }

  private inodeOf(handle: Dir | OpenFile): Inode {
    if (!("inode" in handle)) throw new TypeError("the handle was not opened by this disk");
    return (handle as MemoryHandle).inode;
  }

  private open(inode: Inode): MemoryHandle {
    return { handle: this.handles++, inode };
  }

  private entry(dir: Dir, name: Buffer): Inode {
    const parent = this.inodeOf(dir);
    if (key(name) === ".") return parent;
    return parent.entries.get(key(name)) ?? fail("ENOENT");
  }

  private record(change: DiskChange): void {
    this.durable.record(change);
  }

  private touchDir(dir: Inode): void {
    dir.meta = { ...dir.meta, mtimeNs: this.now() };
    dir.ctimeNs = dir.meta.mtimeNs;
    this.record({ kind: "meta", ino: dir.ino, meta: dir.meta });
  }

  private touch(inode: Inode, meta: Partial<InodeMeta>): void {
    inode.meta = { ...inode.meta, ...meta };
    inode.ctimeNs = this.now();
    this.record({ kind: "meta", ino: inode.ino, meta: inode.meta });
  }

  private addInode(dir: Dir, name: Buffer, type: Inode["type"], mode: number, target = ""): Inode {
    const parent = this.inodeOf(dir);
    if (parent.entries.has(key(name))) fail("EEXIST");
    const now = this.now();
    const meta: InodeMeta = { mode, uid: 0, gid: 0, mtimeNs: now, atimeNs: now, target, xattrs: [] };
    const inode: Inode = {
      ino: ++this.inodes,
      type,
      meta,
      data: Buffer.alloc(0),
      size: 0,
      entries: new Map(),
      nlink: 1,
      ctimeNs: now,
    };
    parent.entries.set(key(name), inode);
    this.record({ kind: "link", dir: parent.ino, name: key(name), ino: inode.ino, type, meta });
    this.touchDir(parent);
    return inode;
  }

  openRoot(path: Buffer): Dir {
    let inode = this.root;
    for (const part of key(path)
      .split("/")
      .filter((name) => name !== ""))
      inode = inode.entries.get(part) ?? fail("ENOENT");
    return inode.type === "dir" ? this.open(inode) : fail("ENOTDIR");
  }
  /** What a path leads to, links on the way followed, and its last part as well where that is asked; null: nothing. */
  private at(path: Buffer, followsLast = false, links = 40): Inode | null {
    const parts = path
      .toString("latin1")
      .split("/")
      .filter((name) => name !== "");
    let inode = this.root;
    for (const [i, part] of parts.entries()) {
      const next = inode.entries.get(part);
      if (!next) return null;
      if (next.type === "link" && (followsLast || i < parts.length - 1)) {
        const target = next.meta.target.startsWith("/") ? [next.meta.target] : [...parts.slice(0, i), next.meta.target];
        const led = Buffer.from([...target, ...parts.slice(i + 1)].join("/"), "latin1");
        return links > 0 ? this.at(led, followsLast, links - 1) : null;
      }
      inode = next;
    }
    return inode;
  }
  openDir(dir: Dir, name: Buffer): Dir {
    const inode = this.entry(dir, name);
    return inode.type === "dir" ? this.open(inode) : fail("ENOTDIR");
  }
  enterDir(dir: Dir, name: Buffer): Dir {
    return this.openDir(dir, name);
  }
  closeDir(): void {
    // Nothing is held.
  }
  list(dir: Dir): Buffer[] {
    return [...this.inodeOf(dir).entries.keys()].map((name) => Buffer.from(name, "latin1"));
  }
  private statOf(inode: Inode): Stat {
    const { mode, uid, gid, mtimeNs, atimeNs, target } = inode.meta;
    const type: EntryType = inode.type;
    return {
      type,
      dev: 1n,
      ino: BigInt(inode.ino),
      mode,
      uid,
      gid,
      nlink: inode.nlink,
      size: type === "link" ? target.length : inode.size,
      blocks: Math.ceil(inode.size / 512),
      mtimeNs,
      ctimeNs: inode.ctimeNs,
      atimeNs,
      bornNs: 0n,
      isFrozen: false,
    };
  }
  stat(dir: Dir, name: Buffer): Stat {
    return this.statOf(this.entry(dir, name));
  }
  statOpen(of: Dir | OpenFile): Stat {
    return this.statOf(this.inodeOf(of));
  }
  find(dir: Dir, name: Buffer): Stat | null {
    const inode = this.inodeOf(dir).entries.get(key(name));
    return inode ? this.statOf(inode) : null;
  }

  openRead(dir: Dir, name: Buffer): OpenFile {
    const inode = this.entry(dir, name);
    return inode.type === "file" ? this.open(inode) : fail("ELOOP");
  }
  openWrite(dir: Dir, name: Buffer): OpenFile {
    return this.openRead(dir, name);
  }
  create(dir: Dir, name: Buffer, mode: number): OpenFile {
    return this.open(this.addInode(dir, name, "file", mode));
  }
  read(file: OpenFile, into: Buffer, offset: number, length: number, position: number): number {
    const inode = this.inodeOf(file);
    return inode.data.copy(into, offset, position, Math.min(position + length, inode.size));
  }
  write(file: OpenFile, from: Buffer, offset: number, length: number, position: number): void {
    const inode = this.inodeOf(file);
    const bytes = Buffer.from(from.subarray(offset, offset + length));
    if (position + length > inode.data.length)
      inode.data = Buffer.concat([inode.data], Math.max(position + length, inode.data.length * 2));
    bytes.copy(inode.data, position);
    inode.size = Math.max(inode.size, position + length);
    this.record({ kind: "write", ino: inode.ino, position, bytes });
    this.touch(inode, { mtimeNs: this.now() });
  }
  truncate(file: OpenFile, size: number): void {
    const inode = this.inodeOf(file);
    inode.data = Buffer.concat([inode.data.subarray(0, inode.size)], size);
    inode.size = size;
    this.record({ kind: "truncate", ino: inode.ino, size });
    this.touch(inode, { mtimeNs: this.now() });
  }
  extents(): null {
    return null;
  }
  syncFile(file: OpenFile): void {
    this.durable.syncInode(this.inodeOf(file).ino);
  }
  closeFile(file: OpenFile): void {
    this.locked.delete(this.inodeOf(file));
  }
  syncDir(dir: Dir): void {
    this.durable.syncDirectory(this.inodeOf(dir).ino);
  }
  barrier(): void {
    this.durable.syncAll();
  }

  makeDir(dir: Dir, name: Buffer, mode: number): void {
    this.addInode(dir, name, "dir", mode);
  }
  makeLink(dir: Dir, name: Buffer, target: Buffer): void {
    this.addInode(dir, name, "link", 0o777, key(target));
  }
  makeHardLink(fromDir: Dir, fromName: Buffer, toDir: Dir, toName: Buffer): void {
    const inode = this.entry(fromDir, fromName);
    const parent = this.inodeOf(toDir);
    if (parent.entries.has(key(toName))) fail("EEXIST");
    parent.entries.set(key(toName), inode);
    inode.nlink++;
    this.record({
      kind: "link",
      dir: parent.ino,
      name: key(toName),
      ino: inode.ino,
      type: inode.type,
      meta: inode.meta,
    });
    this.touch(inode, {});
    this.touchDir(parent);
  }
  readLink(dir: Dir, name: Buffer): Buffer {
    return Buffer.from(this.entry(dir, name).meta.target, "latin1");
  }
  rename(fromDir: Dir, fromName: Buffer, toDir: Dir, toName: Buffer): void {
    const [from, to] = [this.inodeOf(fromDir), this.inodeOf(toDir)];
    const inode = from.entries.get(key(fromName)) ?? fail("ENOENT");
    const replaced = to.entries.get(key(toName));
    if (replaced === inode) return;
    if (inode.type === "dir" && holds(inode, to)) fail("EINVAL");
    if (replaced) requireReplaceable(inode, replaced);
    if (replaced) replaced.nlink--;
    from.entries.delete(key(fromName));
    to.entries.set(key(toName), inode);
    this.record({
      kind: "rename",
      dir: from.ino,
      name: key(fromName),
      toDir: to.ino,
      toName: key(toName),
      ino: inode.ino,
    });
    this.touch(inode, {});
    this.touchDir(from);
    if (to !== from) this.touchDir(to);
  }
  renameExclusive(fromDir: Dir, fromName: Buffer, toDir: Dir, toName: Buffer): void {
    if (this.inodeOf(toDir).entries.has(key(toName))) fail("EEXIST");
    this.rename(fromDir, fromName, toDir, toName);
  }
  private remove(dir: Dir, name: Buffer): void {
    const parent = this.inodeOf(dir);
    const inode = parent.entries.get(key(name)) ?? fail("ENOENT");
    parent.entries.delete(key(name));
    inode.nlink--;
    this.record({ kind: "unlink", dir: parent.ino, name: key(name) });
    this.touchDir(parent);
  }
  unlink(dir: Dir, name: Buffer): void {
    if (this.entry(dir, name).type === "dir") fail("EISDIR");
    this.remove(dir, name);
  }
  removeDir(dir: Dir, name: Buffer): void {
    const { type, entries } = this.entry(dir, name);
    if (type !== "dir") fail("ENOTDIR");
    if (entries.size > 0) fail("ENOTEMPTY");
    this.remove(dir, name);
  }

  setMode(dir: Dir, name: Buffer, mode: number): void {
    const inode = this.entry(dir, name);
    if (inode.type === "link") fail("ELOOP");
    this.touch(inode, { mode });
  }
  setOpenMode(of: Dir | OpenFile, mode: number): void {
    this.touch(this.inodeOf(of), { mode });
  }
  setOwner(of: Dir | OpenFile, uid: number, gid: number): void {
    this.touch(this.inodeOf(of), { uid, gid });
  }
  setTimes(of: Dir | OpenFile, atimeNs: bigint, mtimeNs: bigint): void {
    this.touch(this.inodeOf(of), { atimeNs, mtimeNs });
  }
  xattrs(of: Dir | OpenFile): Attribute[] {
    return [...this.inodeOf(of).meta.xattrs];
  }
  setXattr(of: Dir | OpenFile, attribute: Attribute): void {
    const inode = this.inodeOf(of);
    const others = inode.meta.xattrs.filter((xattr) => !xattr.name.equals(attribute.name));
    this.touch(inode, { xattrs: [...others, attribute] });
  }
  clearAccessLists(): void {
    // There are none.
  }
  setLinkOwner(dir: Dir, name: Buffer, uid: number, gid: number): void {
    this.touch(this.entry(dir, name), { uid, gid });
  }
  setLinkTimes(dir: Dir, name: Buffer, atimeNs: bigint, mtimeNs: bigint): void {
    this.touch(this.entry(dir, name), { atimeNs, mtimeNs });
  }
  linkXattrs(dir: Dir, name: Buffer): Attribute[] {
    return this.xattrs(this.open(this.entry(dir, name)));
  }
  setLinkXattr(dir: Dir, name: Buffer, attribute: Attribute): void {
    this.setXattr(this.open(this.entry(dir, name)), attribute);
  }

  readable(): boolean {
    return true;
  }
  writable(): boolean {
    return true;
  }
  owns(): boolean {
    return true;
  }
  identifies(): boolean {
    return true;
  }
  holds(): Holding {
    return HOLDS_ALL;
  }
  freeBytes(): number {
    return this.free;
  }
  isWritten(): boolean | null {
    return null;
  }
  isHeldOpen(): boolean | null {
    return null;
  }
  sharesBlocks(): boolean | null {
    return null;
  }
  readonly flags: EntryFlags = {
    isImmutable: () => false,
    setImmutable: () => false,
    volumeAttributes: () => null,
    setVolumeAttributes: () => false,
  };

  readonly looks: Looks = {
    entry: (path) => {
      const inode = this.at(path);
      return inode && { type: inode.type, size: this.statOf(inode).size, mode: inode.meta.mode, uid: inode.meta.uid };
    },
    listing: (path) => {
      const inode = this.at(path, true) ?? fail("ENOENT");
      if (inode.type !== "dir") fail("ENOTDIR");
      return [...inode.entries].map(([name, { type }]) => ({ name: Buffer.from(name, "latin1"), type }));
    },
    isThere: (path) => this.at(path, true) !== null,
    read: (path, mostBytes, offset = 0) => {
      const inode = this.at(path);
      return inode?.type === "file"
        ? Buffer.from(inode.data.subarray(offset, Math.min(offset + mostBytes, inode.size)))
        : null;
    },
  };

  medium(): Medium {
    return {
      type: "memory",
      writes: "in-memory",
      journalsData: false,
      hasSnapshots: false,
      rotates: null,
      discards: false,
      discardsItself: false,
      isEncryptedBelow: false,
      mountedAt: "/",
    };
  }

  tryLock(dir: Dir, name: Buffer): OpenFile | null {
    const inode = this.lockAt(dir, name) ?? this.addInode(dir, name, "file", 0o600);
    if (this.locked.has(inode)) return null;
    this.locked.add(inode);
    return this.open(inode);
  }
  isLocked(dir: Dir, name: Buffer): boolean {
    const inode = this.lockAt(dir, name);
    return inode !== undefined && this.locked.has(inode);
  }
  private lockAt(dir: Dir, name: Buffer): Inode | undefined {
    const inode = this.inodeOf(dir).entries.get(key(name));
    if (inode?.type === "link") fail("ELOOP");
    return inode && inode.type !== "file" ? fail("EINVAL") : inode;
  }
  accounts(): AccountLists {
    return { accounts: [], groupNames: new Map(), isPartial: false };
  }

  programs(): [] {
    return [];
  }
  runsWith(): boolean {
    return false;
  }
  holders(): [] {
    return [];
  }
  wait(milliseconds: number): void {
    this.clock += BigInt(milliseconds) * 1_000_000n;
  }
}
