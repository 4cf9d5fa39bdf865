import { EremosError } from "../../../errors/eremos-error";
import { type Generation, refOf } from "../../../format/generation";
import { newId } from "../../../format/ids";
import type { StateRecord } from "../../../format/state";
import {
  type DirEntry,
  type EncodedTree,
  type Entry,
  type FileEntry,
  type LinkEntry,
  type PackInfo,
  type TreeReader,
  TreeWriter,
  withContents,
} from "../../../format/tree";
import { type Dir, type Disk, HOLDS_ALL } from "../../../platform/port";
import { type HeldFolder, type Meter, NAMES, emptyDir, ensureDir, moveAside, refuseInUse, within } from "../../ground";
import { commitState, loadGeneration, parentsFrom } from "../../records";
import {
  type Amount,
  type Base,
  type PackReaders,
  type Sealed,
  type SealedContent,
  type SealingOf,
  type Writing,
  applyLinkMeta,
  applyMeta,
  groupName,
  loadTree,
  restoreLink,
  roomForRound,
  sealContent,
  sealedFor,
  sweep,
  writeGenerationOf,
  writeWhole,
} from "../../contents";
import { removeGoing } from "./recover-sealed";
import { removeSealedFiles } from "./staging";
import { said } from "@eremos/words/core/guards";

/**
 * When space is short, a folder is sealed and opened in rounds: as many files as fit are written to the other side,
 * made durable and committed, and only then removed from this one. FORMAT.md §7.4. Each file is complete in one of the
 * two at every instant; where both have it, the plain one is true.
 */
const ROUNDS_FOR_CHANGING_FILES = 3;

/** Seals round by round until no plain file is left. */
export function sealFileByFile(
  of: SealingOf,
  begun: StateRecord,
  onState: (state: StateRecord) => void,
): SealedContent {
  const { disk, folder, input, surveyed } = of;
  let base = begun.state === "mixed" ? sealedSoFar(of, begun) : of.opened;
  let now = begun;
  const enter = (state: StateRecord): void => {
    now = commitState(disk, folder.ownDir, state);
    onState(now);
  };
  let leftBefore = Number.POSITIVE_INFINITY;
  for (let restless = 0; ;) {
    enter({ ...now, next: { number: numberAfter(now), batch: of.making.batch } });
    if (begun.mixed && base) completeGroups(disk, folder, base.tree);
    const room = roomForRound(surveyed, disk.freeBytes(folder.dir));
    const content = sealContent(of, base, now, room, (state) => onState((now = state)));
    if (content.sealed.left > 0 && content.sealed.left >= leftBefore) throw noRoom(disk, folder.dir);
    disk.barrier(folder.ownDir);
    refuseInUse(disk, input);
    enter({ ...now, state: "mixed", mixed: true, generation: refOf(content.record), next: null });
    const { sealed, close } = sealedFor(of, content, false);
    const stay =
      now.overwrites === undefined
        ? removeSealedFiles(disk, folder.dir, sealed)
        : overwriteSealedFiles(of, now, sealed);
    close();
    sweep(disk, folder.ownDir, [content.record]);
    if (stay === 0 && content.sealed.left === 0) return content;
    // What changed meanwhile is sealed again, at the cost of others.
    leftBefore = stay > 0 ? Number.POSITIVE_INFINITY : content.sealed.left;
    if (stay > 0 && ++restless === ROUNDS_FOR_CHANGING_FILES)
      throw new EremosError("changed-while-locking", said("files-kept-changing"));
    base = { tree: content.tree, identities: content.sealed.identities, mixed: true };
  }
}

/**
 * A file that is written over is no file any more, and in this mode the plain one is the true one: each goes out of the
 * folder by one rename first, and that is durable before any is touched.
 */
function overwriteSealedFiles({ disk, folder }: SealingOf, state: StateRecord, sealed: Sealed): number {
  const stay = within(disk, ensureDir(disk, folder.ownDir, NAMES.going), (going) => {
    disk.syncDir(folder.ownDir);
    return removeSealedFiles(disk, folder.dir, sealed, (dir, name) =>
      disk.renameExclusive(dir, name, going, Buffer.from(newId())),
    );
  });
  disk.barrier(folder.ownDir);
  removeGoing(disk, folder, state);
  return stay;
}

