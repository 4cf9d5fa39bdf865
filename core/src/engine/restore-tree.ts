import { systemCode } from "../errors/eremos-error";
import type { DirNode, FileNode, Identity, Meta, TreeNode, Xattr } from "../format/tree";
import type { Dir, Disk } from "../platform/port";
import type { Meter } from "./hooks";
import type { ObjectReader } from "./object-io";
import { identityOf } from "./survey";

/** Packs stay open while their files are being restored; this many at a time. */
const OPEN_PACKS = 8;

export class PackReaders {
  private readonly open = new Map<string, ObjectReader>();

  constructor(private readonly openPack: (object: string) => ObjectReader) {}

  reader(object: string): ObjectReader {
    const known = this.open.get(object);
    if (known) return known;
    if (this.open.size >= OPEN_PACKS) {
      const [oldest] = this.open.keys();
      if (oldest !== undefined) this.close(oldest);
    }
    const reader = this.openPack(object);
    this.open.set(object, reader);
    return reader;
  }

  private close(object: string): void {
    this.open.get(object)?.close();
    this.open.delete(object);
  }

  closeAll(): void {
    for (const object of [...this.open.keys()]) this.close(object);
  }
}

interface Restoring {
  readonly disk: Disk;
  readonly packs: PackReaders;
  readonly links: Dir;
  readonly meter: Meter;
  readonly identities: Map<TreeNode, Identity>;
  readonly groups: Set<number>;
}

/**
 * Writes the tree's entries into an empty directory. `links` is a scratch directory through which hard links find each other.
 * Returns what each file was, the moment it was finished.
 */
export function restoreTree(disk: Disk, into: Dir, root: DirNode, packs: PackReaders, links: Dir, meter: Meter): ReadonlyMap<TreeNode, Identity> {
  const restoring: Restoring = { disk, packs, links, meter, identities: new Map(), groups: new Set() };
  for (const child of root.children) restoreEntry(restoring, into, child);
  for (const group of restoring.groups) disk.unlink(links, groupName(group));
  return restoring.identities;
}

function restoreEntry(restoring: Restoring, dir: Dir, node: TreeNode): void {
  const { disk } = restoring;
  if (node.kind === "dir") restoreDir(restoring, dir, node);
  else if (node.kind === "link") {
    disk.makeLink(dir, node.name, node.target);
    applyMeta(disk, dir, node.name, node.meta, false);
  } else restoreFile(restoring, dir, node);
  restoring.meter.add(node.kind === "file" ? 1 : 0, 0);
}

function restoreDir(restoring: Restoring, dir: Dir, node: DirNode): void {
  const { disk } = restoring;
  disk.makeDir(dir, node.name, 0o700);
  const inner = disk.openDir(dir, node.name);
  try {
    for (const child of node.children) restoreEntry(restoring, inner, child);
  } finally {
    disk.closeDir(inner);
  }
  applyMeta(disk, dir, node.name, node.meta, true);
}

function groupName(group: number): Buffer {
  return Buffer.from(String(group));
}

function restoreFile(restoring: Restoring, dir: Dir, node: FileNode): void {
  const { disk } = restoring;
  if (node.linkGroup > 0 && restoring.groups.has(node.linkGroup)) {
    disk.makeHardLink(restoring.links, groupName(node.linkGroup), dir, node.name);
    restoring.meter.add(0, node.size);
    return;
  }
  const file = disk.create(dir, node.name, 0o600);
  try {
    const extents = node.extents ?? [{ offset: 0, length: node.size }];
    if (node.extents) disk.truncate(file, node.size);
    if (node.content) writeExtents(restoring, file, node.content, extents);
    applyMeta(disk, dir, node.name, node.meta, true);
    restoring.identities.set(node, identityOf(disk.statFile(file)));
  } finally {
    disk.closeFile(file);
  }
  if (node.linkGroup > 0) {
    restoring.groups.add(node.linkGroup);
    disk.makeHardLink(dir, node.name, restoring.links, groupName(node.linkGroup));
  }
}

function writeExtents(restoring: Restoring, file: ReturnType<Disk["create"]>, content: NonNullable<FileNode["content"]>, extents: readonly { offset: number; length: number }[]): void {
  const reader = restoring.packs.reader(content.pack);
  let from = content.offset;
  for (const extent of extents) {
    let to = extent.offset;
    reader.pieces(from, extent.length, (piece) => {
      restoring.disk.write(file, piece, 0, piece.length, to);
      to += piece.length;
      restoring.meter.add(0, piece.length);
    });
    from += extent.length;
  }
}

/** Owner before mode (changing the owner clears set-id bits), attributes before mode (they need write access), times last. */
export function applyMeta(disk: Disk, dir: Dir, name: Buffer, meta: Meta, hasMode: boolean): void {
  const now = disk.stat(dir, name);
  if (now.uid !== meta.uid || now.gid !== meta.gid) setOwnerWherePermitted(disk, dir, name, meta);
  for (const xattr of meta.xattrs) setAttribute(disk, dir, name, xattr);
  if (hasMode) disk.setMode(dir, name, meta.mode);
  disk.setTimes(dir, name, meta.atimeNs, meta.mtimeNs);
}

/** The system's own attributes (`security.*`, `trusted.*`) can be set only by those it permits; everybody else gets the system's default. */
function setAttribute(disk: Disk, dir: Dir, name: Buffer, xattr: Xattr): void {
  try {
    disk.setXattr(dir, name, xattr.name, xattr.value);
  } catch (error) {
    const isSystems = /^(security|trusted)\./.test(xattr.name.toString("latin1"));
    if (!isSystems || (systemCode(error) !== "EPERM" && systemCode(error) !== "EACCES")) throw error;
  }
}

function setOwnerWherePermitted(disk: Disk, dir: Dir, name: Buffer, meta: Meta): void {
  try {
    disk.setOwner(dir, name, meta.uid, meta.gid);
  } catch (error) {
    if (systemCode(error) !== "EPERM" && systemCode(error) !== "EINVAL") throw error;
  }
}
