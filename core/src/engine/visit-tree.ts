import type { DirEntry, Entry, Extent, FileEntry, Meta, PackInfo, TreeReader, TreeWriter } from "../format/tree";

/**
 * A sealed folder's tree while it is visited: read from the index as far as it is asked for, changed in memory, and written to a new
 * index with only what differs. Files and links are values; a directory stays the same object while it is moved and changed.
 */
export interface Data {
  readonly pack: PackInfo;
  /** Of the data, in the pack's plaintext. */
  readonly offset: number;
  readonly length: number;
}

export interface FileNode {
  readonly kind: "file";
  readonly name: Buffer;
  readonly meta: Meta;
  readonly size: number;
  readonly linkGroup: number;
  readonly extents: readonly Extent[] | null;
  /** Null for a file without data. */
  readonly data: Data | null;
}

export interface LinkNode {
  readonly kind: "link";
  readonly name: Buffer;
  readonly meta: Meta;
  readonly target: Buffer;
}

export interface DirNode {
  readonly kind: "dir";
  name: Buffer;
  meta: Meta;
  parent: DirNode | null;
  /** As it stands in the committed index; null where something below it differs. */
  known: DirEntry | null;
  /** By name, as latin1 text; null until it is asked for. */
  children: Map<string, Node> | null;
}

export type Node = FileNode | LinkNode | DirNode;

export function keyOf(name: Buffer): string {
  return name.toString("latin1");
}

export function dirNode(entry: DirEntry, parent: DirNode | null): DirNode {
  return { kind: "dir", name: entry.name, meta: entry.meta, parent, known: entry, children: null };
}

export function newDirNode(name: Buffer, meta: Meta, parent: DirNode): DirNode {
  return { kind: "dir", name, meta, parent, known: null, children: new Map() };
}

export function nodeOf(tree: TreeReader, entry: Entry, parent: DirNode): Node {
  if (entry.kind === "dir") return dirNode(entry, parent);
  if (entry.kind === "link") return entry;
  const { name, meta, size, linkGroup, extents, content } = entry;
  return {
    kind: "file",
    name,
    meta,
    size,
    linkGroup,
    extents,
    data: content && { pack: tree.pack(content.pack), offset: content.offset, length: content.length },
  };
}

function readChildren(tree: TreeReader, dir: DirNode): Map<string, Node> {
  if (!dir.known) return new Map();
  return new Map(tree.list(dir.known).entries.map((entry) => [keyOf(entry.name), nodeOf(tree, entry, dir)]));
}

/** A directory's entries; read once, and kept. */
export function childrenOf(tree: TreeReader, dir: DirNode): Map<string, Node> {
  return (dir.children ??= readChildren(tree, dir));
}

/** The same, without keeping what had not been asked for. */
function lookInto(tree: TreeReader, dir: DirNode): Iterable<Node> {
  return (dir.children ?? readChildren(tree, dir)).values();
}

/** Something in the directory differs from the committed index, and so do those above it. */
export function markChanged(dir: DirNode): void {
  for (let at: DirNode | null = dir; at && at.known; at = at.parent) at.known = null;
}

/** Whether a directory is this node, or lies somewhere in it. */
export function isWithin(dir: DirNode, node: Node): boolean {
  for (let at: DirNode | null = dir; at; at = at.parent) if (at === node) return true;
  return false;
}

export interface Amounts {
  readonly files: number;
  readonly bytes: number;
}

export function amountsIn(tree: TreeReader, node: Node): Amounts {
  if (node.kind === "link") return { files: 0, bytes: 0 };
  if (node.kind === "file") return { files: 1, bytes: node.size };
  let [files, bytes] = [0, 0];
  for (const child of lookInto(tree, node)) {
    const below = amountsIn(tree, child);
    files += below.files;
    bytes += below.bytes;
  }
  return { files, bytes };
}

/** A second one like it, sharing the sealed data, which never changes. Its files are files of their own, not other names. */
export function copyOf(tree: TreeReader, node: Node, name: Buffer, parent: DirNode): Node {
  if (node.kind === "link") return { ...node, name };
  if (node.kind === "file") return { ...node, name, linkGroup: 0 };
  const copy = newDirNode(name, node.meta, parent);
  for (const child of lookInto(tree, node))
    copy.children?.set(keyOf(child.name), copyOf(tree, child, child.name, copy));
  return copy;
}

export interface Encoding {
  readonly tree: TreeReader;
  readonly writer: TreeWriter;
  /** The packs that are referred to, by object. */
  readonly packs: Map<string, PackInfo>;
  /** Everything is written, and nothing of the committed index stays in use. */
  readonly isWhole: boolean;
  /** Where each directory in memory stands in the new index. */
  readonly placed: Map<DirNode, DirEntry>;
}

/** Writes what differs, children before parents. */
export function encode(of: Encoding, dir: DirNode): DirEntry {
  if (dir.known && !of.isWhole) return { ...dir.known, name: dir.name, meta: dir.meta };
  const nodes = [...lookInto(of.tree, dir)].sort((a, b) => Buffer.compare(a.name, b.name));
  const entries = nodes.map((node): Entry =>
    node.kind === "dir" ? encode(of, node) : node.kind === "file" ? encodeFile(of, node) : node,
  );
  const entry: DirEntry = { kind: "dir", name: dir.name, meta: dir.meta, listing: of.writer.listing(entries) };
  of.placed.set(dir, entry);
  return entry;
}

function encodeFile({ writer, packs }: Encoding, { data, ...file }: FileNode): FileEntry {
  if (!data) return { ...file, content: null };
  packs.set(data.pack.object, data.pack);
  return { ...file, content: { pack: writer.packNumber(data.pack.object), offset: data.offset, length: data.length } };
}