function noRoom(disk: Disk, dir: Dir): EremosError {
  return new EremosError(
    "no-space",
    said("disk-filled-up-meanwhile-mb", { free: Math.floor(disk.freeBytes(dir) / 1e6) }),
  );
}

/** What of a partly locked folder is sealed. @throws EremosError `needs-sign-in` */
function sealedSoFar({ disk, folder, input, making }: SealingOf, begun: StateRecord): Base {
  if (input.signer.by !== "owner") throw new EremosError("needs-sign-in", said("part-this-folder-is-locked"));
  if (!begun.generation) throw new EremosError("damaged", said("folders-record-says-that-part"));
  const { record } = loadGeneration(disk, folder.ownDir, begun.generation);
  return { tree: loadTree(disk, folder.ownDir, record, making.keys).tree, identities: null, mixed: true };
}

/** The number of the generation that comes after a state's. */
export function numberAfter({ generation }: Pick<StateRecord, "generation">): number {
  return (generation?.number ?? 0) + 1;
}

export interface OpeningFileByFile {
  /** Its purpose is the first round's; each round has the next number. */
  readonly writing: Writing;
  readonly folder: HeldFolder;
  /** The generation to begin from. */
  readonly from: Generation;
  readonly packsOf: (tree: TreeReader) => PackReaders;
  readonly meter: Meter;
}

export interface OpenedFileByFile {
  readonly state: StateRecord;
  /** The last generation's: it holds no files any more. */
  readonly tree: TreeReader;
  readonly index: EncodedTree;
  readonly record: Generation;
}

/** Opens round by round until no sealed file is left, then gives links and directories what belongs to them. */
export function openFileByFile(
  of: OpeningFileByFile,
  first: { readonly tree: TreeReader; readonly bytes: Buffer },
  begun: StateRecord,
): OpenedFileByFile {
  const { writing, folder } = of;
  const { disk } = writing;
  let { tree } = first;
  let encoded: EncodedTree | null = null;
  let record = of.from;
  keepAside(disk, folder, tree, begun);
  let state = begun;
  while (tree.files > 0) {
    state = commitState(disk, folder.ownDir, {
      ...state,
      state: "mixed",
      mixed: true,
      next: { number: numberAfter(state), batch: writing.purpose.batch },
      staging: NAMES.staging.toString(),
    });
    completeGroups(disk, folder, tree);
    const batch = nextBatch(tree, disk.freeBytes(folder.dir));
    placeBatch(of, tree, batch);
    encoded = withoutBatch(tree, batch);
    const parents = parentsFrom(disk, folder.ownDir, refOf(record));
    ({ tree, record } = writeGenerationOf(
      { ...writing, purpose: { ...writing.purpose, number: numberAfter(state) } },
      encoded,
      parents,
    ));
    disk.barrier(folder.ownDir);
    state = commitState(disk, folder.ownDir, { ...state, generation: refOf(record), next: null, staging: null });
    sweep(disk, folder.ownDir, [record]);
  }
  finishDirectories(disk, folder, tree);
  disk.barrier(folder.ownDir);
  return { state, index: encoded ?? { bytes: first.bytes, record: of.from.index.record }, tree, record };
}

/**
 * Plain entries that came while the folder was locked and have the name of a sealed one keep their content under
 * another.
 */
function keepAside(disk: Disk, folder: HeldFolder, tree: TreeReader, begun: StateRecord): void {
  if (begun.mixed) return;
  for (const { name } of tree.list(tree.root).entries)
    if (disk.find(folder.dir, name)) moveAside(disk, folder.dir, name);
  disk.syncDir(folder.dir);
}

/**
 * A round that was cut off may have left some names of a file plain and others sealed. The plain one is true, and so
 * its other names are made names of it again, which takes no room.
 */
