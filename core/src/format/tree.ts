import { EremosError, damage } from "../errors/eremos-error";
import { ByteReader, ByteWriter } from "./byte-stream";
import { OBJECT_HEADER_BYTES, decodeObjectHeader } from "./object";
import { said } from "@eremos/words/core/format";

/**
 * The entries of a sealed folder's tree. Names and targets are bytes, as the file system gives them. FORMAT.md §5.4.
 */
export interface Meta {
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  /** Names of owner and group on the computer it was sealed on; empty where there was none. */
  readonly owner: string;
  readonly group: string;
  readonly mtimeNs: bigint;
  readonly atimeNs: bigint;
  /**
   * When it was made first, where that is known; no program can set it here, so that it is carried from one sealing to
   * the next.
   */
  readonly bornNs: bigint | null;
  readonly xattrs: readonly Xattr[];
  /** What this version does not know of it, as it was sealed: carried from one sealing to the next. */
  readonly other: readonly Block[];
}

/** What an entry that is new has of its metadata; the rest is not known. */
export function newMeta(of: Pick<Meta, "mode" | "uid" | "gid" | "mtimeNs" | "atimeNs"> & Partial<Meta>): Meta {
  return { owner: "", group: "", bornNs: null, xattrs: NO_XATTRS, other: NO_BLOCKS, ...of };
}

export interface Xattr {
  readonly name: Buffer;
  readonly value: Buffer;
}

/** A tagged part of an entry that this version does not know. */
interface Block {
  readonly tag: number;
  readonly bytes: Buffer;
}

const NO_TEXT = "";
const NO_XATTRS: readonly Xattr[] = [];
const NO_BLOCKS: readonly Block[] = [];
const NO_STREAMS: readonly Stream[] = [];

export interface Extent {
  readonly offset: number;
  readonly length: number;
}

/** Where something lies in the index's plaintext. */
export type Span = Extent;

/**
 * Where a file's data lies: `length` bytes from `offset` of a pack's plaintext. `pack` is its number in the tree's pack
 * table.
 */
export interface Content {
  readonly pack: number;
  readonly offset: number;
  readonly length: number;
  /** Tells the same data from other, for whoever has the key it is under; null where it was not taken. */
  readonly fingerprint: Buffer | null;
}

/** One of several contents of a file, as other systems have them. */
export interface Stream {
  readonly name: Buffer;
  readonly size: number;
  /** Null where there is no data. */
  readonly content: Content | null;
  /** Where data lies in a sparse one, or null when it has no holes. */
  readonly extents: readonly Extent[] | null;
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
  /** Further contents by name: none here, and carried along where another system sealed them. */
  readonly streams: readonly Stream[];
}
export interface LinkEntry extends Base {
  readonly kind: "link";
  readonly target: Buffer;
}
export type Entry = DirEntry | FileEntry | LinkEntry;

/** A pack the tree refers to. */
export interface PackInfo {
  readonly object: string;
  /** What its file begins with, from which that can be written again. */
  readonly header: Buffer;
  /** Plaintext bytes. */
  readonly length: number;
  /** SHA-256 of the whole file. */
  readonly digest: Buffer;
}

/** A file as it is written anew: of one content, which has no holes unless it says so. */
export function fileEntry(of: Pick<FileEntry, "name" | "meta" | "size"> & Partial<FileEntry>): FileEntry {
  const { name, meta, size, linkGroup = 0, content = null, extents = null, streams = NO_STREAMS } = of;
  return { kind: "file", name, meta, size, linkGroup, content, extents, streams };
}

/**
 * The same file with its data elsewhere; perhaps one of another group of hard links. Member by member: many thousands
 * are made, all of one shape.
 */
export function withContents(
  { kind, name, meta, size, linkGroup: its, content, extents, streams }: FileEntry,
  where: (content: Content) => Content | null,
  linkGroup = its,
): FileEntry {
  return {
    kind,
    name,
    meta,
    size,
    linkGroup,
    content: content && where(content),
    extents,
    streams:
      streams.length === 0
        ? NO_STREAMS
        : streams.map((stream) => ({ ...stream, content: stream.content && where(stream.content) })),
  };
}

