import { EremosError } from "../errors/eremos-error";
import { ByteReader, ByteWriter } from "./byte-stream";

/** The entries of a sealed folder's tree. Names and targets are bytes, as the file system gives them. */
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

export interface Extent {
  readonly offset: number;
  readonly length: number;
}

/** Where something lies in the index's plaintext. */
export type Span = Extent;

/** Where a file's data lies: `length` bytes from `offset` of a pack's plaintext. `pack` is its number in the tree's pack table. */
export interface Content {
  readonly pack: number;
  readonly offset: number;
  readonly length: number;
}

interface Base {
  readonly name: Buffer;
  readonly meta: Meta;
}

export interface DirEntry extends Base {
  readonly kind: "dir";
  readonly listing: Span;
}
export interface FileEntry extends Base {
  readonly kind: "file";
  readonly size: number;
  /** Files with the same number above 0 are hard links of one another. */
  readonly linkGroup: number;
  /** Null for a file without data. */
  readonly content: Content | null;
  /** Where data lies in a sparse file, or null when it has no holes. */
  readonly extents: readonly Extent[] | null;
}
export interface LinkEntry extends Base {
  readonly kind: "link";
  readonly target: Buffer;
}
export type Entry = DirEntry | FileEntry | LinkEntry;

/** A pack the tree refers to. */
export interface PackInfo {
  readonly object: string;
  readonly key: string;
  readonly generation: number;
  /** Plaintext bytes. */
  readonly length: number;
  readonly digest: Buffer;
}

const KINDS = { dir: 1, file: 2, link: 3 } as const;
const HAS_XATTRS = 1;
const IS_SPARSE = 2;
const NO_PACK = 0xffffffff;
const LISTING_HEAD_BYTES = 8;
const PACK_ENTRY_BYTES = 16 + 16 + 8 + 8 + 32;

/** The index's plaintext, and where in it the folder record lies. */
export interface EncodedTree {
  readonly bytes: Buffer;
  readonly record: Span;
}

/**
 * Writes an index's plaintext. FORMAT.md §5.4: directory listings, children before parents; then the pack table; then the folder
 * record, whose place stands in the generation record. A listing is a table of entry offsets, sorted by name, then the entries: a
 * name is found by bisection, and one file is opened without reading the rest.
 */
export class TreeWriter {
  private readonly writer = new ByteWriter();
  private readonly packNumbers = new Map<string, number>();

  /**
   * @param before bytes of listings that stand before those written here
   * @param next the number the next listing's first entry gets: entries are numbered in the order in which they are written
   */
  constructor(
    private readonly before = 0,
    private next = 0,
  ) {}

  /** Goes on after the listings of a tree, which stay where they are and keep their pack numbers. What this writes belongs after them. */
  static after(tree: TreeReader): TreeWriter {
    const writer = new TreeWriter(tree.listingsEnd, tree.entries);
    for (const { object } of tree.packs()) writer.packNumber(object);
    return writer;
  }

  /** The number of a pack in this tree's table; a new one is added to it. */
  packNumber(object: string): number {
    const known = this.packNumbers.get(object);
    if (known !== undefined) return known;
    this.packNumbers.set(object, this.packNumbers.size);
    return this.packNumbers.size - 1;
  }

  /** Writes a directory's entries, which must be sorted by the bytes of their names. */
  listing(entries: readonly Entry[]): Span {
    const { writer } = this;
    const start = writer.length;
    writer.u32(entries.length);
    writer.u32(this.next);
    const table = writer.reserve(4 * entries.length);
    entries.forEach((entry, i) => {
      writer.putU32(writer.length - start, table + 4 * i);
      writeEntry(writer, entry);
    });
    this.next += entries.length;
    return { offset: this.before + start, length: writer.length - start };
  }

