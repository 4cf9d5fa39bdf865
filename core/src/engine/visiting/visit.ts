import { EremosError, fromSystemError, isEremosError, systemCode } from "../../errors/eremos-error";
import { wipe } from "../../crypto/bytes";
import {
  type Generation,
  type GenerationRef,
  MOST_SEGMENTS,
  type Signature,
  generationDigest,
  openFacts,
  ordinaryPlace,
  refOf,
} from "../../format/generation";
import type { Believed, Head } from "../../format/header";
import { newBatch } from "../../format/ids";
import type { Purpose } from "../../format/object";
import type { StateRecord } from "../../format/state";
import { type IndexSource, type PackInfo, TreeReader } from "../../format/tree";
import type { Disk } from "../../platform/port";
import { type Drop, openDrops, unreadableDrops } from "../slot";
import {
  type Anew,
  type Difference,
  type Earlier,
  type EarlierState,
  type IndexReader,
  type Opener,
  type SealedInput,
  type Writing,
  type WrittenSegment,
  countUnderEarlierKeys,
  differences,
  discardWork,
  forgetGeneration,
  isOfEarlierEpoch,
  listEarlier,
  openSealed,
  requireEarlier,
  sealPackAnew,
  sweepKeeping,
  writeRecordOf,
} from "../contents";
import { type Account, EditableTree, type Encoded, requireName } from "./editable-tree";
import { type HeldFolder, type Hooks, displayPath, holdFolder, letGo, namesFor } from "../ground";
import {
  type FolderKeys,
  ObjectWriter,
  type OwnerAccess,
  believedOf,
  commitState,
  deviceAtWork,
  forkRecords,
  loadState,
  ownerSignature,
  parentsFrom,
} from "../records";
import { PackedFiles } from "./packed-files";
import { SegmentPool } from "./segment-pool";
import { Upload } from "./upload";
import type { FileNode } from "./visit-tree";
import { said } from "@eremos/words/core/visiting";

/** Files that arrived are taken in by pieces of this. */
const PIECE_BYTES = 1024 * 1024;
/** How many changes can be undone. */
const UNDO_STEPS = 50;
/** An index that has grown so much beyond what it must be is written anew. */
const SLACK_BYTES = 1024 * 1024;
/** One of up to this is written anew at the end of a visit, whatever of it is void. */
const SMALL_INDEX_BYTES = 64 * 1024;
/** Contents are sealed anew so many bytes at a time: what a kill costs at most, and what the disk needs besides. */
const ANEW_AT_ONCE_BYTES = 256 * 1024 * 1024;
/** A visit begins with room for so many changes, before one of them has to write the index anew. */
const SEGMENTS_AHEAD = 8;

export interface VisitInput extends SealedInput {
  /** Whose new files and directories are. */
  readonly account: Account;
  /** How many earlier states stay beside the last one. */
  readonly keepEarlier?: number;
}

/** What the owner's list is to know of the folder as it is now. */
export interface Committed {
  readonly generation: number;
  readonly digest: string;
  readonly files: number;
  readonly bytes: number;
}

const NOTHING: ReadonlySet<string> = new Set();

/** One committed state, to go back to. */
interface Past {
  readonly index: IndexReader;
  readonly segments: readonly WrittenSegment[];
  readonly record: Generation["index"]["record"];
}

/**
 * A sealed folder that is looked into and changed with nothing decrypted on disk. Only what is asked for is read. A
 * change counts once {@link commit} has made it a generation: a crash leaves the old or the new state. Holds the
 * folder, so that nothing else changes it meanwhile; {@link close} it. Names are bytes; paths are names from the folder
 * down.
 */
export class Visit extends EditableTree {
  private readonly packed: PackedFiles;
  private readonly past: Past[] = [];
  /** Bytes of listings of the last index that was written whole. */
  private wholeBytes: number;
  private hasChanged = false;
  /** What the visit began with, which stays to be gone back to. */
  private begun: Generation;
  /** Of everything that is written while it lasts. */
  private readonly batch = newBatch();
  /** States of other computers that are part of its past from now on. */
  private readonly joined: GenerationRef[] = [];

