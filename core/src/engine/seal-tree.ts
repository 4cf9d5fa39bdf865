import { EremosError, fromSystemError, systemCode } from "../errors/eremos-error";
import type { Content, DirNode, Extent, FileNode, PackInfo, Tree, TreeNode } from "../format/tree";
import type { Dir, Disk, OpenFile, Stat } from "../platform/port";
import type { Meter } from "./hooks";
import type { PackWriter } from "./pack-writer";
import { identityOf, metaOf } from "./survey";

const ATTEMPTS = 3;
/** A pack with less than this part still in use is written anew. */
const LEAST_USE = 0.5;

/** What was sealed last time, while the folder is open: unchanged files keep their sealed data. */
export interface BaseTree {
  readonly tree: Tree;
  readonly root: DirNode;
}

export interface SealedTree {
  readonly tree: Tree;
  /** False when every entry is as it was at the last lock, so no new generation is needed. */
  readonly changed: boolean;
}

interface Sealing {
  readonly disk: Disk;
  readonly writer: PackWriter;
  readonly meter: Meter;
  readonly wasteful: ReadonlySet<string>;
  readonly kept: Set<string>;
  readonly groups: Map<number, FileNode>;
  changed: boolean;
  files: number;
  bytes: number;
}

/** Seals every file of a surveyed tree that is not the same as in `base`. @throws EremosError `changed-while-locking` | `cancelled` */
export function sealTree(disk: Disk, dir: Dir, surveyed: DirNode, base: BaseTree | null, writer: PackWriter, meter: Meter): SealedTree {
  const sealing: Sealing = {
    disk, writer, meter, wasteful: base ? wastefulPacks(base.tree) : new Set(), kept: new Set(), groups: new Map(),
    changed: base === null, files: 0, bytes: 0,
  };
  const root = sealDir(sealing, dir, surveyed, base?.root ?? null, Buffer.alloc(0));
  const packs = new Map<string, PackInfo>();
  for (const id of sealing.kept) {
    const pack = base?.tree.packs.get(id);
    if (pack) packs.set(id, pack);
  }
  for (const pack of writer.finish()) packs.set(pack.object, pack);
  return { tree: { root, packs, files: sealing.files, bytes: sealing.bytes }, changed: sealing.changed };
}

function wastefulPacks(tree: Tree): Set<string> {
  const used = new Map<string, number>();
  const groups = new Set<number>();
  const count = (node: TreeNode): void => {
    if (node.kind === "dir") node.children.forEach(count);
    if (node.kind !== "file" || !node.content || groups.has(node.linkGroup)) return;
    if (node.linkGroup > 0) groups.add(node.linkGroup);
    used.set(node.content.pack, (used.get(node.content.pack) ?? 0) + node.content.length);
  };
  count(tree.root);
  return new Set([...tree.packs.values()].filter((pack) => (used.get(pack.object) ?? 0) < pack.length * LEAST_USE - 64 * 1024).map((pack) => pack.object));
}

function sealDir(sealing: Sealing, dir: Dir, node: DirNode, base: DirNode | null, path: Buffer): DirNode {
  const known = new Map(base?.children.map((child) => [child.name.toString("latin1"), child]));
  const children = node.children.map((child) => {
    const key = child.name.toString("latin1");
    const before = known.get(key) ?? null;
    known.delete(key);
    const childPath = path.length === 0 ? child.name : Buffer.concat([path, Buffer.from("/"), child.name]);
    return sealEntry(sealing, dir, child, before, childPath);
  });
  if (known.size > 0) sealing.changed = true;
  if (!base || !sameMeta(node, base)) sealing.changed = true;
  return { ...node, children };
}

function sealEntry(sealing: Sealing, dir: Dir, node: TreeNode, base: TreeNode | null, path: Buffer): TreeNode {
  if (node.kind === "file") return sealFile(sealing, dir, node, base?.kind === "file" ? base : null, path);
  if (node.kind === "link") {
    if (base?.kind !== "link" || !sameMeta(node, base) || !node.target.equals(base.target)) sealing.changed = true;
    return node;
  }
  const inner = openOrStop(() => sealing.disk.openDir(dir, node.name), path);
  try {
    return sealDir(sealing, inner, node, base?.kind === "dir" ? base : null, path);
  } finally {
    sealing.disk.closeDir(inner);
  }
}

function openOrStop<T>(open: () => T, path: Buffer): T {
  try {
    return open();
  } catch (error) {
    const code = systemCode(error);
    if (code === "ENOENT" || code === "ELOOP" || code === "ENOTDIR") throw changedWhileLocking(path);
    throw fromSystemError(error, `reading ${path.toString("utf8")}`);
  }
}

