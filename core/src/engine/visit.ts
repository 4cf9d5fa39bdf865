import { EremosError, fromSystemError } from "../errors/eremos-error";
import { toBase64 } from "../crypto/bytes";
import { ByteWriter } from "../format/byte-stream";
import { FOLDER_KEY_NAME, type Generation, generationDigest, openPlace, sealPlace, vouchFor, writeGeneration } from "../format/generation";
import type { FolderHeader } from "../format/header";
import type { StateRecord } from "../format/state";
import { type EncodedTree, type Entry, type FileEntry, type Meta, type PackInfo, TreeReader, TreeWriter, writePackRecord } from "../format/tree";
import type { Disk } from "../platform/port";
import type { CheckInput } from "./check";
import { type Drop, openDrops, unreadableDrops } from "./drop";
import { type Difference, type Earlier, type Opener, differences, madeAt, openEarlier, ownBytes, requireEarlier, sweepKeeping } from "./earlier";
import { within } from "./handles";
import { FolderKeys, devicesOf, requireVouched } from "./keys";
import { indexSource, openIndex } from "./load-tree";
import { ObjectReader, ObjectWriter, withObjectDir } from "./object-io";
import { writeFile } from "./seal-generation";
import { namesFor } from "./staging";
import { type Data, type DirNode, type FileNode, type LinkNode, type Node, amountsIn, childrenOf, copyOf, dirNode, encode, isWithin, keyOf, markChanged, newDirNode, nodeOf } from "./visit-tree";
import { type HeldFolder, NAMES, commitState, displayPath, ensureDir, generationName, holdFolder, letGo, loadGeneration, loadHeader, loadState } from "./vault";

/** Of the index, so much stays decrypted: 64 chunks of 64 KiB. */
const CACHED_INDEX_CHUNKS = 64;
/** Packs stay open while their files are read; this many at a time. */
const OPEN_PACKS = 16;
/** A file whose length is not known beforehand is kept in memory up to this, then in an encrypted object of its own. */
const KEPT_IN_MEMORY = 1024 * 1024;
/** How many changes can be undone. */
const UNDO_STEPS = 50;
/** An index that has grown so much beyond what it must be is written anew. */
const SLACK_BYTES = 1024 * 1024;

export interface VisitInput extends CheckInput {
  /** Whose new files and directories are. */
  readonly account: { readonly uid: number; readonly gid: number };
  /** The owner was told that the last lock is vouched for by nobody known, and goes on. */
  readonly acceptUnvouched?: boolean;
  /** How many earlier states stay beside the last one. */
  readonly keep?: number;
}

/** What the owner's list is to know of the folder as it is now. */
export interface Committed {
  readonly generation: number;
  readonly digest: string;
  readonly files: number;
  readonly bytes: number;
}

/** A state from before, as long as it is kept. */
export interface EarlierState {
  readonly generation: number;
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly files: number;
  readonly bytes: number;
  /** What it takes on disk besides what is needed anyway. */
  readonly ownBytes: number;
}

/** One committed state, to go back to. */
interface Past {
  readonly index: ObjectReader;
  readonly object: string;
  readonly record: Generation["index"]["record"];
}

/**
 * A sealed folder that is looked into and changed with nothing decrypted on disk. Only what is asked for is read. A change counts once
 * {@link commit} has made it a generation: a crash leaves the old or the new state. Holds the folder, so that nothing else changes it
 * meanwhile; {@link close} it. Names are bytes; paths are names from the folder down.
 */
export class Visit {
  private readonly readers = new Map<string, ObjectReader>();
  private readonly past: Past[] = [];
  private tree: TreeReader;
  private rootNode: DirNode;
  private files: number;
  private bytes: number;
  /** Bytes of listings of the last index that was written whole. */
  private wholeBytes: number;
  private hasChanged = false;
  /** What the visit began with, which stays to be gone back to. */
  private readonly begun: { readonly generation: number; readonly index: string };

