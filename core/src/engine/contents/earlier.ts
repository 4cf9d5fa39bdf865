import { EremosError, isEremosError } from "../../errors/eremos-error";
import { type Generation, openFacts, refOf, segmentsOf, vouchingOf } from "../../format/generation";
import type { Believed, Head } from "../../format/header";
import { sealedLength } from "../../format/object";
import { type DirEntry, type Entry, TreeReader } from "../../format/tree";
import type { Dir, Disk } from "../../platform/port";
import { type FolderKeys, hasForks, loadState, wholeGenerations } from "../records";
import { followCommitWhole } from "./after-commit";
import { type IndexReader, openIndex } from "./load-tree";
import { isOfEarlierEpoch } from "./seal-anew";
import { type Swept, sweep } from "./sweep";
import { said } from "@eremos/words/core/contents";

/**
 * Earlier states of a sealed folder, kept beside the last one as long as the owner wants to be able to go back to them.
 */
export interface Earlier {
  readonly record: Generation;
  readonly index: IndexReader;
  readonly tree: TreeReader;
}

/** By what earlier states are known: those count that somebody known stands behind. */
export interface Judge {
  readonly head: Head;
  readonly believed: Believed;
}

export interface Opener extends Judge {
  readonly keys: FolderKeys;
}

/** Those with a smaller number than `current` that somebody known stands behind, the newest first. */
function vouchedBefore(disk: Disk, ownDir: Dir, { head, believed }: Judge, current: number): Generation[] {
  return wholeGenerations(disk, ownDir).records.filter(
    (record) => record.number < current && vouchingOf(record, believed, head) !== "unknown",
  );
}

/** Close each index. What can't be opened is left out. */
function openEarlier(disk: Disk, ownDir: Dir, by: Opener, current: number): Earlier[] {
  const opened: Earlier[] = [];
  try {
    for (const record of vouchedBefore(disk, ownDir, by, current)) {
      const one = openOne(disk, ownDir, by, record);
      if (one) opened.push(one);
    }
    return opened;
  } catch (error) {
    for (const { index } of opened) index.close();
    throw error;
  }
}

function openOne(disk: Disk, ownDir: Dir, { keys }: Opener, record: Generation): Earlier | null {
  let index: IndexReader | null = null;
  try {
    index = openIndex(disk, ownDir, record, keys, 1);
    return { record, index, tree: new TreeReader(index, record.index.record) };
  } catch (error) {
    index?.close();
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** Those that are kept, and of which anything is under a key that the folder had before. */
export function countUnderEarlierKeys(disk: Disk, ownDir: Dir, by: Opener, current: number): number {
  const all = openEarlier(disk, ownDir, by, current);
  const isOlder = ({ header }: { readonly header: Buffer }): boolean => isOfEarlierEpoch(header, by.keys.epoch);
  try {
    return all.filter(({ record, tree }) => segmentsOf(record).some(isOlder) || tree.packs().some(isOlder)).length;
  } finally {
    for (const { index } of all) index.close();
  }
}

/** What nothing refers to goes; of earlier states so many stay, `never` not among them. */
export function sweepKeeping(
  disk: Disk,
  ownDir: Dir,
  by: Judge,
  current: Generation,
  keepEarlier: number,
  never?: Generation,
): Swept {
  const state = loadState(disk, ownDir);
  // What another computer made stays until its owner has said what becomes of it.
  if (state && hasForks(disk, ownDir, state)) {
    followCommitWhole(disk, ownDir);
    return "gone";
  }
  const dropped = never ? refOf(never).digest : null;
  const before = vouchedBefore(disk, ownDir, by, current.number).filter((record) => refOf(record).digest !== dropped);
  return sweep(disk, ownDir, [current, ...before.slice(0, keepEarlier)], true);
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
export function listEarlier(disk: Disk, ownDir: Dir, by: Opener, current: number, tree: TreeReader): EarlierState[] {
  const all = openEarlier(disk, ownDir, by, current);
  try {
    return all.map((one) => {
      const others = [tree, ...all.filter((other) => other !== one).map((other) => other.tree)];
      const used = new Set(
        [
          ...others.flatMap((other) => other.packs()),
          ...all.filter((other) => other !== one).flatMap(({ record }) => segmentsOf(record)),
        ].map(({ object }) => object),
      );
      return {
        generation: one.record.number,
        at: openFacts(one.record, by.keys.secret(one.record)).at,
        files: one.tree.files,
        bytes: one.tree.bytes,
        ownBytes: ownBytes(one, used),
      };
    });
  } finally {
    for (const { index } of all) index.close();
  }
}

/** Bytes on disk of what only this state needs. */
function ownBytes({ record, tree }: Earlier, others: ReadonlySet<string>): number {
  return [...segmentsOf(record), ...tree.packs()]
    .filter(({ object }) => !others.has(object))
    .reduce((sum, { length }) => sum + sealedLength(length), 0);
}

export interface Difference {
  readonly path: readonly Buffer[];
  /** Seen from the earlier state: what came since, what is another now, what is gone. */
  readonly kind: "added" | "changed" | "removed";
  readonly entry: Entry;
}

/**
 * What differs between an earlier tree and a later one; a directory that came or went is one difference. At most
 * `most`.
 */
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
export function requireEarlier(disk: Disk, ownDir: Dir, by: Opener, current: number, generation: number): Earlier {
  const record =
    generation < current
      ? vouchedBefore(disk, ownDir, by, current).find(({ number }) => number === generation)
      : undefined;
  const found = record && openOne(disk, ownDir, by, record);
  if (found) return found;
  throw new EremosError("not-found", said("that-earlier-state-folder-is"));
}