export function changedWhileLocking(path: Buffer): EremosError {
  const shown = path.toString("utf8");
  return new EremosError("changed-while-locking", `${shown} kept changing while it was being locked, so Eremos stopped. Everything is at its place; close the program that writes there and lock again.`, { path: shown });
}

function sameMeta(a: TreeNode, b: TreeNode): boolean {
  const [x, y] = [a.meta, b.meta];
  return x.mode === y.mode && x.uid === y.uid && x.gid === y.gid && x.mtimeNs === y.mtimeNs && x.xattrs.length === y.xattrs.length &&
    x.xattrs.every((xattr, i) => y.xattrs[i] !== undefined && xattr.name.equals(y.xattrs[i].name) && xattr.value.equals(y.xattrs[i].value));
}

/** Same device, inode, size, and times of content and status: the sealed data is still this file's. */
function isUnchanged(node: FileNode, base: FileNode): boolean {
  const [a, b] = [node.identity, base.identity];
  return a !== null && b !== null && a.dev === b.dev && a.ino === b.ino && a.ctimeNs === b.ctimeNs && node.size === base.size && node.meta.mtimeNs === base.meta.mtimeNs;
}

function sealFile(sealing: Sealing, dir: Dir, node: FileNode, base: FileNode | null, path: Buffer): FileNode {
  sealing.files++;
  sealing.bytes += node.size;
  if (base && isUnchanged(node, base) && !(base.content && sealing.wasteful.has(base.content.pack))) {
    if (base.content) sealing.kept.add(base.content.pack);
    if (!sameMeta(node, base) || node.linkGroup !== base.linkGroup) sealing.changed = true;
    sealing.meter.add(1, node.size);
    return { ...node, content: base.content, extents: base.extents };
  }
  sealing.changed = true;
  const twin = node.linkGroup > 0 ? sealing.groups.get(node.linkGroup) : undefined;
  const sealed = twin ? { ...node, content: twin.content, extents: twin.extents, size: twin.size } : sealData(sealing, dir, node, path);
  if (node.linkGroup > 0) sealing.groups.set(node.linkGroup, sealed);
  sealing.meter.add(1, 0);
  return sealed;
}

/** Reads a file until it held still from before the first byte to after the last. */
function sealData(sealing: Sealing, dir: Dir, node: FileNode, path: Buffer): FileNode {
  const { disk } = sealing;
  let shownBytes = 0;
  for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
    const file = openOrStop(() => disk.openRead(dir, node.name), path);
    try {
      const before = disk.statFile(file);
      if (before.type !== "file") throw changedWhileLocking(path);
      const taken = { ...node, size: before.size, meta: metaOf(before, node.meta.xattrs), identity: identityOf(before), extents: extentsOf(disk, file, before) };
      const content = copyIn(sealing, file, taken, path, (bytes) => {
        sealing.meter.add(0, Math.max(0, Math.min(bytes, node.size) - shownBytes));
        shownBytes = Math.max(shownBytes, bytes);
      });
      if (content !== undefined && sameStat(before, disk.statFile(file))) {
        sealing.bytes += before.size - node.size;
        return { ...taken, content };
      }
    } finally {
      disk.closeFile(file);
    }
  }
  throw changedWhileLocking(path);
}

function sameStat(a: Stat, b: Stat): boolean {
  return a.size === b.size && a.mtimeNs === b.mtimeNs && a.ctimeNs === b.ctimeNs;
}

/** Only a file that uses fewer blocks than its size can have holes. */
function extentsOf(disk: Disk, file: OpenFile, stat: Stat): readonly Extent[] | null {
  return stat.blocks * 512 < stat.size ? disk.extents(file, stat.size) : null;
}

/** The file's data into a pack: null for a file without data, undefined when it ended early. */
function copyIn(sealing: Sealing, file: OpenFile, node: FileNode, path: Buffer, onBytes: (done: number) => void): Content | null | undefined {
  const extents = node.extents ?? (node.size > 0 ? [{ offset: 0, length: node.size }] : []);
  const length = extents.reduce((sum, extent) => sum + extent.length, 0);
  if (length === 0) return null;
  let extentNumber = 0;
  let inExtent = 0;
  const content = sealing.writer.addFile(path, node, length, (into, offset, room, done) => {
    const extent = extents[extentNumber];
    if (!extent) return 0;
    const count = sealing.disk.read(file, into, offset, Math.min(room, extent.length - inExtent), extent.offset + inExtent);
    inExtent += count;
    if (inExtent === extent.length) {
      extentNumber++;
      inExtent = 0;
    }
    onBytes(done + count);
    return count;
  });
  return content ?? undefined;
}