  private constructor(
    private readonly disk: Disk,
    private readonly folder: HeldFolder,
    private readonly keys: FolderKeys,
    private readonly devices: readonly Uint8Array[],
    readonly header: FolderHeader,
    private readonly ordinaryPath: Buffer,
    private readonly account: VisitInput["account"],
    private readonly keep: number,
    private state: StateRecord,
    private generation: Generation,
    private index: ObjectReader,
  ) {
    this.tree = new TreeReader(indexSource(index), generation.index.record);
    this.rootNode = dirNode(this.tree.root, null);
    this.files = this.tree.files;
    this.bytes = this.tree.bytes;
    this.wholeBytes = this.tree.listingsEnd;
    this.begun = { generation: generation.generation, index: generation.index.object };
  }

  /** @throws EremosError `not-locked` | `busy` | `damaged` | `unvouched` | `needs-folder-password` */
  static async open(disk: Disk, input: VisitInput): Promise<Visit> {
    const folder = holdFolder(disk, input.path, { create: false });
    let keys: FolderKeys | null = null;
    let index: ObjectReader | null = null;
    try {
      const state = loadState(disk, folder.vault);
      if (state?.state !== "sealed") throw new EremosError("not-locked", `${displayPath(input.path)} is not sealed now, so there is nothing to visit. Nothing was touched.`);
      const { record: header } = loadHeader(disk, folder.vault, input.keptHeader);
      const { record: generation } = loadGeneration(disk, folder.vault, state.generation);
      keys = await FolderKeys.open(disk, folder.vault, header, input.access);
      requireVouched(generation, header, keys, input.access, input.acceptUnvouched ?? false);
      index = openIndex(disk, folder.vault, generation, keys, CACHED_INDEX_CHUNKS);
      // An earlier visit was cut off, and may have left objects that nothing refers to.
      if (state.next !== null) sweepKeeping(disk, folder.vault, { keys, devices: devicesOf(header, input.access) }, generation.index.object, generation.generation, new TreeReader(indexSource(index), generation.index.record).packs().map(({ object }) => object), input.keep ?? 0);
      return new Visit(disk, folder, keys, devicesOf(header, input.access), header, openPlace(generation, keys.secret(generation.key)), input.account, input.keep ?? 0, state, generation, index);
    } catch (error) {
      index?.close();
      keys?.wipe();
      letGo(disk, folder);
      throw fromSystemError(error, "beginning a visit; nothing was touched");
    }
  }

  get root(): DirNode {
    return this.rootNode;
  }

  get committed(): Committed {
    return { generation: this.generation.generation, digest: generationDigest(this.generation), files: this.files, bytes: this.bytes };
  }

  /** How many of the last changes can be undone. */
  get undoable(): number {
    return this.past.length;
  }

  /** Unordered. */
  list(dir: DirNode): readonly Node[] {
    return [...childrenOf(this.tree, dir).values()];
  }

  child(dir: DirNode, name: Buffer): Node | null {
    return childrenOf(this.tree, dir).get(keyOf(name)) ?? null;
  }

  /** The entry at a path, or null. */
  find(path: readonly Buffer[]): Node | null {
    let at: Node | null = this.rootNode;
    for (const name of path) at = at?.kind === "dir" ? this.child(at, name) : null;
    return at;
  }

  /** Reads from `position` of a file into the whole of `into`; returns the bytes read, fewer only at the file's end. @throws EremosError `damaged` */
  read(file: FileNode, position: number, into: Buffer): number {
    const end = Math.min(file.size, position + into.length);
    if (position >= end) return 0;
    into.fill(0, 0, end - position);
    let before = 0;
    for (const extent of file.extents ?? [{ offset: 0, length: file.size }]) {
      const from = Math.max(position, extent.offset);
      const to = Math.min(end, extent.offset + extent.length);
      if (from < to) this.readData(file, before + from - extent.offset, to - from, into.subarray(from - position));
      before += extent.length;
    }
    return end - position;
  }

  private readData({ data }: FileNode, offset: number, length: number, into: Buffer): void {
    if (!data || offset + length > data.length) throw new EremosError("damaged", "The folder's index gives a file more data than it has.");
    let at = 0;
    this.readerOf(data.pack).pieces(data.offset + offset, length, (piece) => {
      at += piece.copy(into, at);
    });
  }

