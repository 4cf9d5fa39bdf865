import { EremosError, fromSystemError } from "../errors/eremos-error";
import { toBase64 } from "../crypto/bytes";
import {
  FOLDER_KEY_NAME,
  type Generation,
  generationDigest,
  openPlace,
  sealPlace,
  vouchFor,
  writeGeneration,
} from "../format/generation";
import type { FolderHeader } from "../format/header";
import type { StateRecord } from "../format/state";
import { type PackInfo, TreeReader } from "../format/tree";
import type { Disk } from "../platform/port";
import { type Drop, openDrops, unreadableDrops } from "./drop";
import {
  type Difference,
  type Earlier,
  type EarlierState,
  type Opener,
  differences,
  listEarlier,
  requireEarlier,
  sweepKeeping,
} from "./earlier";
import { type Account, EditableTree, type Encoded, requireName } from "./editable-tree";
import { within } from "./handles";
import { type FolderKeys, devicesOf } from "./keys";
import { indexSource, openIndex } from "./load-tree";
import { type ObjectReader, ObjectWriter, removeObject } from "./object-io";
import { type SealedInput, openSealed } from "./open-sealed";
import { PackedFiles } from "./packed-files";
import { writeFile } from "./seal-generation";
import { namesFor } from "./staging";
import { Upload } from "./upload";
import type { DirNode, FileNode, LinkNode, Node } from "./visit-tree";
import {
  type HeldFolder,
  NAMES,
  commitState,
  displayPath,
  ensureDir,
  generationName,
  holdFolder,
  letGo,
  loadState,
} from "./vault";

/** Of the index, so much stays decrypted: 64 chunks of 64 KiB. */
const CACHED_INDEX_CHUNKS = 64;
/** Files that arrived are taken in by pieces of this. */
const PIECE_BYTES = 1024 * 1024;
/** How many changes can be undone. */
const UNDO_STEPS = 50;
/** An index that has grown so much beyond what it must be is written anew. */
const SLACK_BYTES = 1024 * 1024;

export interface VisitInput extends SealedInput {
  /** Whose new files and directories are. */
  readonly account: Account;
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
export class Visit extends EditableTree {
  private readonly packed: PackedFiles;
  private readonly past: Past[] = [];
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
    account: Account,
    private readonly keep: number,
    private state: StateRecord,
    private generation: Generation,
    private index: ObjectReader,
  ) {
    super(new TreeReader(indexSource(index), generation.index.record), account);
    this.wholeBytes = this.tree.listingsEnd;
    this.packed = new PackedFiles(disk, folder.vault, header.folder, keys);
    this.begun = { generation: generation.generation, index: generation.index.object };
  }

  /** @throws EremosError `not-locked` | `busy` | `damaged` | `unvouched` | `rolled-back` | `forked` | `needs-folder-password` */
  static async open(disk: Disk, input: VisitInput): Promise<Visit> {
    const folder = holdFolder(disk, input.path, { create: false });
    let keys: FolderKeys | null = null;
    let index: ObjectReader | null = null;
    try {
      const state = loadState(disk, folder.vault);
      if (state?.state !== "sealed")
        throw new EremosError(
          "not-locked",
          `${displayPath(input.path)} is not sealed now, so there is nothing to visit. Nothing was touched.`,
        );
      const { header, generation, ...opened } = await openSealed(disk, folder.vault, state.generation, input);
      ({ keys } = opened);
      index = openIndex(disk, folder.vault, generation, keys, CACHED_INDEX_CHUNKS);
      const visit = new Visit(
        disk,
        folder,
        keys,
        devicesOf(input.access),
        header,
        openPlace(generation, keys.secret(generation.key)),
        input.account,
        input.keep ?? 0,
        state,
        generation,
        index,
      );
      // An earlier visit was cut off, and may have left objects that nothing refers to.
      if (state.next !== null && keys.standing !== "unknown") visit.sweep();
      return visit;
    } catch (error) {
      index?.close();
      keys?.wipe();
      letGo(disk, folder);
      throw fromSystemError(error, "beginning a visit; nothing was touched");
    }
  }

  get committed(): Committed {
    return {
      generation: this.generation.generation,
      digest: generationDigest(this.generation),
      files: this.files,
      bytes: this.bytes,
    };
  }

  get folderId(): string {
    return this.header.folder;
  }

  /** How many of the last changes can be undone. */
  get undoable(): number {
    return this.past.length;
  }

  /** As {@link PackedFiles.read}. */
  read(file: FileNode, position: number, into: Buffer): number {
    return this.packed.read(file, position, into);
  }

  /**
   * Begins writing a file; it is there, in the place of any of that name, once it is finished. `path` leads to the directory.
   * `length` in bytes, or null where it is not known.
   */
  write(path: readonly Buffer[], name: Buffer, length: number | null): Upload {
    requireName(name);
    return new Upload(
      this.disk,
      this.folder,
      this.keys,
      this.header.folder,
      this.state.generation + 1,
      Buffer.concat(path.flatMap((part) => [part, Buffer.from("/")])),
      name,
      this.newMeta(0o644),
      length,
      () => this.announce(),
    );
  }

  /** Objects may be written from now on; should the visit be cut off, whoever next holds the folder removes what nothing refers to. */
  private announce(): void {
    if (this.keys.standing === "unknown")
      throw new EremosError(
        "unvouched",
        "Somebody unknown locked this folder, so nothing is put into it under their key. Nothing was changed; open it in place, and lock it anew.",
        { what: "key" },
      );
    if (this.state.next === null)
      this.state = commitState(this.disk, this.folder.vault, { ...this.state, next: this.state.generation + 1 });
  }