function completeGroups(disk: Disk, folder: HeldFolder, tree: TreeReader): void {
  const found = new Set<number>();
  const visit = (dir: Dir, at: DirEntry, make: boolean, use: (dir: Dir, entry: FileEntry) => void): void => {
    for (const entry of tree.list(at).entries) {
      if (entry.kind === "file" && entry.linkGroup > 0) use(dir, entry);
      if (entry.kind !== "dir") continue;
      const there = disk.find(dir, entry.name);
      if (there ? there.type !== "dir" || !disk.readable(dir, entry.name, there) : !make) continue;
      within(disk, ensureDir(disk, dir, entry.name), (inner) => visit(inner, entry, make, use));
    }
  };
  within(disk, ensureDir(disk, folder.ownDir, NAMES.links), (scratch) => {
    emptyDir(disk, scratch);
    visit(folder.dir, tree.root, false, (dir, entry) => {
      if (found.has(entry.linkGroup) || disk.find(dir, entry.name)?.type !== "file") return;
      disk.makeHardLink(dir, entry.name, scratch, groupName(entry.linkGroup));
      found.add(entry.linkGroup);
    });
    if (found.size > 0)
      visit(folder.dir, tree.root, true, (dir, entry) => {
        if (found.has(entry.linkGroup) && !disk.find(dir, entry.name))
          disk.makeHardLink(scratch, groupName(entry.linkGroup), dir, entry.name);
      });
    emptyDir(disk, scratch);
  });
  disk.removeDir(folder.ownDir, NAMES.links);
}

/** Whether a file belongs to the round: by its pack, since a pack goes as a whole. Files without data go first. */
type Batch = (entry: FileEntry) => boolean;

/** What each pack's files take when they are written out; files without data are under null. */
function amountsByPack(tree: TreeReader): ReadonlyMap<number | null, Amount> {
  const byPack = new Map<number | null, Amount>();
  const groups = new Set<number>();
  const add = (dir: DirEntry): void => {
    for (const entry of tree.list(dir).entries) {
      if (entry.kind === "dir") add(entry);
      if (entry.kind !== "file" || groups.has(entry.linkGroup)) continue;
      if (entry.linkGroup > 0) groups.add(entry.linkGroup);
      const pack = entry.content?.pack ?? null;
      const { bytes, largest, entries } = byPack.get(pack) ?? { bytes: 0, largest: 0, entries: 0 };
      byPack.set(pack, {
        bytes: bytes + (entry.content?.length ?? 0),
        largest: Math.max(largest, entry.content?.length ?? 0),
        entries: entries + 1,
      });
    }
  };
  add(tree.root);
  return byPack;
}

/** What opening the whole tree writes; the largest unit is a pack, since a pack goes as a whole. */
export function amountIn(tree: TreeReader): Amount {
  const packs = [...amountsByPack(tree).values()];
  const sum = (of: (amount: Amount) => number): number => packs.reduce((total, amount) => total + of(amount), 0);
  return {
    bytes: sum(({ bytes }) => bytes),
    largest: Math.max(0, ...packs.map(({ bytes }) => bytes)),
    entries: sum(({ entries }) => entries),
  };
}

function nextBatch(tree: TreeReader, free: number): Batch {
  const chosen = new Set<number | null>();
  let total: Amount = { bytes: 0, largest: 0, entries: 0 };
  for (const [pack, amount] of [...amountsByPack(tree)].sort(([, a], [, b]) => a.bytes - b.bytes)) {
    const more = {
      bytes: total.bytes + amount.bytes,
      largest: Math.max(total.largest, amount.largest),
      entries: total.entries + amount.entries,
    };
    if (chosen.size > 0 && more.bytes > roomForRound(more, free)) break;
    chosen.add(pack);
    total = more;
  }
  return (entry) => chosen.has(entry.content?.pack ?? null);
}

/** Writes a round's files beside, makes them durable, and renames each to its place. */
function placeBatch(of: OpeningFileByFile, tree: TreeReader, batch: Batch): void {
  const {
    folder,
    writing: { disk },
  } = of;
  const packs = of.packsOf(tree);
  try {
    within(disk, ensureDir(disk, folder.ownDir, NAMES.staging), (staging) => {
      writeBatch(of, tree, batch, staging, packs);
      disk.barrier(folder.ownDir);
      moveBatch(disk, folder, tree, batch, staging);
      disk.barrier(folder.ownDir);
    });
  } finally {
    packs.closeAll();
  }
  disk.removeDir(folder.ownDir, NAMES.staging);
}

/** Calls `use` with each file of a round and its number in it, `into` with each directory on the way. */
function eachOfBatch(
  tree: TreeReader,
  batch: Batch,
  use: (entry: FileEntry, name: Buffer) => void,
  into: (entry: DirEntry, inside: () => void) => void,
): void {
  let number = 0;
  const visit = (at: DirEntry): void => {
    for (const entry of tree.list(at).entries) {
      if (entry.kind === "dir") into(entry, () => visit(entry));
      else if (entry.kind === "file" && batch(entry)) use(entry, groupName(++number));
    }
  };
  visit(tree.root);
}