  private readerOf(pack: PackInfo): ObjectReader {
    const known = this.readers.get(pack.object);
    // The one used last goes last.
    if (known) this.readers.delete(pack.object);
    const reader = known ?? new ObjectReader(this.disk, this.folder.vault, "pack", this.header.folder, (name) => this.keys.content(name), pack);
    this.readers.set(pack.object, reader);
    if (this.readers.size > OPEN_PACKS) {
      const [oldest] = this.readers;
      if (oldest) this.closeReader(oldest[0]);
    }
    return reader;
  }

  private closeReader(object: string): void {
    this.readers.get(object)?.close();
    this.readers.delete(object);
  }

  /** @throws EremosError `path-taken` | `usage` for a name that no file system allows */
  makeDir(parent: DirNode, name: Buffer): DirNode {
    this.requireFree(parent, name);
    const dir = newDirNode(name, this.newMeta(0o755), parent);
    this.put(parent, dir);
    return dir;
  }

  /** With everything in it. */
  remove(parent: DirNode, name: Buffer): void {
    const node = this.child(parent, name);
    if (!node) throw new EremosError("not-found", "It is not there any more. Nothing was changed.");
    this.count(node, -1);
    childrenOf(this.tree, parent).delete(keyOf(name));
    this.touch(parent);
  }

  /** Under another name, or in another directory. @throws EremosError `path-taken` | `not-found` | `usage` into itself */
  move(from: DirNode, name: Buffer, to: DirNode, newName: Buffer): void {
    const node = this.child(from, name);
    if (!node) throw new EremosError("not-found", "It is not there any more. Nothing was changed.");
    if (node.kind === "dir" && isWithin(to, node)) throw new EremosError("usage", "A folder can't be moved into itself. Nothing was changed.");
    this.requireFree(to, newName);
    childrenOf(this.tree, from).delete(keyOf(name));
    this.touch(from);
    if (node.kind === "dir") {
      node.name = newName;
      node.parent = to;
    }
    childrenOf(this.tree, to).set(keyOf(newName), node.kind === "dir" ? node : { ...node, name: newName });
    this.touch(to);
  }

  /** The copy shares the sealed data, so it takes no room. @throws EremosError `path-taken` | `usage` into itself */
  copy(node: Node, to: DirNode, name: Buffer): void {
    if (node.kind === "dir" && isWithin(to, node)) throw new EremosError("usage", "A folder can't be copied into itself. Nothing was changed.");
    this.requireFree(to, name);
    this.put(to, copyOf(this.tree, node, name, to));
  }

  /** An empty directory like another, without what is in it. */
  copyShallow(node: DirNode, to: DirNode, name: Buffer): void {
    this.requireFree(to, name);
    this.put(to, newDirNode(name, node.meta, to));
  }

  /**
   * Begins writing a file; it is there, in the place of any of that name, once it is finished. `path` leads to the directory.
   * `length` in bytes, or null where it is not known.
   */
  write(path: readonly Buffer[], name: Buffer, length: number | null): Upload {
    requireName(name);
    return new Upload(this.disk, this.folder, this.keys, this.header.folder, this.state.generation + 1, Buffer.concat(path.flatMap((part) => [part, Buffer.from("/")])), name, this.newMeta(0o644), length, () => this.announce());
  }

  /** Puts a written file into a directory, in the place of one of its name. @throws EremosError `path-taken` where a directory has that name */
  add(parent: DirNode, written: FileNode): FileNode {
    const before = this.child(parent, written.name);
    if (before?.kind === "dir") throw new EremosError("path-taken", "There is a folder of that name. Nothing was changed.");
    if (before) this.count(before, -1);
    const meta = before?.kind === "file" ? { ...before.meta, mtimeNs: written.meta.mtimeNs, atimeNs: written.meta.atimeNs } : written.meta;
    const file = { ...written, meta };
    this.put(parent, file);
    return file;
  }

