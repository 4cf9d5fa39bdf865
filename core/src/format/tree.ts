import { EremosError } from "../errors/eremos-error";
import { ByteReader, ByteWriter } from "./byte-stream";

/** The tree of a sealed folder in memory. Names and targets are bytes, as the file system gives them. */
export interface Meta {
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  readonly mtimeNs: bigint;
  readonly atimeNs: bigint;
  readonly xattrs: readonly Xattr[];
}

export interface Xattr {
  readonly name: Buffer;
  readonly value: Buffer;
}

/** Tells whether a plain entry is still the one that was recorded. Kept only while the folder is open. */
export interface Identity {
  readonly dev: bigint;
  readonly ino: bigint;
  readonly ctimeNs: bigint;
}

export interface Extent {
  readonly offset: number;
  readonly length: number;
}

/** Where a file's data lies: `length` bytes from `offset` of a pack's plaintext. Null for a file without data. */
export interface Content {
  readonly pack: string;
  readonly offset: number;
  readonly length: number;
}

interface Base {
  readonly name: Buffer;
  readonly meta: Meta;
  readonly identity: Identity | null;
}

export interface DirNode extends Base {
  readonly kind: "dir";
  readonly children: TreeNode[];
}
export interface FileNode extends Base {
  readonly kind: "file";
  readonly size: number;
  /** Files with the same number above 0 are hard links of one another. */
  readonly linkGroup: number;
  readonly content: Content | null;
  /** Where data lies in a sparse file, or null when it has no holes. */
  readonly extents: readonly Extent[] | null;
}
export interface LinkNode extends Base {
  readonly kind: "link";
  readonly target: Buffer;
}
export type TreeNode = DirNode | FileNode | LinkNode;

/** A pack the tree refers to. */
export interface PackInfo {
  readonly object: string;
  readonly key: string;
  readonly generation: number;
  /** Plaintext bytes. */
  readonly length: number;
  readonly digest: Buffer;
}

export interface Tree {
  readonly root: DirNode;
  readonly packs: ReadonlyMap<string, PackInfo>;
  readonly files: number;
  readonly bytes: number;
}

const KINDS = { dir: 1, file: 2, link: 3 } as const;
const HAS_XATTRS = 1;
const IS_SPARSE = 2;
const HAS_IDENTITY = 4;
const NO_PACK = 0xffffffff;

/**
 * The index's plaintext. FORMAT.md §5.4: directory listings, children before parents; then the pack table; then the folder record,
 * whose offset and length stand in the generation record. A listing is a table of entry offsets, sorted by name, then the entries:
 * a name is found by bisection, and one file is opened without reading the rest.
 */
export interface EncodedTree {
  readonly bytes: Buffer;
  readonly record: { readonly offset: number; readonly length: number };
}

export function encodeTree(tree: Tree): EncodedTree {
  const writer = new ByteWriter();
  const packNumbers = new Map([...tree.packs.keys()].map((id, number) => [id, number]));
  const listing = writeListing(writer, tree.root, packNumbers);
  const packsAt = writer.length;
  for (const pack of tree.packs.values()) writePack(writer, pack);
  const recordAt = writer.length;
  writeEntry(writer, tree.root, packNumbers, listing);
  writer.u32(tree.packs.size);
  writer.u64(packsAt);
  writer.u64(tree.files);
  writer.u64(tree.bytes);
  return { record: { offset: recordAt, length: writer.length - recordAt }, bytes: writer.finish() };
}

interface Span {
  readonly offset: number;
  readonly length: number;
}

function writeListing(writer: ByteWriter, dir: DirNode, packs: ReadonlyMap<string, number>): Span {
  const sorted = [...dir.children].sort((a, b) => Buffer.compare(a.name, b.name));
  const spans = sorted.map((child) => (child.kind === "dir" ? writeListing(writer, child, packs) : null));
  const entries = new ByteWriter();
  const offsets = sorted.map((child, i) => {
    const at = entries.length;
    writeEntry(entries, child, packs, spans[i] ?? null);
    return at;
  });
  const start = writer.length;
  writer.u32(sorted.length);
  const base = 4 + 4 * sorted.length;
  for (const offset of offsets) writer.u32(base + offset);
  writer.raw(entries.finish());
  return { offset: start, length: writer.length - start };
}