  /** Without what stands before. @throws RangeError when `packs` lacks one that an entry refers to */
  finish(root: DirEntry, packs: ReadonlyMap<string, PackInfo>, files: number, bytes: number): EncodedTree {
    const { writer } = this;
    const packsAt = this.before + writer.length;
    for (const object of this.packNumbers.keys()) {
      const info = packs.get(object);
      if (!info) throw new RangeError("the tree refers to a pack that is not in its table");
      writePack(writer, info);
    }
    const recordAt = writer.length;
    writeEntry(writer, root);
    writer.u32(this.packNumbers.size);
    writer.size(packsAt);
    writer.size(files);
    writer.size(bytes);
    return { record: { offset: this.before + recordAt, length: writer.length - recordAt }, bytes: writer.finish() };
  }
}

function writeEntry(writer: ByteWriter, entry: Entry): void {
  const { meta } = entry;
  writer.u8(KINDS[entry.kind]);
  const sparse = entry.kind === "file" && entry.extents !== null;
  writer.u8((meta.xattrs.length > 0 ? HAS_XATTRS : 0) | (sparse ? IS_SPARSE : 0));
  writer.short(entry.name);
  writer.u16(meta.mode);
  writer.u32(meta.uid);
  writer.u32(meta.gid);
  writer.i64(meta.mtimeNs);
  writer.i64(meta.atimeNs);
  if (entry.kind === "file") writeFileFields(writer, entry);
  else if (entry.kind === "link") writer.short(entry.target);
  else {
    writer.size(entry.listing.offset);
    writer.size(entry.listing.length);
  }
  if (meta.xattrs.length > 0) writeXattrs(writer, meta.xattrs);
}

