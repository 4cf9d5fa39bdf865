import { EremosError, isEremosError } from "../../errors/eremos-error";
import {
  type Generation,
  type GenerationRef,
  batchOf,
  generationDigest,
  generationName,
  refOf,
} from "../../format/generation";
import type { ManifestEntry } from "../../format/manifest";
import type { StateRecord } from "../../format/state";
import type { Dir, Disk } from "../../platform/port";
import { keyRecordOf, objectLength } from "./object-io";
import { keyNames, loadGeneration, loadManifest, wholeGenerations } from "./records";
import { type OtherState, otherStates } from "./states";
import { said, say } from "@eremos/words/core/records";

/**
 * A folder that a program keeps in step on several computers: each is at work without asking the others, and what one
 * writes or removes comes to the others file by file, in any order, later. What another computer's present state is
 * made of is told by its state record, as far as that has come here. FORMAT.md §7.9.
 */

/**
 * So long a step of another computer may be on its way here: until then it may be at anything that was here since the
 * last one it told of. In milliseconds.
 */
const MOST_DELAY_MS = 30 * 24 * 60 * 60 * 1000;

/**
 * Everything that a generation came from, down to a number. `isWhole`: no record on the way, above that number, is
 * missing.
 */
export function ancestorsOf(
  disk: Disk,
  ownDir: Dir,
  record: Generation,
  downTo: number,
): { readonly digests: ReadonlySet<string>; readonly isWhole: boolean } {
  const digests = new Set<string>();
  let isWhole = true;
  const visit = ({ parents }: Generation): void => {
    for (const parent of parents) {
      if (digests.has(parent.digest)) continue;
      digests.add(parent.digest);
      const before = parent.number > downTo ? recordOrNull(disk, ownDir, parent) : null;
      if (before) visit(before);
      else if (parent.number > downTo) isWhole = false;
    }
  };
  visit(record);
  return { digests, isWhole };
}