function writeEntry(writer: ByteWriter, node: TreeNode, packs: ReadonlyMap<string, number>, listing: Span | null): void {
  const { meta } = node;
  writer.u8(KINDS[node.kind]);
  const sparse = node.kind === "file" && node.extents !== null;
  writer.u8((meta.xattrs.length > 0 ? HAS_XATTRS : 0) | (sparse ? IS_SPARSE : 0) | (node.identity ? HAS_IDENTITY : 0));
  writer.short(node.name);
  writer.u16(meta.mode);
  writer.u32(meta.uid);
  writer.u32(meta.gid);
  writer.i64(meta.mtimeNs);
  writer.i64(meta.atimeNs);
  if (node.kind === "dir") {
    writer.u64(listing?.offset ?? 0);
    writer.u64(listing?.length ?? 0);
  } else if (node.kind === "link") {
    writer.short(node.target);
  } else {
    writeFileFields(writer, node, packs);
  }
  if (meta.xattrs.length > 0) writeXattrs(writer, meta.xattrs);
  if (node.identity) {
    writer.u64(node.identity.dev);
    writer.u64(node.identity.ino);
    writer.i64(node.identity.ctimeNs);
  }
}

function writeFileFields(writer: ByteWriter, node: FileNode, packs: ReadonlyMap<string, number>): void {
  writer.u64(node.size);
  writer.u32(node.linkGroup);
  const pack = node.content ? packs.get(node.content.pack) : NO_PACK;
  if (pack === undefined) throw new RangeError("the tree refers to a pack that is not in its table");
  writer.u32(pack);
  writer.u64(node.content?.offset ?? 0);
  writer.u64(node.content?.length ?? 0);
  if (!node.extents) return;
  writer.u32(node.extents.length);
  for (const extent of node.extents) {
    writer.u64(extent.offset);
    writer.u64(extent.length);
  }
}

function writeXattrs(writer: ByteWriter, xattrs: readonly Xattr[]): void {
  writer.u16(xattrs.length);
  for (const xattr of xattrs) {
    writer.short(xattr.name);
    writer.u32(xattr.value.length);
    writer.raw(xattr.value);
  }
}

const PACK_ENTRY_BYTES = 16 + 16 + 8 + 8 + 32;

function writePack(writer: ByteWriter, pack: PackInfo): void {
  writer.raw(Buffer.from(pack.object, "base64url"));
  writer.raw(pack.key === "folder" ? Buffer.alloc(16) : Buffer.from(pack.key, "base64url"));
  writer.u64(pack.generation);
  writer.u64(pack.length);
  writer.raw(pack.digest);
}

/** Identities are kept only while the folder is open; a sealed index has none. */
export function withoutIdentity(dir: DirNode): DirNode {
  const children = dir.children.map((child): TreeNode => (child.kind === "dir" ? withoutIdentity(child) : { ...child, identity: null }));
  return { ...dir, identity: null, children };
}

/** Reads the whole tree. @throws EremosError `damaged` */
export function decodeTree(bytes: Buffer, record: { readonly offset: number; readonly length: number }): Tree {
  const reader = new ByteReader(bytes, record.offset);
  const rootEntry = readEntry(reader);
  const packCount = reader.u32();
  const packsAt = reader.size();
  const files = reader.size();
  const total = reader.size();
  const table = readPacks(bytes, packsAt, packCount);
  const root = finishEntry(bytes, rootEntry, table, 0);
  if (root.kind !== "dir") throw new EremosError("damaged", "The folder's index has no root.");
  return { root, files, bytes: total, packs: new Map(table.map((pack) => [pack.object, pack])) };
}

function readPacks(bytes: Buffer, at: number, count: number): PackInfo[] {
  if (at + count * PACK_ENTRY_BYTES > bytes.length) throw new EremosError("damaged", "The folder's index ends too early.");
  const reader = new ByteReader(bytes, at);
  return Array.from({ length: count }, () => {
    const object = reader.raw(16).toString("base64url");
    const key = reader.raw(16);
    return {
      object,
      key: key.every((byte) => byte === 0) ? "folder" : key.toString("base64url"),
      generation: reader.size(),
      length: reader.size(),
      digest: reader.raw(32),
    };
  });
}

interface RawEntry {
  readonly kind: TreeNode["kind"];
  readonly name: Buffer;
  readonly meta: Meta;
  readonly identity: Identity | null;
  readonly listing: Span;
  readonly target: Buffer;
  readonly file: { size: number; linkGroup: number; pack: number; offset: number; length: number; extents: Extent[] | null } | null;
}