  private constructor(
    private readonly disk: Disk,
    private readonly folder: HeldFolder,
    private readonly keys: FolderKeys,
    private readonly head: Head,
    private readonly believed: Believed,
    /** Of the owner, and of the computer this is. */
    private readonly by: { readonly author: string; readonly device: string | null },
    /** Null where nothing may be written: nobody known stands behind the folder's key. */
    private readonly signature: Signature | null,
    private readonly ordinaryPath: Buffer,
    account: Account,
    private readonly keepEarlier: number,
    private state: StateRecord,
    private generation: Generation,
    private readonly pool: SegmentPool,
    private segments: readonly WrittenSegment[],
    private index: IndexReader,
  ) {
    super(new TreeReader(index, generation.index.record), account);
    this.wholeBytes = this.tree.listingsEnd;
    this.packed = new PackedFiles(disk, folder.ownDir, head.header.folder, keys);
    this.begun = generation;
  }

  /**
   * @throws EremosError `not-locked` | `busy` | `damaged` | `unvouched` | `rolled-back` | `forked` |
   * `needs-folder-password`
   */
  static async open(disk: Disk, input: VisitInput): Promise<Visit> {
    const folder = holdFolder(disk, input.path, { create: false });
    let keys: FolderKeys | null = null;
    let pool: SegmentPool | null = null;
    try {
      const found = loadState(disk, folder.ownDir);
      if (found?.state !== "sealed")
        throw new EremosError("not-locked", said("is-not-sealed-now-so", { path: displayPath(input.path) }));
      const { head, generation, ...opened } = await openSealed(disk, folder.ownDir, found, input);
      ({ keys } = opened);
      const state: StateRecord = { ...found, generation: refOf(generation) };
      pool = new SegmentPool(disk, folder.ownDir, generation, keys);
      const segments = pool.segments();
      const visit = new Visit(
        disk,
        folder,
        keys,
        head,
        believedOf(input.access),
        byOf(input.access),
        keys.standing === "unknown" ? null : ownerSignature(input.access),
        ordinaryPlace(openFacts(generation, keys.secret(generation)), disk.system, folder.path),
        input.account,
        input.keepEarlier ?? 0,
        state,
        generation,
        pool,
        segments,
        pool.open(segments),
      );
      // An earlier visit was cut off, and may have left objects that nothing refers to.
      if (state.next !== null && keys.standing !== "unknown") visit.discard(state.next);
      return visit;
    } catch (error) {
      pool?.close();
      keys?.wipe();
      letGo(disk, folder);
      throw fromSystemError(error, said("beginning-visit-nothing-was-touched"));
    }
  }

  get committed(): Committed {
    return {
      generation: this.generation.number,
      digest: generationDigest(this.generation),
      files: this.files,
      bytes: this.bytes,
    };
  }