function recordOrNull(disk: Disk, ownDir: Dir, ref: GenerationRef): Generation | null {
  try {
    return loadGeneration(disk, ownDir, ref).record;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/**
 * Of these, by their digests, those that another computer is at, or may be at by now: what its state record names, and
 * what does not lie before that, since it may have gone on without its having come here. Null where a record of another
 * computer can't be read.
 */
export function neededByOthers(disk: Disk, ownDir: Dir, records: readonly Generation[]): ReadonlySet<string> | null {
  const others = otherStates(disk, ownDir);
  if (others === null) return null;
  const needed = new Set<string>();
  for (const {
    record: { generation },
    writtenMs,
  } of others) {
    if (!generation) continue;
    needed.add(generation.digest);
    if (Date.now() - writtenMs > MOST_DELAY_MS) continue;
    const its = records.find((record) => generationDigest(record) === generation.digest);
    const past = its ? ancestorsOf(disk, ownDir, its, 0).digests : new Set<string>();
    for (const record of records) if (!past.has(generationDigest(record))) needed.add(generationDigest(record));
  }
  return needed;
}

/**
 * What a new generation names as what it came from: the one before it, what other computers are at that lies before
 * that, and the latest few before. Another computer knows by it that the new one comes from its own, though the records
 * between may be gone.
 */
export function parentsFrom(disk: Disk, ownDir: Dir, before: GenerationRef | null): readonly GenerationRef[] {
  const record = before && recordOrNull(disk, ownDir, before);
  if (!before || !record) return before ? [before] : [];
  const past = ancestorsOf(disk, ownDir, record, 0).digests;
  const named = (otherStates(disk, ownDir) ?? [])
    .flatMap(({ record: { generation } }) => generation ?? [])
    .filter(({ digest }) => past.has(digest));
  const latest = [...record.parents].sort((a, b) => b.number - a.number).slice(0, MOST_PARENTS / 2);
  return [
    ...new Map([before, ...named, ...latest].map(({ number, digest }) => [digest, { number, digest }])).values(),
  ].slice(0, MOST_PARENTS);
}
const MOST_PARENTS = 12;

/** How much of what a state consists of is here: its objects, and the key records that those that are here name. */
export interface Arrival {
  readonly pieces: number;
  /** In their whole length. */
  readonly arrived: number;
  /** Of which there is nothing. */
  readonly missing: number;
}

/** Not even the list of the pieces. */
export const NOTHING_HERE: Arrival = { pieces: 0, arrived: 0, missing: 1 };

/** Null: not even its record and its list are here. */
export function arrivalOf(disk: Disk, ownDir: Dir, ref: GenerationRef): Arrival | null {
  const objects = objectsOf(disk, ownDir, ref);
  if (!objects) return null;
  const here = objects.filter(isHere);
  // Without its key, an object that is here says nothing: what was locked while signed out has one of its own.
  const keys = new Set(here.flatMap(({ kind, object }) => keyRecordOf(disk, ownDir, kind, object) ?? []));
  const known = keys.size > 0 ? keyNames(disk, ownDir) : keys;
  const unknown = [...keys].filter((key) => !known.has(key)).length;
  return {
    pieces: objects.length + keys.size,
    arrived: here.length + keys.size - unknown,
    missing: objects.filter(({ found }) => found === null).length + unknown,
  };
}

/** Whether every object of a state lies here, in its whole length; with or without the keys to them. */
export function hasObjects(disk: Disk, ownDir: Dir, ref: GenerationRef): boolean {
  return objectsOf(disk, ownDir, ref)?.every(isHere) ?? false;
}

/** How long an object's file is to be, and is; null: there is none. */
type Awaited = ManifestEntry & { readonly found: number | null };

const isHere = ({ length, found }: Awaited): boolean => found === length;

function objectsOf(disk: Disk, ownDir: Dir, ref: GenerationRef): readonly Awaited[] | null {
  try {
    const { record } = loadManifest(disk, ownDir, loadGeneration(disk, ownDir, ref).record.manifest);
    return [...record.values()].map((entry) => ({
      ...entry,
      found: objectLength(disk, ownDir, entry.kind, entry.object),
    }));
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

export interface Newer {
  /** The newest that is here throughout, or null. */
  readonly whole: Generation | null;
  /** How much of one that is newer still is here, or null. */
  readonly arriving: Arrival | null;
}

/**
 * What other computers made of the present state since, and finished. A visit that lasts, and a lock under way, is not
 * looked at before it has ended: what it has written may go again. `mayBe`: whether somebody known stands behind a
 * state, and its keys are at hand.
 */
export function newerThan(
  disk: Disk,
  ownDir: Dir,
  present: GenerationRef,
  mayBe: (record: Generation) => boolean,
): Newer {
  const named = (otherStates(disk, ownDir) ?? [])
    .filter(isAtRest)
    .flatMap(({ record: { generation } }) => generation ?? []);
  const found = named
    .filter(({ digest, number }) => digest !== present.digest && number > present.number)
    .map((ref) => {
      const record = recordOrNull(disk, ownDir, ref);
      const arrival = arrivalOf(disk, ownDir, ref);
      return {
        ref,
        record,
        arrival,
        isHere: record !== null && arrival !== null && arrival.arrived === arrival.pieces,
      };
    });
  const isLater = (record: Generation): boolean =>
    ancestorsOf(disk, ownDir, record, present.number).digests.has(present.digest);
  const later = found
    .filter(({ record }) => record === null || (mayBe(record) && isLater(record)))
    .sort((a, b) => b.ref.number - a.ref.number || (a.ref.digest < b.ref.digest ? -1 : 1));
  const whole = later.find(({ isHere }) => isHere)?.record ?? null;
  const past = whole ? ancestorsOf(disk, ownDir, whole, 0).digests : new Set<string>();
  const waiting = later.find(({ ref, isHere }) => !isHere && !past.has(ref.digest));
  return { whole, arriving: waiting ? (waiting.arrival ?? NOTHING_HERE) : null };
}

function isAtRest({ record: { state, next } }: OtherState): boolean {
  return (state === "sealed" || state === "open") && next === null;
}

/** @returns what is told of a state of which not everything is here yet */
export function stillArriving(what: string, { pieces, arrived }: Pick<Arrival, "pieces" | "arrived">): EremosError {
  const count = pieces === 0 ? say("so-far-not-even-list") : say("pieces-are-here", { arrived, pieces });
  return new EremosError("arriving", said("is-still-arriving-from-another", { what, count }), { pieces, arrived });
}

/**
 * A state of the folder that the present one neither is nor came from: another computer made it, and a program that
 * keeps the two in step brought it here.
 */
export interface Fork {
  /** Of its record, in `generations`. */
  readonly name: string;
  readonly generation: number;
  /**
   * It was made from the present one, which it takes the place of at the next opening; else of the same time, and both
   * stand.
   */
  readonly isNewer: boolean;
  /** How much of it is here. */
  readonly arrival: Arrival;
}

/**
 * Every state whose record is whole that the present one neither is nor came from. What this computer's own work wrote
 * and has not finished is none.
 */
export function forksIn(
  disk: Disk,
  ownDir: Dir,
  { generation, next }: Pick<StateRecord, "generation" | "next">,
): Fork[] {
  if (!generation) return [];
  return forkRecords(disk, ownDir, loadGeneration(disk, ownDir, generation).record, next).map((record) => {
    const ref = refOf(record);
    return {
      name: generationName(ref),
      generation: record.number,
      isNewer: ancestorsOf(disk, ownDir, record, generation.number).digests.has(generation.digest),
      arrival: arrivalOf(disk, ownDir, ref) ?? NOTHING_HERE,
    };
  });
}

/** Whether there is any. */
export function hasForks(
  disk: Disk,
  ownDir: Dir,
  { generation, next }: Pick<StateRecord, "generation" | "next">,
): boolean {
  return (
    generation !== null && forkRecords(disk, ownDir, loadGeneration(disk, ownDir, generation).record, next).length > 0
  );
}

/** Their records. */
export function forkRecords(disk: Disk, ownDir: Dir, current: Generation, next: StateRecord["next"]): Generation[] {
  const { records } = wholeGenerations(disk, ownDir);
  if (records.length < 2) return [];
  const known = new Set([generationDigest(current), ...ancestorsOf(disk, ownDir, current, 0).digests]);
  return records.filter((record) => !known.has(generationDigest(record)) && batchOf(record) !== next?.batch);
}