  /**
   * Makes everything changed since the last time one generation, durable when this returns; does nothing where nothing was. Where that
   * fails, the tree is again what was committed last. @throws EremosError
   */
  commit(): void {
    if (!this.differs) return;
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
    return { ...this.encode(isWhole), after: isWhole ? null : { index: this.index, length: this.tree.listingsEnd } };
  }

  /** Returns what was committed before. */
  private commitTree({ encoded, after, placed }: Written): Past {
    const {
      disk,
      folder: { vault },
      keys,
      header,
    } = this;
    this.announce();
    const number = this.state.generation + 1;
    const object = this.writeIndex(number, after, encoded.bytes);
    const record = vouchFor(
      {
        format: "eremos-generation",
        version: 1,
        folder: header.folder,
        generation: number,
        parent: { generation: this.generation.generation, digest: generationDigest(this.generation) },
        key: FOLDER_KEY_NAME,
        index: {
          object: object.object,
          digest: toBase64(object.digest),
          length: object.length,
          record: encoded.record,
        },
        place: sealPlace(this.ordinaryPath, keys.folderKey, header.folder),
        made: "signed-in",
      },
      keys.folderKey,
    );
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
    const earlier: Past = {
      index: this.index,
      object: this.generation.index.object,
      record: this.generation.index.record,
    };
    if (this.generation.generation !== this.begun.generation) this.removeRecord(this.generation.generation);
    this.generation = record;
    this.index = index;
    this.settle(new TreeReader(indexSource(index), encoded.record), placed);
    return earlier;
  }

  private writeIndex(number: number, after: Written["after"], bytes: Buffer): PackInfo {
    const writer = new ObjectWriter(
      this.disk,
      this.folder.vault,
      "index",
      this.keys.content(FOLDER_KEY_NAME),
      this.header.folder,
      number,
    );
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
      for (const copy of [false, true])
        if (this.disk.find(dir, generationName(generation, copy)))
          this.disk.unlink(dir, generationName(generation, copy));
    });
  }

  private keepPast(past: Past): void {
    this.past.push(past);
    const oldest = this.past.length > UNDO_STEPS ? this.past.shift() : undefined;
    if (oldest) this.drop(oldest);
  }

  private drop(past: Past): void {
    past.index.close();
    if (past.object !== this.begun.index) removeObject(this.disk, this.folder.vault, "index", past.object);
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
    const free = first(namesFor(name), (one) => !this.child(dir, one));
    const upload = this.write(path.slice(0, -1), free, size);
    try {
      for (let at = 0; at < size; at += PIECE_BYTES) upload.append(read(at, PIECE_BYTES));
      const written = upload.finish();
      this.add(dir, { ...written, meta: { ...written.meta, mtimeNs: meta.mtimeNs } });
    } catch (error) {
      upload.abort();
      throw error;
    }
  }

  /** Earlier states that are kept, the newest first. */
  earlier(): readonly EarlierState[] {
    return listEarlier(this.disk, this.folder.vault, this.opener, this.generation.generation, this.tree);
  }

  private get opener(): Opener {
    return { keys: this.keys, devices: this.devices };
  }

  /** What came, changed and went since an earlier state; `most` of it. @throws EremosError `not-found` */
  changesSince(generation: number, most: number): readonly Difference[] {
    return this.withEarlier(generation, ({ tree }) => [
      ...take(differences(tree, tree.root, this.tree, this.tree.root), most),
    ]);
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
      for (const path of all) this.putBackFrom(tree, path);
    });
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
      this.drop(
        this.commitTree({
          encoded: { bytes: tail, record },
          after: { index, length: before.listingsEnd },
          placed: new Map(),
        }),
      );
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
      this.packed.close();
      for (const { index } of this.past) index.close();
      this.index.close();
      this.keys.wipe();
      letGo(this.disk, this.folder);
    }
  }

  private sweep(): void {
    sweepKeeping(
      this.disk,
      this.folder.vault,
      this.opener,
      this.generation.index.object,
      this.generation.generation,
      this.tree.packs().map(({ object }) => object),
      this.keep,
    );
  }

  /** A whole index with only the packs in use, and nothing beside it. */
  private tidy(): void {
    this.forgetChanges();
    this.keepPast(this.commitTree(this.encodeTree(true)));
    this.sweep();
    this.state = commitState(this.disk, this.folder.vault, { ...this.state, next: null });
  }
}

export interface PutBackInput extends VisitInput {
  readonly generation: number;
  /** Null: everything. */
  readonly paths: readonly (readonly Buffer[])[] | null;
}

/** Makes a sealed folder, or what is at these paths in it, what it was in an earlier state, as one more generation. @throws EremosError as {@link Visit.open} and {@link Visit.putBack} */
export async function putBackFolder(disk: Disk, input: PutBackInput): Promise<Committed> {
  const visit = await Visit.open(disk, input);
  try {
    visit.putBack(input.generation, input.paths);
    visit.commit();
  } finally {
    visit.close();
  }
  return visit.committed;
}

interface Written extends Encoded {
  /** The beginning of an index that stands before it. */
  readonly after: { readonly index: ObjectReader; readonly length: number } | null;
}

export type { DirNode, FileNode, LinkNode, Node };

/** Of endlessly many. */
function first<T>(from: Iterable<T>, isIt: (one: T) => boolean): T {
  for (const one of from) if (isIt(one)) return one;
  throw new RangeError("there was none");
}

function* take<T>(from: Iterable<T>, most: number): Generator<T> {
  let count = 0;
  for (const one of from) {
    if (count++ === most) return;
    yield one;
  }
}