/** Everything of a file that lies in packs. */
export function contentsOf({ content, streams }: Pick<FileEntry, "content" | "streams">): readonly Content[] {
  return [content, ...streams.map((stream) => stream.content)].filter((one) => one !== null);
}

const KINDS = { dir: 1, file: 2, link: 3 } as const;
/**
 * Parts of an entry by their tag. With the uppermost bit, a reader that does not know the tag does not use the folder;
 * without, it carries the part along.
 */
const TAGS = { times: 1, posix: 2, xattrs: 3, data: 4, listing: 5, link: 6, same: 7 } as const;
const MUST_BE_KNOWN = 0x80;
const SYMBOLIC = 0;
const TIME_CHANGED = 1;
const TIME_READ = 2;
const TIME_BORN = 4;
const IS_SPARSE = 1;
const HAS_FINGERPRINT = 2;
const FINGERPRINT_BYTES = 16;
/** Whoever brings it out. */
const ANYBODY = 0xffffffff;
const USUAL_MODES = { dir: 0o755, file: 0o644, link: 0o777 } as const;
const SECOND_NS = 1_000_000_000n;
const NO_PACK = 0xffffffff;
const LISTING_HEAD_BYTES = 8;
const PACK_ENTRY_BYTES = OBJECT_HEADER_BYTES + 8 + 32;

/** The index's plaintext, and where in it the folder record lies. */
export interface EncodedTree {
  readonly bytes: Buffer;
  readonly record: Span;
}

/**
 * Writes an index's plaintext. FORMAT.md §5.4: directory listings, children before parents; then the pack table; then
 * the folder record, whose place stands in the generation record. A listing is a table of entry offsets, sorted by
 * name, then the entries: a name is found by bisection, and one file is opened without reading the rest.
 */
export class TreeWriter {
  private readonly writer = new ByteWriter();
  private readonly packNumbers = new Map<string, number>();
  /** Of the tree before. */
  private knownPacks = 0;

  /**
   * @param before bytes of listings that stand before those written here
   * @param next the number the next listing's first entry gets: entries are numbered in the order in which they are
   * written
   */
  constructor(
    private readonly before = 0,
    private next = 0,
  ) {}