function readEntry(reader: ByteReader): RawEntry {
  const kindByte = reader.u8();
  const kind = kindByte === KINDS.dir ? "dir" : kindByte === KINDS.file ? "file" : kindByte === KINDS.link ? "link" : null;
  if (!kind) throw new EremosError("damaged", "The folder's index holds an entry of an unknown kind.");
  const flags = reader.u8();
  const name = reader.short();
  const mode = reader.u16();
  const uid = reader.u32();
  const gid = reader.u32();
  const mtimeNs = reader.i64();
  const atimeNs = reader.i64();
  const listing = kind === "dir" ? { offset: reader.size(), length: reader.size() } : { offset: 0, length: 0 };
  const target = kind === "link" ? reader.short() : Buffer.alloc(0);
  const file = kind === "file" ? readFileFields(reader, (flags & IS_SPARSE) !== 0) : null;
  const xattrs = (flags & HAS_XATTRS) !== 0 ? readXattrs(reader) : [];
  const identity = (flags & HAS_IDENTITY) !== 0 ? { dev: reader.u64(), ino: reader.u64(), ctimeNs: reader.i64() } : null;
  return { kind, name, meta: { mode, uid, gid, mtimeNs, atimeNs, xattrs }, identity, listing, target, file };
}

function readFileFields(reader: ByteReader, sparse: boolean): NonNullable<RawEntry["file"]> {
  const size = reader.size();
  const linkGroup = reader.u32();
  const pack = reader.u32();
  const offset = reader.size();
  const length = reader.size();
  const extents = sparse ? Array.from({ length: reader.u32() }, () => ({ offset: reader.size(), length: reader.size() })) : null;
  return { size, linkGroup, pack, offset, length, extents };
}

function readXattrs(reader: ByteReader): Xattr[] {
  return Array.from({ length: reader.u16() }, () => ({ name: reader.short(), value: reader.raw(reader.u32()) }));
}

const MAX_DEPTH = 4096;

function finishEntry(bytes: Buffer, raw: RawEntry, packs: readonly PackInfo[], depth: number): TreeNode {
  const { name, meta, identity } = raw;
  if (depth > MAX_DEPTH) throw new EremosError("damaged", "The folder's index goes round in a circle.");
  if (raw.kind === "link") return { kind: "link", name, meta, identity, target: raw.target };
  if (raw.kind === "dir") {
    const children = readListing(bytes, raw.listing).map((child) => {
      assertSafeName(child.name);
      return finishEntry(bytes, child, packs, depth + 1);
    });
    return { kind: "dir", name, meta, identity, children };
  }
  const file = raw.file;
  if (!file) throw new EremosError("damaged", "The folder's index holds a file without fields.");
  const pack = file.pack === NO_PACK ? null : packs[file.pack];
  if (pack === undefined) throw new EremosError("damaged", "The folder's index refers to a pack that is not in its table.");
  const content = pack ? { pack: pack.object, offset: file.offset, length: file.length } : null;
  return { kind: "file", name, meta, identity, size: file.size, linkGroup: file.linkGroup, content, extents: file.extents };
}

/** A name from an index must be one name: no separator, no way up, nothing empty. */
function assertSafeName(name: Buffer): void {
  const text = name.toString("latin1");
  if (name.length === 0 || text === "." || text === ".." || name.includes(0x2f) || name.includes(0)) {
    throw new EremosError("damaged", "The folder's index holds a name that no file system allows.");
  }
}

function readListing(bytes: Buffer, span: Span): RawEntry[] {
  if (span.offset + span.length > bytes.length) throw new EremosError("damaged", "The folder's index ends too early.");
  const listing = bytes.subarray(span.offset, span.offset + span.length);
  const reader = new ByteReader(listing);
  const count = reader.u32();
  return Array.from({ length: count }, (_, i) => readEntry(new ByteReader(listing, listing.readUInt32LE(4 + 4 * i))));
}

/**
 * What stands before each file's data in a pack, so that a pack alone, with its key, gives its files back. FORMAT.md §5.5:
 * marker 16 · length of the rest u32 · path (u16 length, bytes) · entry as in the index without pack fields' meaning · data.
 */
export function encodePackRecord(marker: Buffer, path: Buffer, node: FileNode): Buffer {
  const writer = new ByteWriter();
  writer.short(path);
  writeEntry(writer, { ...node, content: null, identity: null }, new Map(), null);
  writer.u64(node.content?.length ?? 0);
  const fields = writer.finish();
  const frame = Buffer.alloc(4);
  frame.writeUInt32LE(fields.length);
  return Buffer.concat([marker, frame, fields]);
}