  /** Sets when a file was last changed. */
  setModified(parent: DirNode, name: Buffer, mtimeNs: bigint): void {
    const node = this.child(parent, name);
    if (!node) return;
    if (node.kind === "dir") node.meta = { ...node.meta, mtimeNs };
    else childrenOf(this.tree, parent).set(keyOf(name), { ...node, meta: { ...node.meta, mtimeNs } });
    markChanged(parent);
  }

  private put(parent: DirNode, node: Node): void {
    childrenOf(this.tree, parent).set(keyOf(node.name), node);
    this.count(node, 1);
    this.touch(parent);
  }

  private count(node: Node, sign: 1 | -1): void {
    const { files, bytes } = amountsIn(this.tree, node);
    this.files += sign * files;
    this.bytes += sign * bytes;
  }

  private touch(dir: DirNode): void {
    dir.meta = { ...dir.meta, mtimeNs: nowNs() };
    markChanged(dir);
  }

  private requireFree(parent: DirNode, name: Buffer): void {
    requireName(name);
    if (this.child(parent, name)) throw new EremosError("path-taken", `There is something called ${displayPath(name)} already. Nothing was changed.`);
  }

  private newMeta(mode: number): Meta {
    const now = nowNs();
    return { mode, ...this.account, mtimeNs: now, atimeNs: now, xattrs: [] };
  }

  /** Objects may be written from now on; should the visit be cut off, whoever next holds the folder removes what nothing refers to. */
  private announce(): void {
    if (this.state.next === null) this.state = commitState(this.disk, this.folder.vault, { ...this.state, next: this.state.generation + 1 });
  }

  /**
   * Makes everything changed since the last time one generation, durable when this returns; does nothing where nothing was. Where that
   * fails, the tree is again what was committed last. @throws EremosError
   */
  commit(): void {
    if (this.rootNode.known) return;
    const slack = this.tree.listingsEnd - this.wholeBytes;
    const isWhole = slack > this.wholeBytes + SLACK_BYTES;
    try {
      this.keepPast(this.commitTree(this.encodeTree(isWhole)));
      if (isWhole) this.wholeBytes = this.tree.listingsEnd;
    } catch (error) {
      this.forgetChanges();
      throw fromSystemError(error, "making the change; the folder is as it was before it");
    }
  }

  private encodeTree(isWhole: boolean): Written {
    const writer = isWhole ? new TreeWriter() : TreeWriter.after(this.tree);
    const packs = new Map(isWhole ? [] : this.tree.packs().map((pack) => [pack.object, pack]));
    const placed: Written["placed"] = new Map();
    const root = encode({ tree: this.tree, writer, packs, isWhole, placed }, this.rootNode);
    return { encoded: writer.finish(root, packs, this.files, this.bytes), after: isWhole ? null : { index: this.index, length: this.tree.listingsEnd }, placed };
  }

  /** Returns what was committed before. */
  private commitTree({ encoded, after, placed }: Written): Past {
    const { disk, folder: { vault }, keys, header } = this;
    this.announce();
    const number = this.state.generation + 1;
    const object = this.writeIndex(number, after, encoded.bytes);
    const record = vouchFor({
      format: "eremos-generation", version: 1, folder: header.folder, generation: number, parent: { generation: this.generation.generation, digest: generationDigest(this.generation) },
      key: FOLDER_KEY_NAME, index: { object: object.object, digest: toBase64(object.digest), length: object.length, record: encoded.record },
      place: sealPlace(this.ordinaryPath, keys.folderKey, header.folder), made: "signed-in",
    }, keys.folderKey);
    within(disk, ensureDir(disk, vault, NAMES.generations), (dir) => {
      for (const copy of [false, true]) writeFile(disk, dir, generationName(number, copy), writeGeneration(record));
    });
    disk.barrier(vault);
    const index = openIndex(disk, vault, record, keys, CACHED_INDEX_CHUNKS);
    try {
      this.state = commitState(disk, vault, { ...this.state, generation: number, next: number + 1 });
    } catch (error) {
      index.close();
      throw error;
    }
    this.hasChanged = true;
    const earlier: Past = { index: this.index, object: this.generation.index.object, record: this.generation.index.record };
    if (this.generation.generation !== this.begun.generation) this.removeRecord(this.generation.generation);
    this.generation = record;
    this.index = index;
    this.tree = new TreeReader(indexSource(index), encoded.record);
    for (const [dir, entry] of placed) dir.known = entry;
    return earlier;
  }

