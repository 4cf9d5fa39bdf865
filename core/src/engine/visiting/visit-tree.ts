import type {
  Content,
  DirEntry,
  Entry,
  Extent,
  FileEntry,
  Meta,
  PackInfo,
  Stream,
  TreeReader,
  TreeWriter,
} from "../../format/tree";
import type { Anew } from "../contents";

/**
 * A sealed folder's tree while it is visited: read from the index as far as it is asked for, changed in memory, and
 * written to a new index with only what differs. Files and links are values; a directory stays the same object while it
 * is moved and changed.
 */
export interface Data {
  readonly pack: PackInfo;
  /** Of the data, in the pack's plaintext. */
  readonly offset: number;
  readonly length: number;
  readonly fingerprint: Buffer | null;
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
  readonly streams: readonly (Omit<Stream, "content"> & { readonly data: Data | null })[];
}

interface LinkNode {
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
  const { kind, name, meta, size, linkGroup, extents, content, streams } = entry;
  const at = (of: Content | null): Data | null =>
    of && { pack: tree.pack(of.pack), offset: of.offset, length: of.length, fingerprint: of.fingerprint };
  // Member by member: many thousands are made, all of one shape.
  return {
    kind,
    name,
    meta,
    size,
    linkGroup,
    extents,
    data: at(content),
    streams: streams.map(({ content: its, ...stream }) => ({ ...stream, data: at(its) })),
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

/** Every file that a node is, or that lies somewhere in it. */
export function* filesIn(tree: TreeReader, node: Node): Generator<FileNode> {
  if (node.kind === "file") yield node;
  if (node.kind === "dir") for (const child of lookInto(tree, node)) yield* filesIn(tree, child);
}

/** Everything of a file that lies in packs. */
export function dataOf({ data, streams }: Pick<FileNode, "data" | "streams">): readonly Data[] {
  return [data, ...streams.map((stream) => stream.data)].filter((one) => one !== null);
}

/** Files of their own, not other names of what was copied. */
const OF_ITS_OWN = (): number => 0;

/**
 * A second one like it, sharing the sealed data, which never changes. `groupOf`: which names of it are one file, by the
 * numbers that they had.
 */
export function copyOf(
  tree: TreeReader,
  node: Node,
  name: Buffer,
  parent: DirNode,
  groupOf: (group: number) => number = OF_ITS_OWN,
): Node {
  if (node.kind === "link") return { ...node, name };
  if (node.kind === "file") return { ...node, name, linkGroup: groupOf(node.linkGroup) };
  const copy = newDirNode(name, node.meta, parent);
  for (const child of lookInto(tree, node))
    copy.children?.set(keyOf(child.name), copyOf(tree, child, child.name, copy, groupOf));
  return copy;
}

export interface Encoding {
  readonly tree: TreeReader;
  readonly writer: TreeWriter;
  /** The packs that are referred to, by object. */
  readonly packs: Map<string, PackInfo>;
  /** Everything is written, and nothing of the committed index stays in use. */
  readonly isWhole: boolean;
  /** Packs that hold the same as others, by the object of those. */
  readonly anew: ReadonlyMap<string, Anew>;
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

function encodeFile({ writer, packs, anew }: Encoding, { data, streams, ...file }: FileNode): FileEntry {
  const contentOf = (of: Data | null): Content | null => {
    if (!of) return null;
    const its = anew.get(of.pack.object);
    const pack = its?.pack ?? of.pack;
    packs.set(pack.object, pack);
    return {
      ...of,
      pack: writer.packNumber(pack.object),
      fingerprint: its ? (its.fingerprints.get(of.offset) ?? null) : of.fingerprint,
    };
  };
  return {
    ...file,
    content: contentOf(data),
    streams: streams.map(({ data: its, ...stream }) => ({ ...stream, content: contentOf(its) })),
  };
}
