import { EremosError, isEremosError } from "../errors/eremos-error";
import { type Generation, generationNumbers, vouchingOf } from "../format/generation";
import { type DirEntry, type Entry, TreeReader } from "../format/tree";
import type { Dir, Disk } from "../platform/port";
import { forksIn } from "./forks";
import { within } from "./handles";
import type { FolderKeys } from "./keys";
import { indexSource, openIndex } from "./load-tree";
import { type ObjectReader, withObjectDir } from "./object-io";
import { keepInsured } from "../insurance/insure";
import { sweep } from "./seal-generation";
import { NAMES, generationName, loadGeneration } from "./vault";

/** Earlier states of a sealed folder, kept beside the last one as long as the owner wants to be able to go back to them. */
export interface Earlier {
  readonly record: Generation;
  readonly index: ObjectReader;
  readonly tree: TreeReader;
}

/** What earlier states are read with: those count that the folder key vouches for, or one of these devices signed. */
export interface Opener {
  readonly keys: FolderKeys;
  /** Public keys, 32 bytes each. */
  readonly devices: readonly Uint8Array[];
}

/** Those before `current`, the newest first, `most` of them. Close each index. What can't be opened is left out. */
function openEarlier(disk: Disk, vault: Dir, by: Opener, current: number, most: number): Earlier[] {
  const earlier: Earlier[] = [];
  for (const number of numbersIn(disk, vault)
    .filter((one) => one < current)
    .sort((a, b) => b - a)) {
    if (earlier.length >= most) break;
    const opened = openOne(disk, vault, by, number);
    if (opened) earlier.push(opened);
  }
  return earlier;
}

function numbersIn(disk: Disk, vault: Dir): number[] {
  return within(disk, disk.openDir(vault, NAMES.generations), (dir) =>
    generationNumbers(disk.list(dir).map((name) => name.toString("latin1"))),
  );
}

function openOne(disk: Disk, vault: Dir, { keys, devices }: Opener, number: number): Earlier | null {
  try {
    const { record } = loadGeneration(disk, vault, number);
    if (record.generation !== number || vouchingOf(record, keys.folderKey, devices) === "unvouched") return null;
    const index = openIndex(disk, vault, record, keys, 1);
    return { record, index, tree: new TreeReader(indexSource(index), record.index.record) };
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** What nothing refers to goes; of earlier states so many stay. */
export function sweepKeeping(
  disk: Disk,
  vault: Dir,
  by: Opener,
  index: string,
  generation: number,
  packs: Iterable<string>,
  keep: number,
): void {
  // What only the state of another computer needs is not known without reading it: all stays until its owner has said what becomes of it.
  if (forksIn(disk, vault).length > 0) return keepInsured(disk, vault, () => true);
  const earlier = keep > 0 ? openEarlier(disk, vault, by, generation, keep) : [];
  try {
    const used = [
      ...packs,
      ...earlier.flatMap(({ record, tree }) => [record.index.object, ...tree.packs().map(({ object }) => object)]),
    ];
    const stays = new Set([index, ...used].map((object) => Buffer.from(object, "base64url").toString("hex")));
    // What takes the place of a group of the insurance is durable before a member of it goes.
    keepInsured(disk, vault, (hex) => stays.has(hex));
    sweep(
      disk,
      vault,
      index,
      generation,
      used,
      earlier.map(({ record }) => record.generation),
    );
  } finally {
    for (const one of earlier) one.index.close();
  }
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

/** The earlier states that are kept beside the current one, the newest first. */
export function listEarlier(disk: Disk, vault: Dir, by: Opener, current: number, tree: TreeReader): EarlierState[] {
  const all = openEarlier(disk, vault, by, current, Number.POSITIVE_INFINITY);
  try {
    return all.map((one) => {
      const others = [tree, ...all.filter((other) => other !== one).map((other) => other.tree)];
      const { generation } = one.record;
      return {
        generation,
        at: madeAt(disk, vault, generation),
        files: one.tree.files,
        bytes: one.tree.bytes,
        ownBytes: ownBytes(
          disk,
          vault,
          one,
          new Set(others.flatMap((other) => other.packs().map(({ object }) => object))),
        ),
      };
    });
  } finally {
    for (const { index } of all) index.close();
  }
}

/** Bytes on disk of what only this state needs. */
function ownBytes(disk: Disk, vault: Dir, { record, tree }: Earlier, others: ReadonlySet<string>): number {
  const size = (kind: "index" | "pack", object: string): number =>
    withObjectDir(disk, vault, kind, object, false, (dir, name) => disk.find(dir, name)?.size ?? 0);
  return (
    size("index", record.index.object) +
    tree
      .packs()
      .filter(({ object }) => !others.has(object))
      .reduce((sum, { object }) => sum + size("pack", object), 0)
  );
}

/** When a state was made, as its record's file says: milliseconds since 1970. */
function madeAt(disk: Disk, vault: Dir, generation: number): number {
  return within(disk, disk.openDir(vault, NAMES.generations), (dir) =>
    Number((disk.find(dir, generationName(generation, false))?.mtimeNs ?? 0n) / 1_000_000n),
  );
}

export interface Difference {
  readonly path: readonly Buffer[];
  /** Seen from the earlier state: what came since, what is another now, what is gone. */
  readonly kind: "added" | "changed" | "removed";
  readonly entry: Entry;
}

/** What differs between an earlier tree and a later one; a directory that came or went is one difference. At most `most`. */
export function* differences(
  before: TreeReader,
  beforeDir: DirEntry,
  after: TreeReader,
  afterDir: DirEntry,
  path: readonly Buffer[] = [],
): Generator<Difference> {
  const now = new Map(after.list(afterDir).entries.map((entry) => [entry.name.toString("latin1"), entry]));
  for (const was of before.list(beforeDir).entries) {
    const key = was.name.toString("latin1");
    const is = now.get(key);
    now.delete(key);
    const here = [...path, was.name];
    if (is?.kind === "dir" && was.kind === "dir") yield* differences(before, was, after, is, here);
    else if (!is) yield { path: here, kind: "removed", entry: was };
    else if (!isSame(before, was, after, is)) yield { path: here, kind: "changed", entry: is };
  }
  for (const entry of now.values()) yield { path: [...path, entry.name], kind: "added", entry };
}

/** The same sealed data; or, where it was sealed anew, the same size and time. */
function isSame(before: TreeReader, was: Entry, after: TreeReader, is: Entry): boolean {
  if (was.kind === "link" && is.kind === "link") return was.target.equals(is.target);
  if (was.kind !== "file" || is.kind !== "file" || was.size !== is.size) return false;
  if (
    was.content &&
    is.content &&
    before.pack(was.content.pack).object === after.pack(is.content.pack).object &&
    was.content.offset === is.content.offset
  )
    return true;
  return was.meta.mtimeNs === is.meta.mtimeNs;
}

/** @throws EremosError `not-found` where no such state is kept */
export function requireEarlier(disk: Disk, vault: Dir, by: Opener, current: number, generation: number): Earlier {
  const found = generation < current ? openOne(disk, vault, by, generation) : null;
  if (found) return found;
  throw new EremosError("not-found", "That earlier state of the folder is not kept any more. Nothing was changed.");
}