function writeFileFields(writer: ByteWriter, { size, linkGroup, content, extents }: FileEntry): void {
  writer.size(size);
  writer.u32(linkGroup);
  writer.u32(content?.pack ?? NO_PACK);
  writer.size(content?.offset ?? 0);
  writer.size(content?.length ?? 0);
  if (!extents) return;
  writer.u32(extents.length);
  for (const extent of extents) {
    writer.size(extent.offset);
    writer.size(extent.length);
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

function writePack(writer: ByteWriter, pack: PackInfo): void {
  writer.raw(Buffer.from(pack.object, "base64url"));
  writer.raw(pack.key === "folder" ? Buffer.alloc(16) : Buffer.from(pack.key, "base64url"));
  writer.size(pack.generation);
  writer.size(pack.length);
  writer.raw(pack.digest);
}

/** Where an index's plaintext is read from: memory, or the encrypted index itself. The bytes stay valid. */
export interface IndexSource {
  readonly length: number;
  read(offset: number, length: number): Buffer;
}

export function sourceOf(bytes: Buffer): IndexSource {
  return { length: bytes.length, read: (offset, length) => bytes.subarray(offset, offset + length) };
}

export interface Listing {
  /** The number of the first entry; the others follow. */
  readonly first: number;
  readonly entries: readonly Entry[];
}

/** Reads an index piece by piece: only the listings that are asked for. @throws EremosError `damaged` */
export class TreeReader {
  readonly root: DirEntry;
  readonly files: number;
  readonly bytes: number;
  readonly packCount: number;
  private readonly packsAt: number;
  private table: readonly PackInfo[] | null = null;

  constructor(
    private readonly source: IndexSource,
    record: Span,
  ) {
    const reader = new ByteReader(this.piece(record.offset, record.length));
    const root = readEntry(reader);
    if (root.kind !== "dir" || root.listing.offset + root.listing.length > record.offset)
      throw new EremosError("damaged", "The folder's index has no root.");
    this.root = root;
    this.packCount = reader.u32();
    this.packsAt = reader.size();
    this.files = reader.size();
    this.bytes = reader.size();
  }

  /** Entries below the root. */
  get entries(): number {
    const head = this.piece(this.root.listing.offset, LISTING_HEAD_BYTES);
    return head.readUInt32LE(0) + head.readUInt32LE(4);
  }

  /** Where the listings end and the pack table begins. */
  get listingsEnd(): number {
    return this.packsAt;
  }

  private piece(offset: number, length: number): Buffer {
    if (offset < 0 || length < 0 || offset + length > this.source.length)
      throw new EremosError("damaged", "The folder's index ends too early.");
    return this.source.read(offset, length);
  }

  list(dir: DirEntry): Listing {
    const { offset, length } = dir.listing;
    const bytes = this.piece(offset, length);
    const head = new ByteReader(bytes);
    const count = head.u32();
    const first = head.u32();
    if (LISTING_HEAD_BYTES + 4 * count > length) throw new EremosError("damaged", "The folder's index ends too early.");
    const entries: Entry[] = [];
    for (let i = 0; i < count; i++) {
      head.position = bytes.readUInt32LE(LISTING_HEAD_BYTES + 4 * i);
      const entry = checked(readEntry(head), offset);
      const before = entries.at(-1);
      // One name twice would let a link lead what comes after it somewhere else.
      if (before && Buffer.compare(before.name, entry.name) >= 0)
        throw new EremosError("damaged", "The folder's index holds a name twice, or out of order.");
      entries.push(entry);
    }
    return { first, entries };
  }

  /** One entry of a directory by name, without reading its whole listing. */
  find(dir: DirEntry, name: Buffer): Entry | null {
    const { offset, length } = dir.listing;
    const count = this.piece(offset, LISTING_HEAD_BYTES).readUInt32LE(0);
    const startOf = (i: number): number =>
      i < count ? this.piece(offset + LISTING_HEAD_BYTES + 4 * i, 4).readUInt32LE(0) : length;
    let [low, high] = [0, count];
    while (low < high) {
      const middle = (low + high) >>> 1;
      const start = startOf(middle);
      const entry = checked(readEntry(new ByteReader(this.piece(offset + start, startOf(middle + 1) - start))), offset);
      const order = Buffer.compare(name, entry.name);
      if (order === 0) return entry;
      if (order < 0) high = middle;
      else low = middle + 1;
    }
    return null;
  }

  pack(number: number): PackInfo {
    if (number >= this.packCount)
      throw new EremosError("damaged", "The folder's index refers to a pack that is not in its table.");
    return this.table?.[number] ?? readPack(this.piece(this.packsAt + PACK_ENTRY_BYTES * number, PACK_ENTRY_BYTES));
  }

  /** All packs, by their number. */
  packs(): readonly PackInfo[] {
    this.table ??= Array.from({ length: this.packCount }, (_, number) =>
      readPack(this.piece(this.packsAt + PACK_ENTRY_BYTES * number, PACK_ENTRY_BYTES)),
    );
    return this.table;
  }
}

/** Whether these bytes are one name of an entry, on any file system Eremos runs on. */
export function isName(name: Buffer): boolean {
  const isDots = name[0] === 0x2e && (name.length === 1 || (name.length === 2 && name[1] === 0x2e));
  return name.length > 0 && !isDots && !name.includes(0x2f) && !name.includes(0);
}

/** Listings point only to listings before them, so no walk ever goes round; and a name must be one name. */
function checked(entry: Entry, listingAt: number): Entry {
  if (entry.kind === "dir" && entry.listing.offset + entry.listing.length > listingAt)
    throw new EremosError("damaged", "The folder's index goes round in a circle.");
  if (!isName(entry.name)) {
    throw new EremosError("damaged", "The folder's index holds a name that no file system allows.");
  }
  return entry;
}

function readPack(bytes: Buffer): PackInfo {
  const reader = new ByteReader(bytes);
  const object = reader.raw(16).toString("base64url");
  const key = reader.raw(16);
  return {
    object,
    key: key.every((byte) => byte === 0) ? "folder" : key.toString("base64url"),
    generation: reader.size(),
    length: reader.size(),
    digest: reader.raw(32),
  };
}

const NO_XATTRS: readonly Xattr[] = [];

function readEntry(reader: ByteReader): Entry {
  const kind = reader.u8();
  const flags = reader.u8();
  const name = reader.short();
  const mode = reader.u16();
  const uid = reader.u32();
  const gid = reader.u32();
  const mtimeNs = reader.i64();
  const atimeNs = reader.i64();
  const withMeta = (): Meta => ({
    mode,
    uid,
    gid,
    mtimeNs,
    atimeNs,
    xattrs: (flags & HAS_XATTRS) !== 0 ? readXattrs(reader) : NO_XATTRS,
  });
  switch (kind) {
    case KINDS.dir: {
      const listing = { offset: reader.size(), length: reader.size() };
      return { kind: "dir", name, listing, meta: withMeta() };
    }
    case KINDS.link: {
      const target = reader.short();
      return { kind: "link", name, target, meta: withMeta() };
    }
    case KINDS.file: {
      const fields = readFileFields(reader, (flags & IS_SPARSE) !== 0);
      return { kind: "file", name, ...fields, meta: withMeta() };
    }
    default:
      throw new EremosError("damaged", "The folder's index holds an entry of an unknown kind.");
  }
}

function readFileFields(
  reader: ByteReader,
  sparse: boolean,
): Pick<FileEntry, "size" | "linkGroup" | "content" | "extents"> {
  const size = reader.size();
  const linkGroup = reader.u32();
  const pack = reader.u32();
  const offset = reader.size();
  const length = reader.size();
  const extents = sparse
    ? Array.from({ length: reader.u32() }, () => ({ offset: reader.size(), length: reader.size() }))
    : null;
  return { size, linkGroup, content: pack === NO_PACK ? null : { pack, offset, length }, extents };
}

function readXattrs(reader: ByteReader): Xattr[] {
  return Array.from({ length: reader.u16() }, () => ({ name: reader.short(), value: reader.raw(reader.u32()) }));
}

export interface PackRecord {
  /** Names from the folder down, with slashes. */
  readonly path: Buffer;
  readonly entry: Entry;
  /** Of the data, after the record. */
  readonly length: number;
  /** Of the record itself. */
  readonly recordLength: number;
}

/** Reads what {@link writePackRecord} wrote, from where it begins; `read` gives bytes from there. @throws EremosError `damaged` */
export function readPackRecord(marker: Buffer, read: (offset: number, length: number) => Buffer): PackRecord {
  const head = read(0, PACK_RECORD_HEAD_BYTES);
  const length = head.readUInt32LE(marker.length);
  if (!head.subarray(0, marker.length).equals(marker) || length > MOST_RECORD_BYTES)
    throw new EremosError("damaged", "What stands before a file's data is damaged.");
  const reader = new ByteReader(read(PACK_RECORD_HEAD_BYTES, length));
  const path = reader.raw(reader.u32());
  const entry = readEntry(reader);
  // Of a drop, whoever made it chose both.
  if (!namesOf(path).every(isName) || !isName(entry.name))
    throw new EremosError("damaged", "What stands before a file's data holds a name that no file system allows.");
  return { path, entry, length: reader.size(), recordLength: PACK_RECORD_HEAD_BYTES + length };
}

/** The names of a path within the folder, which are joined by slashes. */
export function namesOf(path: Buffer): Buffer[] {
  const names: Buffer[] = [];
  for (let at = 0; at <= path.length;) {
    const slash = path.indexOf(0x2f, at);
    const end = slash < 0 ? path.length : slash;
    names.push(path.subarray(at, end));
    at = end + 1;
  }
  return names;
}

const PACK_RECORD_HEAD_BYTES = 16 + 4;
const MOST_RECORD_BYTES = 1024 * 1024;

/**
 * Writes what stands before each file's data in a pack, so that a pack alone, with its key, gives its files back. FORMAT.md §5.5:
 * marker 16 · length of the rest u32 · path (u32 length, bytes) · entry as in the index with no pack · length of the data u64 · data.
 */
export function writePackRecord(
  writer: ByteWriter,
  marker: Buffer,
  directory: Buffer,
  entry: FileEntry,
  dataLength: number,
): void {
  writer.raw(marker);
  const frame = writer.reserve(4);
  const start = writer.length;
  writer.u32(directory.length + entry.name.length);
  writer.raw(directory);
  writer.raw(entry.name);
  writeEntry(writer, { ...entry, content: null });
  writer.size(dataLength);
  writer.putU32(writer.length - start, frame);
}