  get folderId(): string {
    return this.head.header.folder;
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
   * Begins writing a file; it is there, in the place of any of that name, once it is finished. `path` leads to the
   * directory. `length` in bytes, or null where it is not known.
   */
  write(path: readonly Buffer[], name: Buffer, length: number | null): Upload {
    requireName(name);
    return new Upload(
      this.disk,
      this.folder,
      this.keys,
      () => this.announce(),
      Buffer.concat(path.flatMap((part) => [part, Buffer.from("/")])),
      name,
      this.newMeta(0o644),
      length,
    );
  }

  /**
   * Objects may be written from now on; should the visit be cut off, whoever next holds the folder removes what nothing
   * refers to.
   */
  private announce(): Purpose {
    if (!this.signature)
      throw new EremosError("unvouched", said("somebody-unknown-locked-this-folder"), { what: "key" });
    this.state =
      this.state.next === null
        ? commitState(this.disk, this.folder.ownDir, {
            ...this.state,
            next: { number: this.nextNumber, batch: this.batch },
          })
        : this.state;
    return { folder: this.folderId, number: this.nextNumber, batch: this.batch };
  }

  private get nextNumber(): number {
    return 1 + Math.max(this.generation.number, ...this.joined.map(({ number }) => number));
  }

  /** The states that this one neither is nor came from. */
  forks(): readonly Generation[] {
    return forkRecords(this.disk, this.folder.ownDir, this.generation, this.state.next);
  }

  /**
   * A state that another computer made at the same time belongs to the past of this folder from now on: nothing of it
   * is wanted any more but what is here. Commits. @throws EremosError
   */
  join(other: GenerationRef): void {
    this.commit();
    this.joined.push(other);
    try {
      this.keepPast(this.commitTree(this.encodeTree(false)));
    } catch (error) {
      this.joined.pop();
      throw fromSystemError(error, said("letting-other-state-go-folder"));
    }
  }

  /**
   * Makes everything changed since the last time one generation, durable when this returns; does nothing where nothing
   * was. Where that fails, the tree is again what was committed last. @throws EremosError
   */
  commit(): void {
    if (!this.differs) return;
    const slack = this.tree.listingsEnd - this.wholeBytes;
    const isWhole = slack > this.wholeBytes + SLACK_BYTES || this.segments.length >= MOST_SEGMENTS;
    try {
      this.keepPast(this.commitTree(this.encodeTree(isWhole)));
      if (isWhole) this.wholeBytes = this.tree.listingsEnd;
    } catch (error) {
      this.forgetChanges();
      throw fromSystemError(error, said("making-change-folder-is-as"));
    }
  }

  private encodeTree(isWhole: boolean): Written {
    return { ...this.encode(isWhole), before: isWhole ? [] : upTo(this.segments, this.tree.listingsEnd) };
  }

  /** Returns what was committed before. */
  private commitTree({ encoded, before, placed }: Written): Past {
    const {
      disk,
      folder: { ownDir },
    } = this;
    const purpose = this.announce();
    const segments = [...before, this.writeSegment(purpose, encoded.bytes)];
    // The one before may go again; what the visit began with stays what it came from.
    const parents = [
      ...new Map(
        [
          ...[this.generation, this.begun].map(refOf),
          ...parentsFrom(disk, ownDir, refOf(this.begun)),
          ...this.joined,
        ].map((ref) => [ref.digest, ref]),
      ).values(),
    ];
    const record = writeRecordOf(
      this.writing(purpose),
      segments,
      encoded.record,
      new TreeReader(
        tailSource(
          before.reduce((sum, { used }) => sum + used, 0),
          encoded.bytes,
        ),
        encoded.record,
      ),
      parents,
    );
    disk.barrier(ownDir);
    const index = this.pool.open(segments);
    try {
      this.state = commitState(disk, ownDir, {
        ...this.state,
        generation: refOf(record),
        next: { number: record.number + 1, batch: this.batch },
      });
    } catch (error) {
      // The record may stand on disk all the same: what it names goes only where it certainly does not.
      if (!this.takeBack()) this.pool.keep(segments);
      index.close();
      throw error;
    }
    this.hasChanged = true;
    const earlier: Past = { index: this.index, segments: this.segments, record: this.generation.index.record };
    const last = this.generation;
    this.generation = record;
    this.index = index;
    this.segments = segments;
    this.takeUp(new TreeReader(index, encoded.record), placed);
    if (last !== this.begun) unlessRefused(() => forgetGeneration(disk, ownDir, last, [this.begun, record]));
    return earlier;
  }

  /** Writes the state record again that was acted upon last; whether it stands for certain. */
  private takeBack(): boolean {
    return unlessRefused(() => (this.state = commitState(this.disk, this.folder.ownDir, this.state))) !== null;
  }

  private writing(purpose: Purpose): Writing {
    const { disk, folder, keys, by, signature, ordinaryPath } = this;
    if (!signature) throw new RangeError("nothing may be written");
    return {
      disk,
      ownDir: folder.ownDir,
      purpose,
      place: ordinaryPath,
      keys,
      keyName: keys.present.name,
      why: "visit",
      ...by,
      signature,
    };
  }

  private writeSegment(purpose: Purpose, bytes: Buffer): WrittenSegment {
    const writer = new ObjectWriter(this.disk, this.folder.ownDir, "index", this.keys.present, purpose);
    try {
      writer.append(bytes);
      const { object, header, length, digest } = writer.finish();
      return { object, header, length, digest, used: length };
    } finally {
      writer.close();
    }
  }

  private keepPast(past: Past): void {
    this.past.push(past);
    const oldest = this.past.length > UNDO_STEPS ? this.past.shift() : undefined;
    if (oldest) this.drop(oldest);
  }

  private drop(past: Past): void {
    past.index.close();
  }

  /** What was put in while nobody could open it, oldest first. Close each. */
  arrivals(): Promise<Drop[]> {
    return openDrops(this.disk, this.folder.ownDir, this.head.header, this.keys);
  }

  /** How many more were put in that can't be read; `remove` takes them away. */
  unreadableArrivals(readable: readonly Drop[], remove: boolean): number {
    return unreadableDrops(this.disk, this.folder.ownDir, readable, remove).length;
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
    return listEarlier(this.disk, this.folder.ownDir, this.opener, this.generation.number, this.tree);
  }

  private get opener(): Opener {
    return { keys: this.keys, head: this.head, believed: this.believed };
  }

  /** What came, changed and went since an earlier state; `most` of it. @throws EremosError `not-found` */
  changesSince(generation: number, most: number): readonly Difference[] {
    return this.withEarlier(generation, ({ tree }) => [
      ...take(differences(tree, tree.root, this.tree, this.tree.root), most),
    ]);
  }

  private withEarlier<T>(generation: number, use: (earlier: Earlier) => T): T {
    const earlier = requireEarlier(this.disk, this.folder.ownDir, this.opener, this.generation.number, generation);
    try {
      return use(earlier);
    } finally {
      earlier.index.close();
    }
  }

  /**
   * Makes what is at these paths what it was in an earlier state; null: everything. The caller commits. @throws
   * EremosError `not-found`
   */
  putBack(generation: number, paths: readonly (readonly Buffer[])[] | null): void {
    this.commit();
    this.withEarlier(generation, ({ tree }) => {
      const all = paths ?? [...differences(tree, tree.root, this.tree, this.tree.root)].map(({ path }) => path);
      const groupOf = this.freshGroups();
      for (const path of all) this.putBackFrom(tree, path, groupOf);
    });
  }

  /** Takes the last committed change back, as a change of its own. @throws EremosError `usage` where there is none */
  undo(): void {
    this.commit();
    const last = this.past.pop();
    if (!last) throw new EremosError("usage", said("there-is-nothing-undo-nothing"));
    const { index, segments, record } = last;
    try {
      const before = new TreeReader(index, record);
      const tail = index.read(before.listingsEnd, index.length - before.listingsEnd);
      this.drop(
        this.commitTree({
          encoded: { bytes: tail, record },
          before: upTo(segments, before.listingsEnd),
          placed: new Map(),
        }),
      );
    } catch (error) {
      this.past.push(last);
      throw fromSystemError(error, said("undoing-folder-is-as-it"));
    }
    this.drop(last);
    this.forgetChanges();
  }

  /**
   * Everything that is under an earlier key of the folder's is sealed under the present one, in steps of which each is
   * a whole state: cut off, it goes on from there the next time. Earlier states that are kept stay as they are. Returns
   * how many packs are damaged, and stay so, too. @throws EremosError `cancelled`; what is done by then stays done
   */
  sealAnew(hooks: Hooks): number {
    this.commit();
    const old = this.tree.packs().filter(({ header }) => isOfEarlierEpoch(header, this.keys.epoch));
    const bytesTotal = old.reduce((sum, { length }) => sum + length, 0);
    const anew = new Map<string, Anew>();
    let [bytes, waiting, left] = [0, 0, 0];
    const step = (): void => {
      if (anew.size > 0 || this.segments.some(({ header }) => isOfEarlierEpoch(header, this.keys.epoch)))
        this.commitAnew(anew);
      anew.clear();
      waiting = 0;
    };
    for (const pack of old) {
      if (hooks.cancelled()) {
        step();
        throw new EremosError("cancelled", said("stopped-as-you-asked-what"));
      }
      hooks.progress({ phase: "sealing", files: 0, filesTotal: 0, bytes, bytesTotal });
      const its = this.sealedAnewOrNull(pack);
      if (its) anew.set(pack.object, its);
      else left++;
      bytes += pack.length;
      waiting += pack.length;
      if (waiting >= ANEW_AT_ONCE_BYTES) step();
    }
    step();
    // Cut off after its last step, an earlier one may have left lying what it was before.
    sweepKeeping(this.disk, this.folder.ownDir, this.opener, this.generation, this.keepEarlier);
    return left;
  }

  private sealedAnewOrNull(pack: PackInfo): Anew | null {
    try {
      return sealPackAnew(this.disk, this.folder.ownDir, pack, this.keys, this.announce());
    } catch (error) {
      if (isEremosError(error) && error.code === "damaged") return null;
      throw error;
    }
  }

  /** What it was before goes at once, though earlier states are kept: it is the same, and somebody may know its key. */
  private commitAnew(anew: ReadonlyMap<string, Anew>): void {
    const { begun } = this;
    this.drop(this.commitTree({ ...this.encode(true, NOTHING, anew), before: [] }));
    this.wholeBytes = this.tree.listingsEnd;
    this.past.splice(0).forEach((past) => this.drop(past));
    this.begun = this.generation;
    this.forgetChanges();
    sweepKeeping(this.disk, this.folder.ownDir, this.opener, this.generation, this.keepEarlier, begun);
  }

  /** Earlier states that are kept, and that an earlier key of the folder's opens. */
  statesUnderEarlierKeys(): number {
    return countUnderEarlierKeys(this.disk, this.folder.ownDir, this.opener, this.generation.number);
  }

  /** Ends the visit: what nothing refers to any more goes, and the keys are wiped. */
  close(): void {
    try {
      if (this.hasChanged) this.tidy();
    } finally {
      this.packed.close();
      this.pool.close();
      this.keys.wipe();
      wipe(this.signature?.key.privateKey);
      letGo(this.disk, this.folder);
    }
  }

  /** What an earlier visit, or this one, wrote and nothing needs. */
  private discard(work: NonNullable<StateRecord["next"]>): void {
    discardWork(this.disk, this.folder.ownDir, work, refOf(this.generation));
  }

  /**
   * What is void goes: packs that no file refers to any more, and listings, where the index is written anew because
   * they are too many, or it is small.
   */
  private tidy(): void {
    this.forgetChanges();
    const isWhole =
      this.segments.length > 1 &&
      (this.tree.listingsEnd <= SMALL_INDEX_BYTES || this.segments.length > MOST_SEGMENTS - SEGMENTS_AHEAD);
    const unused = this.unusedPacks();
    if (isWhole || unused.size > 0)
      this.keepPast(this.commitTree(isWhole ? this.encodeTree(true) : this.withoutPacks(unused)));
    if (this.state.next) this.discard(this.state.next);
    sweepKeeping(this.disk, this.folder.ownDir, this.opener, this.generation, this.keepEarlier);
    this.state = commitState(this.disk, this.folder.ownDir, { ...this.state, next: null });
  }

  /** The same listings, and a table in which these packs are gone. */
  private withoutPacks(unused: ReadonlySet<string>): Written {
    return { ...this.encode(false, unused), before: upTo(this.segments, this.tree.listingsEnd) };
  }
}

/** Null where the disk, or the system, refuses it: what is left lying goes with the next sweep. */
function unlessRefused<T>(use: () => T): T | null {
  try {
    return use();
  } catch (error) {
    if (isEremosError(error) || systemCode(error) !== undefined) return null;
    throw error;
  }
}

export interface PutBackInput extends VisitInput {
  readonly generation: number;
  /** Null: everything. */
  readonly paths: readonly (readonly Buffer[])[] | null;
}

/**
 * Makes a sealed folder, or what is at these paths in it, what it was in an earlier state, as one more generation.
 * @throws EremosError as {@link Visit.open} and {@link Visit.putBack}
 */
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

function byOf(access: OwnerAccess): { readonly author: string; readonly device: string | null } {
  return { author: access.owner.owner, device: deviceAtWork(access) };
}

/** The end of an index whose beginning, of `before` bytes, is not at hand. */
function tailSource(before: number, bytes: Buffer): IndexSource {
  return {
    length: before + bytes.length,
    read: (offset, length) => bytes.subarray(offset - before, offset - before + length),
  };
}

interface Written extends Encoded {
  /** The segments that stand before it. */
  readonly before: readonly WrittenSegment[];
}

/** So many bytes of an index from its beginning on. */
function upTo(segments: readonly WrittenSegment[], bytes: number): WrittenSegment[] {
  const kept: WrittenSegment[] = [];
  let left = bytes;
  for (const segment of segments) {
    if (left === 0) break;
    const used = Math.min(left, segment.used);
    kept.push({ ...segment, used });
    left -= used;
  }
  return kept;
}

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