  private writeIndex(number: number, after: Written["after"], bytes: Buffer): PackInfo {
    const writer = new ObjectWriter(this.disk, this.folder.vault, "index", this.keys.content(FOLDER_KEY_NAME), this.header.folder, number);
    try {
      after?.index.pieces(0, after.length, (piece) => writer.append(piece));
      writer.append(bytes);
      return writer.finish();
    } finally {
      writer.close();
    }
  }

  private removeRecord(generation: number): void {
    within(this.disk, this.disk.openDir(this.folder.vault, NAMES.generations), (dir) => {
      for (const copy of [false, true]) if (this.disk.find(dir, generationName(generation, copy))) this.disk.unlink(dir, generationName(generation, copy));
    });
  }

  private keepPast(past: Past): void {
    this.past.push(past);
    const oldest = this.past.length > UNDO_STEPS ? this.past.shift() : undefined;
    if (oldest) this.drop(oldest);
  }

  private drop(past: Past): void {
    past.index.close();
    if (past.object === this.begun.index) return;
    this.removeObject("index", past.object);
  }

  private removeObject(kind: "index" | "pack", object: string): void {
    withObjectDir(this.disk, this.folder.vault, kind, object, false, (dir, name) => this.disk.unlink(dir, name));
  }

  /** The tree is again what was committed last. */
  forgetChanges(): void {
    this.rootNode = dirNode(this.tree.root, null);
    this.files = this.tree.files;
    this.bytes = this.tree.bytes;
  }

  /** What was put in while nobody could open it, oldest first. Close each. */
  arrivals(): Promise<Drop[]> {
    return openDrops(this.disk, this.folder.vault, this.header, this.keys.folderKey);
  }

  /** How many more were put in that can't be read; `remove` takes them away. */
  unreadableArrivals(readable: readonly Drop[], remove: boolean): number {
    return unreadableDrops(this.disk, this.folder.vault, readable, remove).length;
  }

  /** Puts an arrived file into the tree, under a free name; the caller commits, and then removes it from what waits. */
  takeIn({ path, size, meta, read }: Drop): void {
    const name = path.at(-1) ?? Buffer.from("file");
    const dir = this.directoriesTo(path.slice(0, -1));
    const free = [...take(namesFor(name), MOST_NAMES)].find((one) => !this.child(dir, one)) ?? name;
    const upload = this.write(path.slice(0, -1), free, size);
    try {
      for (let at = 0; at < size; at += KEPT_IN_MEMORY) upload.append(read(at, KEPT_IN_MEMORY));
      const file = this.add(dir, upload.finish());
      this.setModified(dir, file.name, meta.mtimeNs);
    } catch (error) {
      upload.abort();
      throw error;
    }
  }

  /** The directory at a path, made as far as it is not there; where a file is in the way, the one above it. */
  private directoriesTo(path: readonly Buffer[]): DirNode {
    let at = this.rootNode;
    for (const name of path) {
      const there = this.child(at, name);
      if (there && there.kind !== "dir") return at;
      at = there ?? this.makeDir(at, name);
    }
    return at;
  }

  /** Earlier states that are kept, the newest first. */
  earlier(): readonly EarlierState[] {
    const all = this.openEarlier();
    try {
      return all.map((one, i) => {
        const others = new Set([this.tree, ...all.filter((_other, j) => j !== i).map(({ tree }) => tree)].flatMap((tree) => tree.packs().map(({ object }) => object)));
        const { generation } = one.record;
        return { generation, at: madeAt(this.disk, this.folder.vault, generation), files: one.tree.files, bytes: one.tree.bytes, ownBytes: ownBytes(this.disk, this.folder.vault, one, others) };
      });
    } finally {
      for (const { index } of all) index.close();
    }
  }