function writeBatch(of: OpeningFileByFile, tree: TreeReader, batch: Batch, staging: Dir, packs: PackReaders): void {
  const { disk } = of.writing;
  const groups = new Map<number, Buffer>();
  emptyDir(disk, staging);
  eachOfBatch(
    tree,
    batch,
    (entry, name) => {
      const twin = groups.get(entry.linkGroup);
      if (twin) disk.makeHardLink(staging, twin, staging, name);
      else disk.closeFile(writeWhole(disk, staging, name, entry, { packs, meter: of.meter, holding: HOLDS_ALL }));
      if (entry.linkGroup > 0) groups.set(entry.linkGroup, twin ?? name);
      of.meter.add(1, 0);
    },
    (_entry, inside) => inside(),
  );
}

function moveBatch(disk: Disk, folder: HeldFolder, tree: TreeReader, batch: Batch, staging: Dir): void {
  let dir = folder.dir;
  eachOfBatch(
    tree,
    batch,
    (entry, name) => {
      // Where a plain file stands, it is the true one: placed in a round that was cut off, or changed since.
      if (disk.find(dir, entry.name)) disk.unlink(staging, name);
      else disk.renameExclusive(staging, name, dir, entry.name);
    },
    (entry, inside) => {
      const outer = dir;
      within(disk, ensureDir(disk, outer, entry.name), (inner) => {
        dir = inner;
        try {
          inside();
        } finally {
          dir = outer;
        }
      });
    },
  );
}

function withoutBatch(tree: TreeReader, batch: Batch): EncodedTree {
  const writer = new TreeWriter();
  const packs = new Map<string, PackInfo>();
  let [files, bytes] = [0, 0];
  const copy = (dir: DirEntry): DirEntry => {
    const entries = tree.list(dir).entries.flatMap((entry): Entry[] => {
      if (entry.kind === "dir") return [copy(entry)];
      if (entry.kind === "link") return [entry];
      if (batch(entry)) return [];
      files++;
      bytes += entry.size;
      return [
        withContents(entry, (content) => {
          const pack = tree.pack(content.pack);
          packs.set(pack.object, pack);
          return { ...content, pack: writer.packNumber(pack.object) };
        }),
      ];
    });
    return { ...dir, listing: writer.listing(entries) };
  };
  const root = copy(tree.root);
  return writer.finish(root, packs, files, bytes);
}

/**
 * Links and the attributes of directories come last: with all files at their place nothing changes a directory's times
 * any more. An attribute may bar this account from a directory, so they are set only when everything in it is durable.
 */
function finishDirectories(disk: Disk, folder: HeldFolder, tree: TreeReader): void {
  const visit = (
    dir: Dir,
    at: DirEntry,
    each: (dir: Dir, entry: LinkEntry) => void,
    after: (inner: Dir, entry: DirEntry) => void,
  ): void => {
    for (const entry of tree.list(at).entries) {
      if (entry.kind === "link") each(dir, entry);
      const there = entry.kind === "dir" ? disk.find(dir, entry.name) : null;
      if (entry.kind !== "dir" || (there && !disk.readable(dir, entry.name, there))) continue;
      within(disk, ensureDir(disk, dir, entry.name), (inner) => {
        visit(inner, entry, each, after);
        after(inner, entry);
      });
    }
  };
  const makeLink = (dir: Dir, entry: LinkEntry): void => {
    const there = disk.find(dir, entry.name);
    if (!there) restoreLink(disk, dir, entry, HOLDS_ALL);
    else if (there.type === "link" && disk.readLink(dir, entry.name).equals(entry.target))
      applyLinkMeta(disk, dir, entry, HOLDS_ALL);
  };
  visit(folder.dir, tree.root, makeLink, () => undefined);
  disk.barrier(folder.ownDir);
  visit(
    folder.dir,
    tree.root,
    () => undefined,
    (inner, entry) => void applyMeta(disk, inner, entry.meta, HOLDS_ALL),
  );
  applyMeta(disk, folder.dir, tree.root.meta, HOLDS_ALL);
}