  /**
   * Goes on after the listings of a tree, which stay where they are and keep their pack numbers. What this writes
   * belongs after them.
   */
  static after(tree: TreeReader): TreeWriter {
    const writer = new TreeWriter(tree.listingsEnd, tree.entries);
    // One that is gone has a number no other gets.
    tree.table().forEach((pack, number) => writer.packNumbers.set(pack?.object ?? `gone ${number}`, number));
    writer.knownPacks = tree.packCount;
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

  /**
   * Without what stands before. Packs of the tree before that `packs` lacks are gone. @throws RangeError when it lacks
   * one that was added
   */
  finish(root: DirEntry, packs: ReadonlyMap<string, PackInfo>, files: number, bytes: number): EncodedTree {
    const { writer } = this;
    const packsAt = this.before + writer.length;
    for (const [object, number] of this.packNumbers) {
      const info = packs.get(object);
      if (info) writePack(writer, info);
      else if (number < this.knownPacks) writeNoPack(writer);
      else throw new RangeError("the tree refers to a pack that is not in its table");
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
  writer.short(entry.name);
  const countAt = writer.reserve(1);
  let count = 0;
  const block = (tag: number, write: () => void): void => {
    writer.u8(tag);
    const lengthAt = writer.reserve(4);
    const start = writer.length;
    write();
    writer.putU32(writer.length - start, lengthAt);
    count++;
  };
  block(TAGS.times, () => writeTimes(writer, meta));
  block(TAGS.posix, () => {
    writer.u16(meta.mode);
    writer.u32(meta.uid);
    writer.u32(meta.gid);
    writer.text(meta.owner);
    writer.text(meta.group);
  });
  if (meta.xattrs.length > 0) block(TAGS.xattrs, () => writeXattrs(writer, meta.xattrs));
  if (entry.kind === "dir") {
    block(TAGS.listing | MUST_BE_KNOWN, () => {
      writer.size(entry.listing.offset);
      writer.size(entry.listing.length);
    });
  } else if (entry.kind === "link") {
    block(TAGS.link | MUST_BE_KNOWN, () => {
      writer.u8(SYMBOLIC);
      writer.short(entry.target);
    });
  } else {
    block(TAGS.data | MUST_BE_KNOWN, () => writeStreams(writer, entry));
    if (entry.linkGroup > 0) block(TAGS.same, () => writer.u32(entry.linkGroup));
  }
  for (const { tag, bytes } of meta.other) block(tag, () => writer.raw(bytes));
  writer.putU8(count, countAt);
}

function writeTimes(writer: ByteWriter, { mtimeNs, atimeNs, bornNs }: Meta): void {
  writer.u8(TIME_CHANGED | TIME_READ | (bornNs === null ? 0 : TIME_BORN));
  writeTime(writer, mtimeNs);
  writeTime(writer, atimeNs);
  if (bornNs !== null) writeTime(writer, bornNs);
}

/** Seconds since 1970, and nanoseconds from there on: before 1970, too, these count forward. */
function writeTime(writer: ByteWriter, ns: bigint): void {
  const rest = ((ns % SECOND_NS) + SECOND_NS) % SECOND_NS;
  writer.i64((ns - rest) / SECOND_NS);
  writer.u32(Number(rest));
}

const NO_NAME = Buffer.alloc(0);

function writeStreams(writer: ByteWriter, { size, content, extents, streams }: FileEntry): void {
  writer.u16(1 + streams.length);
  writeStream(writer, NO_NAME, size, content, extents);
  for (const stream of streams) writeStream(writer, stream.name, stream.size, stream.content, stream.extents);
}

function writeStream(
  writer: ByteWriter,
  name: Buffer,
  size: number,
  content: Content | null,
  extents: readonly Extent[] | null,
): void {
  const fingerprint = content?.fingerprint ?? null;
  writer.short(name);
  writer.u8((extents ? IS_SPARSE : 0) | (fingerprint ? HAS_FINGERPRINT : 0));
  writer.size(size);
  writer.u32(content?.pack ?? NO_PACK);
  writer.size(content?.offset ?? 0);
  writer.size(content?.length ?? 0);
  if (fingerprint) writer.raw(fingerprint);
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

/** What is not in use any more keeps its number. */
function writeNoPack(writer: ByteWriter): void {
  writer.raw(Buffer.alloc(PACK_ENTRY_BYTES));
}

function writePack(writer: ByteWriter, pack: PackInfo): void {
  writer.raw(pack.header);
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
  /** The rows of the pack table that were read. */
  private readonly rows = new Map<number, PackInfo | null>();

  constructor(
    private readonly source: IndexSource,
    record: Span,
  ) {
    const reader = new ByteReader(this.piece(record.offset, record.length));
    const root = readEntry(reader);
    if (root.kind !== "dir" || root.listing.offset + root.listing.length > record.offset)
      throw damage(said("folders-index-has-no-root"));
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
      throw damage(said("folders-index-ends-too-early"));
    return this.source.read(offset, length);
  }

  list(dir: DirEntry): Listing {
    const { offset, length } = dir.listing;
    const bytes = this.piece(offset, length);
    const head = new ByteReader(bytes);
    const count = head.u32();
    const first = head.u32();
    if (LISTING_HEAD_BYTES + 4 * count > length) throw damage(said("folders-index-ends-too-early"));
    const entries: Entry[] = [];
    for (let i = 0; i < count; i++) {
      head.position = bytes.readUInt32LE(LISTING_HEAD_BYTES + 4 * i);
      const entry = checked(readEntry(head), offset);
      const before = entries.at(-1);
      // One name twice would let a link lead what comes after it somewhere else.
      if (before && Buffer.compare(before.name, entry.name) >= 0) throw damage(said("folders-index-holds-name-twice"));
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
    const pack = number < this.packCount ? this.row(number) : null;
    if (!pack) throw damage(said("folders-index-refers-pack-that"));
    return pack;
  }

  /** The packs by their number; null: one that is gone. */
  table(): readonly (PackInfo | null)[] {
    return Array.from({ length: this.packCount }, (_, number) => this.row(number));
  }

  private row(number: number): PackInfo | null {
    const known = this.rows.get(number);
    if (known !== undefined) return known;
    const row = readPack(this.piece(this.packsAt + PACK_ENTRY_BYTES * number, PACK_ENTRY_BYTES));
    this.rows.set(number, row);
    return row;
  }

  /** The packs that are there. */
  packs(): readonly PackInfo[] {
    return this.table().filter((pack) => pack !== null);
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
    throw damage(said("folders-index-goes-round-in"));
  if (!isName(entry.name)) {
    throw damage(said("folders-index-holds-name-that"));
  }
  return entry;
}

function readPack(bytes: Buffer): PackInfo | null {
  if (bytes.every((byte) => byte === 0)) return null;
  const reader = new ByteReader(bytes);
  const header = reader.raw(OBJECT_HEADER_BYTES);
  return { object: decodeObjectHeader(header).object, header, length: reader.size(), digest: reader.raw(32) };
}

/** What was read of an entry so far; `null`: it was not there. */
interface Parts {
  times: Pick<Meta, "mtimeNs" | "atimeNs" | "bornNs"> | null;
  posix: Pick<Meta, "mode" | "uid" | "gid" | "owner" | "group"> | null;
  xattrs: readonly Xattr[] | null;
  streams: readonly Stream[] | null;
  listing: Span | null;
  target: Buffer | null;
  same: number | null;
  other: Block[] | null;
}

function readEntry(reader: ByteReader): Entry {
  const kind = reader.u8();
  const name = reader.short();
  const parts: Parts = {
    times: null,
    posix: null,
    xattrs: null,
    streams: null,
    listing: null,
    target: null,
    same: null,
    other: null,
  };
  for (let left = reader.u8(); left > 0; left--) {
    const tag = reader.u8();
    const length = reader.u32();
    const end = reader.position + length;
    readBlock(reader, tag, length, parts);
    if (reader.position !== end) throw damage(said("part-this-folders-index-has"));
  }
  switch (kind) {
    case KINDS.dir:
      if (!parts.listing) break;
      return { kind: "dir", name, listing: parts.listing, meta: metaFrom(parts, "dir") };
    case KINDS.link:
      if (!parts.target) break;
      return { kind: "link", name, target: parts.target, meta: metaFrom(parts, "link") };
    case KINDS.file: {
      const first = parts.streams?.[0];
      if (!first || first.name.length > 0) break;
      return {
        kind: "file",
        name,
        size: first.size,
        linkGroup: parts.same ?? 0,
        content: first.content,
        extents: first.extents,
        streams: parts.streams && parts.streams.length > 1 ? parts.streams.slice(1) : NO_STREAMS,
        meta: metaFrom(parts, "file"),
      };
    }
    default:
      throw new EremosError("unknown-version", said("this-folder-holds-entry-kind"));
  }
  throw damage(said("folders-index-holds-entry-that"));
}

/** Member by member: many thousands are made, all of one shape. */
function metaFrom({ times, posix, xattrs, other }: Parts, kind: keyof typeof KINDS): Meta {
  return {
    mode: posix ? posix.mode : USUAL_MODES[kind],
    uid: posix ? posix.uid : ANYBODY,
    gid: posix ? posix.gid : ANYBODY,
    owner: posix ? posix.owner : NO_TEXT,
    group: posix ? posix.group : NO_TEXT,
    mtimeNs: times ? times.mtimeNs : 0n,
    atimeNs: times ? times.atimeNs : 0n,
    bornNs: times ? times.bornNs : null,
    xattrs: xattrs ?? NO_XATTRS,
    other: other ?? NO_BLOCKS,
  };
}

function readBlock(reader: ByteReader, tag: number, length: number, parts: Parts): void {
  switch (tag & ~MUST_BE_KNOWN) {
    case TAGS.times:
      parts.times = once(parts.times, readTimes(reader));
      return;
    case TAGS.posix:
      parts.posix = once(parts.posix, {
        mode: reader.u16(),
        uid: reader.u32(),
        gid: reader.u32(),
        owner: textOf(reader.short()),
        group: textOf(reader.short()),
      });
      return;
    case TAGS.xattrs:
      parts.xattrs = once(parts.xattrs, readXattrs(reader));
      return;
    case TAGS.data:
      parts.streams = once(parts.streams, readStreams(reader));
      return;
    case TAGS.listing:
      parts.listing = once(parts.listing, { offset: reader.size(), length: reader.size() });
      return;
    case TAGS.link:
      if (reader.u8() !== SYMBOLIC) throw new EremosError("unknown-version", said("this-folder-holds-link-kind"));
      parts.target = once(parts.target, reader.short());
      return;
    case TAGS.same:
      parts.same = once(parts.same, reader.u32());
      return;
    default:
      if ((tag & MUST_BE_KNOWN) !== 0)
        throw new EremosError(
          "unknown-version",
          said("this-folder-holds-something-that", { tag: tag & ~MUST_BE_KNOWN }),
        );
      (parts.other ??= []).push({ tag, bytes: reader.raw(length) });
  }
}

/** One name follows another of the same, thousands of times. */
let lastBytes = Buffer.alloc(0);
let lastText = NO_TEXT;

function textOf(bytes: Buffer): string {
  if (bytes.length === 0) return NO_TEXT;
  if (bytes.equals(lastBytes)) return lastText;
  lastBytes = Buffer.from(bytes);
  return (lastText = bytes.toString("utf8"));
}

function once<T>(before: T | null, now: T): T {
  if (before !== null) throw damage(said("folders-index-holds-part-entry"));
  return now;
}

function readTimes(reader: ByteReader): NonNullable<Parts["times"]> {
  const flags = reader.u8();
  return {
    mtimeNs: (flags & TIME_CHANGED) !== 0 ? readTime(reader) : 0n,
    atimeNs: (flags & TIME_READ) !== 0 ? readTime(reader) : 0n,
    bornNs: (flags & TIME_BORN) !== 0 ? readTime(reader) : null,
  };
}

function readTime(reader: ByteReader): bigint {
  const seconds = reader.i64();
  const rest = reader.u32();
  if (rest >= 1_000_000_000) throw damage(said("folders-index-holds-impossible-time"));
  return seconds * SECOND_NS + BigInt(rest);
}

function readStreams(reader: ByteReader): Stream[] {
  const count = reader.u16();
  const streams: Stream[] = [];
  for (let i = 0; i < count; i++) streams.push(readStream(reader));
  return streams;
}

function readStream(reader: ByteReader): Stream {
  const name = reader.short();
  const flags = reader.u8();
  const size = reader.size();
  const pack = reader.u32();
  const offset = reader.size();
  const length = reader.size();
  const fingerprint = (flags & HAS_FINGERPRINT) !== 0 ? reader.raw(FINGERPRINT_BYTES) : null;
  const extents =
    (flags & IS_SPARSE) !== 0
      ? Array.from({ length: reader.u32() }, () => ({ offset: reader.size(), length: reader.size() }))
      : null;
  return { name, size, content: pack === NO_PACK ? null : { pack, offset, length, fingerprint }, extents };
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

/**
 * Reads what {@link writePackRecord} wrote, from where it begins; `read` gives bytes from there. @throws EremosError
 * `damaged`
 */
export function readPackRecord(marker: Buffer, read: (offset: number, length: number) => Buffer): PackRecord {
  const head = read(0, PACK_RECORD_HEAD_BYTES);
  const length = head.readUInt32LE(marker.length);
  if (!head.subarray(0, marker.length).equals(marker) || length > MOST_RECORD_BYTES)
    throw damage(said("what-stands-before-files-data"));
  const reader = new ByteReader(read(PACK_RECORD_HEAD_BYTES, length));
  const path = reader.raw(reader.u32());
  const entry = readEntry(reader);
  // Of a drop, whoever made it chose both.
  if (!namesOf(path).every(isName) || !isName(entry.name)) throw damage(said("what-stands-before-files-data-holds"));
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
 * Writes what stands before each file's data in a pack, so that a pack alone, with its key, gives its files back.
 * FORMAT.md §5.5: marker 16 · length of the rest u32 · path (u32 length, bytes) · entry as in the index with no pack ·
 * length of the data u64 · data.
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
  writeEntry(
    writer,
    withContents(entry, () => null),
  );
  writer.size(dataLength);
  writer.putU32(writer.length - start, frame);
}