  private get opener(): Opener {
    return { keys: this.keys, devices: this.devices };
  }

  private openEarlier(): Earlier[] {
    return openEarlier(this.disk, this.folder.vault, this.opener, this.generation.generation, Number.POSITIVE_INFINITY);
  }

  /** What came, changed and went since an earlier state; `most` of it. @throws EremosError `not-found` */
  changesSince(generation: number, most: number): readonly Difference[] {
    return this.withEarlier(generation, ({ tree }) => [...take(differences(tree, tree.root, this.tree, this.tree.root), most)]);
  }

  private withEarlier<T>(generation: number, use: (earlier: Earlier) => T): T {
    const earlier = requireEarlier(this.disk, this.folder.vault, this.opener, this.generation.generation, generation);
    try {
      return use(earlier);
    } finally {
      earlier.index.close();
    }
  }

  /** Makes what is at these paths what it was in an earlier state; null: everything. The caller commits. @throws EremosError `not-found` */
  putBack(generation: number, paths: readonly (readonly Buffer[])[] | null): void {
    this.commit();
    this.withEarlier(generation, ({ tree }) => {
      const all = paths ?? [...differences(tree, tree.root, this.tree, this.tree.root)].map(({ path }) => path);
      for (const path of all) this.putOneBack(tree, path);
    });
  }

  private putOneBack(earlier: TreeReader, path: readonly Buffer[]): void {
    const name = path.at(-1);
    if (!name) return;
    let was: Entry | null = earlier.root;
    for (const part of path) was = was?.kind === "dir" ? earlier.find(was, part) : null;
    const parent = this.directoriesTo(path.slice(0, -1));
    if (this.child(parent, name)) this.remove(parent, name);
    if (was) this.put(parent, copyOf(earlier, nodeOf(earlier, was, parent), name, parent));
  }

  /** Takes the last committed change back, as a change of its own. @throws EremosError `usage` where there is none */
  undo(): void {
    this.commit();
    const last = this.past.pop();
    if (!last) throw new EremosError("usage", "There is nothing to undo. Nothing was changed.");
    const { index, record } = last;
    const before = new TreeReader(indexSource(index), record);
    const tail = index.read(before.listingsEnd, index.length - before.listingsEnd);
    try {
      this.drop(this.commitTree({ encoded: { bytes: tail, record }, after: { index, length: before.listingsEnd }, placed: new Map() }));
    } catch (error) {
      this.past.push(last);
      throw fromSystemError(error, "undoing; the folder is as it was");
    }
    this.drop(last);
    this.forgetChanges();
  }

  /** Ends the visit: what nothing refers to any more goes, and the keys are wiped. */
  close(): void {
    try {
      if (this.hasChanged) this.tidy();
    } finally {
      for (const object of [...this.readers.keys()]) this.closeReader(object);
      for (const { index } of this.past) index.close();
      this.index.close();
      this.keys.wipe();
      letGo(this.disk, this.folder);
    }
  }

  /** A whole index with only the packs in use, and nothing beside it. */
  private tidy(): void {
    this.rootNode = dirNode(this.tree.root, null);
    this.keepPast(this.commitTree(this.encodeTree(true)));
    sweepKeeping(this.disk, this.folder.vault, this.opener, this.generation.index.object, this.generation.generation, this.tree.packs().map(({ object }) => object), this.keep);
    this.state = commitState(this.disk, this.folder.vault, { ...this.state, next: null });
  }
}

interface Written {
  readonly encoded: EncodedTree;
  /** The beginning of an index that stands before it. */
  readonly after: { readonly index: ObjectReader; readonly length: number } | null;
  readonly placed: Map<DirNode, NonNullable<DirNode["known"]>>;
}

export type { DirNode, FileNode, LinkNode, Node };

const MOST_NAMES = 10_000;

function* take<T>(from: Iterable<T>, most: number): Generator<T> {
  let count = 0;
  for (const one of from) {
    if (count++ === most) return;
    yield one;
  }
}

