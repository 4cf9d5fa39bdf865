import { EremosError, systemCode } from "../../errors/eremos-error";
import type { Dir, Disk } from "../../platform/port";
import { commitFiles, readSmallFile, writeFile } from "./small-files";
import { said } from "@eremos/words/core/ground";

/**
 * Nothing is written once: every record has a twin beside it, with the same bytes. Of the two the first whole one
 * counts, and the twin is renamed to its place first: so it is never older than what was acted upon. FORMAT.md §2.5.
 */
const SUFFIX = ".json";

export function twinOf(name: Buffer): Buffer {
  const shown = name.toString("latin1");
  return Buffer.from(
    shown.endsWith(SUFFIX) ? `${shown.slice(0, -SUFFIX.length)}.twin${SUFFIX}` : `${shown}.twin`,
    "latin1",
  );
}

/** Whether this is the record's name, or its twin's. */
export function isRecordName(name: Buffer, record: Buffer): boolean {
  return name.equals(record) || name.equals(twinOf(record));
}

/** The names of the records in a directory, each once, whether it or its twin is there. */
export function recordsIn(disk: Disk, dir: Dir): Buffer[] {
  const names = disk
    .list(dir)
    .map((name) => name.toString("latin1"))
    .filter((name) => name.endsWith(SUFFIX));
  return [...new Set(names.map((name) => name.replace(/\.twin\.json$/, SUFFIX)))].map((name) =>
    Buffer.from(name, "latin1"),
  );
}

export function hasRecord(disk: Disk, dir: Dir, name: Buffer): boolean {
  return disk.find(dir, name) !== null || disk.find(dir, twinOf(name)) !== null;
}

/** Both durable when it returns. The only way a record is replaced. */
export function commitRecord(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  commitFiles(disk, dir, [twinOf(name), name], bytes);
}

/** Both, without making them durable: the barrier before the next state record does that for all at once. */
export function writeTwins(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  for (const one of [twinOf(name), name]) writeFile(disk, dir, one, bytes);
}

/** Does nothing where they are gone already. */
export function removeRecord(disk: Disk, dir: Dir, name: Buffer): void {
  for (const one of [name, twinOf(name)]) if (disk.find(dir, one)) disk.unlink(dir, one);
}

/** One place where the bytes of a record may be. */
export interface Candidate {
  /** For people: in Eremos' directory, or in words. */
  readonly path: string;
  readonly read: () => Buffer | null;
}

/** `above`: the path of the directory in Eremos', with a slash. */
export function candidatesIn(disk: Disk, dir: Dir, name: Buffer, above: string, maxBytes: number): Candidate[] {
  return [name, twinOf(name)].map((one) => ({
    path: `${above}${one.toString("latin1")}`,
    read: () => readSmallFile(disk, dir, one, maxBytes),
  }));
}

export interface DamagedCopy {
  readonly path: string;
  readonly reason: string;
}

export interface Loaded<T> {
  readonly record: T;
  /** Copies that were missing or damaged, by their path inside Eremos' directory. */
  readonly damaged: readonly DamagedCopy[];
}

/**
 * At least one. @throws EremosError `damaged` | `unknown-version`; system errors where none is whole and one could not
 * be looked at
 */
export function allWhole<T>(
  candidates: readonly Candidate[],
  parse: (bytes: Buffer) => T,
  what: string,
): {
  readonly whole: readonly { readonly record: T; readonly path: string }[];
  readonly damaged: readonly DamagedCopy[];
} {
  const damaged: DamagedCopy[] = [];
  const whole: { record: T; path: string }[] = [];
  let newer: EremosError | null = null;
  let refused: unknown = null;
  let last = null as { readonly bytes: Buffer; readonly record: T } | null;
  for (const { path, read } of candidates) {
    try {
      const bytes = read();
      if (bytes) {
        // A twin has the same bytes, and says the same.
        last = last?.bytes.equals(bytes) ? last : { bytes, record: parse(bytes) };
        whole.push({ record: last.record, path });
      } else damaged.push({ path, reason: "missing" });
    } catch (error) {
      if (error instanceof EremosError && error.code === "unknown-version") newer = error;
      // No right to read it, or no room for one more open file, says nothing of what lies there.
      if (systemCode(error) !== undefined) refused ??= error;
      damaged.push({ path, reason: error instanceof Error ? error.message : "unreadable" });
    }
  }
  if (whole.length > 0) return { whole, damaged };
  if (refused !== null) throw refused;
  throw newer ?? new EremosError("damaged", said("every-copy-is-damaged-or", { what }));
}

/** @throws EremosError `damaged` | `unknown-version` */
export function firstWhole<T>(candidates: readonly Candidate[], parse: (bytes: Buffer) => T, what: string): Loaded<T> {
  const {
    whole: [first],
    damaged,
  } = allWhole(candidates, parse, what);
  if (!first) throw new RangeError("there was none");
  return { record: first.record, damaged };
}

/** The record, from it or its twin; null where there is neither. @throws EremosError `damaged` | `unknown-version` */
export function readTwins<T>(
  disk: Disk,
  dir: Dir,
  name: Buffer,
  maxBytes: number,
  parse: (bytes: Buffer) => T,
  what: string,
): T | null {
  return hasRecord(disk, dir, name)
    ? firstWhole(candidatesIn(disk, dir, name, "", maxBytes), parse, what).record
    : null;
}