function nowNs(): bigint {
  return BigInt(Date.now()) * 1_000_000n;
}

const LONGEST_NAME = 255;

function requireName(name: Buffer): void {
  const isDots = name.equals(Buffer.from(".")) || name.equals(Buffer.from(".."));
  if (name.length === 0 || name.length > LONGEST_NAME || isDots || name.includes(0x2f) || name.includes(0)) {
    throw new EremosError("usage", "That is not a name a file can have: one to 255 bytes, without a slash. Nothing was changed.");
  }
}

/** A file that is being written, encrypted as it comes. It is nothing until it is finished and added; abort what is not. */
export class Upload {
  private writer: ObjectWriter | null = null;
  private offset = 0;
  private done = 0;
  private readonly kept: Buffer[] = [];

  constructor(
    private readonly disk: Disk, private readonly folder: HeldFolder, private readonly keys: FolderKeys, private readonly id: string, private readonly generation: number,
    private readonly directory: Buffer, private readonly name: Buffer, private readonly meta: Meta, private readonly length: number | null, private readonly announce: () => void,
  ) {}

  append(piece: Buffer): void {
    this.done += piece.length;
    if (this.length !== null && this.done > this.length) throw new EremosError("usage", "More was sent than was announced. Nothing was changed.");
    if (this.length === null && !this.writer && this.done <= KEPT_IN_MEMORY) {
      this.kept.push(Buffer.from(piece));
      return;
    }
    if (!this.writer) {
      this.writer = this.begin(this.length);
      for (const earlier of this.kept) this.writer.append(earlier);
      this.forgetKept();
    }
    this.writer.append(piece);
  }

  /** Where the length is not known, nothing stands before the data: the object is read once more to be written as a pack. */
  private begin(length: number | null): ObjectWriter {
    this.announce();
    const writer = new ObjectWriter(this.disk, this.folder.vault, "pack", this.keys.content(FOLDER_KEY_NAME), this.id, this.generation);
    if (length === null) return writer;
    const record = new ByteWriter();
    writePackRecord(record, writer.marker, this.directory, this.entry(length), length);
    writer.append(record.finish());
    this.offset = writer.length;
    return writer;
  }

  private entry(size: number): FileEntry {
    return { kind: "file", name: this.name, meta: this.meta, size, linkGroup: 0, content: null, extents: null };
  }

  /** @throws EremosError `usage` when less came than was announced */
  finish(): FileNode {
    if (this.length !== null && this.done !== this.length) throw new EremosError("usage", "Less was sent than was announced. Nothing was changed.");
    return { kind: "file", name: this.name, meta: this.meta, size: this.done, linkGroup: 0, extents: null, data: this.done === 0 ? null : this.finishData() };
  }

  private finishData(): Data {
    if (this.writer && this.length !== null) return this.finished(this.writer);
    const spool = this.writer;
    const info = spool?.finish();
    this.writer = this.begin(this.done);
    if (info) {
      const reader = new ObjectReader(this.disk, this.folder.vault, "pack", this.id, (name) => this.keys.content(name), info);
      try {
        reader.pieces(0, info.length, (piece) => this.writer?.append(piece));
      } finally {
        reader.close();
        withObjectDir(this.disk, this.folder.vault, "pack", info.object, false, (dir, name) => this.disk.unlink(dir, name));
      }
    }
    for (const piece of this.kept) this.writer.append(piece);
    this.forgetKept();
    return this.finished(this.writer);
  }

  private finished(writer: ObjectWriter): Data {
    const pack = writer.finish();
    this.writer = null;
    return { pack, offset: this.offset, length: this.done };
  }

  private forgetKept(): void {
    for (const piece of this.kept.splice(0)) piece.fill(0);
  }

  abort(): void {
    this.forgetKept();
    const { writer } = this;
    if (!writer) return;
    this.writer = null;
    writer.close();
    withObjectDir(this.disk, this.folder.vault, "pack", writer.header.object, false, (dir, name) => this.disk.unlink(dir, name));
  }
}
