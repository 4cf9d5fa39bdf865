import { EremosError, fromSystemError, isUnreadable, systemCode } from "../errors/eremos-error";
import {
  type HeldFolder,
  NAMES,
  closeFolder,
  commitFile,
  commitRecord,
  displayPath,
  ensureDir,
  holdFolder,
  holdsBytes,
  letGo,
  openFolder,
  readTwins,
  within,
} from "../engine/ground";
import { isInsuredRecord, loadState, recordsToInsure } from "../engine/records";
import {
  type InsuranceLevel,
  type LevelRecord,
  MAX_LEVEL_BYTES,
  SHARD_BYTES,
  dataShards,
  readLevel,
  shardsOf,
  writeLevel,
} from "../format/insurance";
import type { Dir, Disk } from "../platform/port";
import { type GroupFile, type InsuredMember, membersIn, readGroups, writeGroup } from "./group-files";
import { said, say } from "@eremos/words/core/insurance";

/** A group covers no more than this: what changes in a large folder costs parity for no more of it. */
const MOST_GROUP_BYTES = 256 * 1024 * 1024;
/** Smaller groups are brought together when there is something new to cover. */
const SMALL_GROUP_BYTES = 64 * 1024 * 1024;
/** Everything needs the index: up to this, it comes back whole even where nothing of it is left. */
const MOST_DOUBLED_BYTES = 1024 * 1024;
const DOUBLED_ROWS = 20;

/** How much a folder is insured; null: not at all. */
function insuranceOf(disk: Disk, ownDir: Dir): LevelRecord | null {
  if (!disk.find(ownDir, NAMES.insurance)) return null;
  return within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) => levelOrNull(disk, dir));
}

/** A level that can't be read insures nothing new; what there is still repairs. */
function levelOrNull(disk: Disk, dir: Dir): LevelRecord | null {
  try {
    return readTwins(disk, dir, NAMES.level, MAX_LEVEL_BYTES, readLevel, say("insurances-level"));
  } catch (error) {
    if (error instanceof EremosError) return null;
    throw error;
  }
}

/**
 * Insures a sealed folder, more or less than before, or (null) no more. Needs no key. @throws EremosError
 * `not-protected` | `not-locked` | `busy` | `no-space`
 */
export function setInsurance(disk: Disk, path: Buffer, level: InsuranceLevel | null): void {
  const folder = holdFolder(disk, path, { create: false });
  try {
    requireSealed(disk, folder);
    if (level) {
      const before = insuranceOf(disk, folder.ownDir);
      within(disk, ensureDir(disk, folder.ownDir, NAMES.insurance), (dir) =>
        commitRecord(disk, dir, NAMES.level, writeLevel(level, before)),
      );
      disk.syncDir(folder.ownDir);
      renewInsurance(disk, folder.ownDir, () => true, before?.data !== level.data || before.parity !== level.parity);
    } else if (disk.find(folder.ownDir, NAMES.insurance)) {
      within(disk, disk.openDir(folder.ownDir, NAMES.insurance), (dir) => {
        // Without its level it is none; whatever is cut off here is none, either.
        for (const name of [NAMES.level, ...disk.list(dir)]) if (disk.find(dir, name)) disk.unlink(dir, name);
      });
      disk.removeDir(folder.ownDir, NAMES.insurance);
      disk.syncDir(folder.ownDir);
    }
  } catch (error) {
    throw fromSystemError(error, said("changing-folders-insurance-folder-itself"));
  } finally {
    letGo(disk, folder);
  }
}

function requireSealed(disk: Disk, folder: HeldFolder): void {
  const state = loadState(disk, folder.ownDir);
  if (!state)
    throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(folder.path) }));
  if (state.state !== "sealed")
    throw new EremosError("not-locked", said("is-not-locked-now-nothing", { path: displayPath(folder.path) }));
}

/**
 * Covers what is not covered yet of the objects that stay, brings small groups together, and lets groups go whose
 * members went. What is new is durable before anything goes: call it before objects are removed. Does nothing where the
 * folder is not insured. `anew`: every group.
 */
export function renewInsurance(disk: Disk, ownDir: Dir, stays: (hex: string) => boolean, anew = false): void {
  const level = insuranceOf(disk, ownDir);
  if (!level) return;
  const staying = membersIn(disk, ownDir).filter(({ path }) => stays(path.slice(path.lastIndexOf("/") + 1)));
  within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) => {
    copyRecords(disk, ownDir, dir);
    const { groups } = readGroups(disk, dir);
    const known = new Map(staying.map((member) => [member.path, member.length]));
    const whole = anew
      ? []
      : groups.filter(
          ({ group, isWhole }) => isWhole && group.members.every(({ path, length }) => known.get(path) === length),
        );
    const kept: Buffer[] = [];
    const written: Buffer[] = [];
    // Indexes change with every lock, and are covered apart from what need not.
    for (const kind of ["index/", "packs/"]) {
      const members = staying.filter(({ path }) => path.startsWith(kind));
      const its = whole.filter(({ group }) => group.members.every(({ path }) => path.startsWith(kind)));
      const covered = pathsOf(its);
      const stay = members.every(({ path }) => covered.has(path))
        ? its
        : its.filter(({ group }) => dataShards(group) * SHARD_BYTES >= SMALL_GROUP_BYTES);
      const done = pathsOf(stay);
      kept.push(...stay.map(({ name }) => name));
      written.push(
        ...groupsFor(members.filter(({ path }) => !done.has(path))).map((some) =>
          writeGroup(disk, ownDir, dir, kind === "index/" ? levelOfIndex(some, level) : level, some),
        ),
      );
    }
    if (written.length > 0) disk.barrier(dir);
    removeOthers(disk, dir, [...kept, ...written]);
  });
}

/**
 * {@link renewInsurance} after a lock or a change, which it never fails: what can't be written now (no room, say)
 * leaves a folder that is insured in part, as {@link insuranceFacts} tells, until the next time. False where the disk
 * can't read what is insured: the groups that are there repair it, as long as their members stay.
 */
export function keepInsured(disk: Disk, ownDir: Dir, stays: (hex: string) => boolean): boolean {
  try {
    renewInsurance(disk, ownDir, stays);
    return true;
  } catch (error) {
    if (!(error instanceof EremosError) && systemCode(error) === undefined) throw error;
    return !isUnreadable(error);
  }
}

function levelOfIndex(members: readonly InsuredMember[], level: InsuranceLevel): InsuranceLevel {
  const shards = dataShards({ members: [...members] });
  const rows = Math.min(shards, DOUBLED_ROWS);
  return shards * SHARD_BYTES <= MOST_DOUBLED_BYTES ? { data: rows, parity: rows } : level;
}

function pathsOf(groups: readonly GroupFile[]): ReadonlySet<string> {
  return new Set(groups.flatMap(({ group }) => group.members.map(({ path }) => path)));
}

/** In the order of their paths, which is no order: what was written together need not lie together. */
function groupsFor(members: readonly InsuredMember[]): InsuredMember[][] {
  const groups: InsuredMember[][] = [];
  let bytes = Number.POSITIVE_INFINITY;
  for (const member of members) {
    const length = shardsOf(member.length) * SHARD_BYTES;
    if (bytes + length > MOST_GROUP_BYTES) {
      groups.push([]);
      bytes = 0;
    }
    groups.at(-1)?.push(member);
    bytes += length;
  }
  return groups;
}

function removeOthers(disk: Disk, dir: Dir, kept: readonly Buffer[]): void {
  for (const name of disk.list(dir)) {
    if (/^[0-9a-f]{32}$/.test(name.toString("latin1")) && !kept.some((one) => one.equals(name))) disk.unlink(dir, name);
  }
}

/**
 * The small records are replicated instead: they change, and are whole or nothing. A copy goes when what it is of is
 * gone.
 */
function copyRecords(disk: Disk, ownDir: Dir, dir: Dir): void {
  const copied = new Set<string>();
  for (const { name, read } of recordsToInsure(disk, ownDir)) {
    copied.add(name.toString("latin1"));
    const bytes = read();
    if (bytes) copyTo(disk, dir, name, bytes);
  }
  for (const name of disk.list(dir)) {
    const shown = name.toString("latin1");
    if (isInsuredRecord(shown) && !copied.has(shown)) disk.unlink(dir, name);
  }
}

/**
 * The insurance's own copies of records, where they are damaged or missing and the record is whole. Returns the names
 * of those that were.
 */
export function mendRecordCopies(disk: Disk, ownDir: Dir, dir: Dir): string[] {
  return recordsToInsure(disk, ownDir).flatMap(({ name, read }) => {
    const bytes = read();
    if (!bytes || holdsBytes(disk, dir, name, bytes)) return [];
    commitFile(disk, dir, name, bytes);
    return [name.toString("latin1")];
  });
}

/** Whether a record is whole. */
export function parses(read: (bytes: Buffer) => unknown, bytes: Buffer): boolean {
  try {
    read(bytes);
    return true;
  } catch (error) {
    if (error instanceof EremosError) return false;
    throw error;
  }
}

function copyTo(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  if (!holdsBytes(disk, dir, name, bytes)) commitFile(disk, dir, name, bytes);
}

/** What the insurance of a folder is worth, in the person's terms. */
export interface InsuranceFacts {
  readonly level: InsuranceLevel;
  /** Bytes that it covers, and bytes it takes on disk. */
  readonly covers: number;
  readonly costs: number;
  /** Damage of up to so many bytes in one place of one file is repaired. */
  readonly burst: number;
  /** So many damaged places of up to 4 KB each are repaired, wherever they are. */
  readonly scattered: number;
  /** Bytes that no group covers. */
  readonly uncovered: number;
}

/** Of a folder that is insured; else null. */
function insuranceFacts(disk: Disk, ownDir: Dir): InsuranceFacts | null {
  const level = insuranceOf(disk, ownDir);
  if (!level) return null;
  const { groups } = within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) => readGroups(disk, dir));
  const covered = pathsOf(groups);
  const sum = (members: readonly InsuredMember[]): number => members.reduce((bytes, { length }) => bytes + length, 0);
  return {
    level,
    covers: sum(groups.flatMap(({ group }) => group.members)),
    costs: groups.reduce((bytes, one) => bytes + one.bytes, 0),
    burst: Math.min(...groups.filter(({ group }) => group.parity < group.data).map(burstOf), Number.MAX_SAFE_INTEGER),
    scattered: level.parity,
    uncovered: sum(membersIn(disk, ownDir).filter(({ path }) => !covered.has(path))),
  };
}

export function isInsured(disk: Disk, path: Buffer): boolean {
  const folder = openFolder(disk, path);
  try {
    return folder.ownDir !== null && insuranceOf(disk, folder.ownDir) !== null;
  } finally {
    closeFolder(disk, folder);
  }
}

/** {@link insuranceFacts} by the folder's path. @throws EremosError `not-found` | `no-permission` */
export function insuranceFactsOf(disk: Disk, path: Buffer): InsuranceFacts | null {
  const folder = openFolder(disk, path);
  try {
    return folder.ownDir && insuranceFacts(disk, folder.ownDir);
  } finally {
    closeFolder(disk, folder);
  }
}

/** A burst that begins anywhere touches one shard more than it fills. */
function burstOf({ group: { parity, stripes } }: Pick<GroupFile, "group">): number {
  return (parity * stripes - 1) * SHARD_BYTES + 1;
}

export interface Priced {
  /** What it would take on disk. */
  readonly costs: number;
  readonly burst: number;
  readonly scattered: number;
}

/** What a level would cost and survive for so many bytes of sealed data. */
export function priceOf(bytes: number, { data, parity }: InsuranceLevel): Priced {
  const shards = Math.max(1, shardsOf(bytes));
  const inGroup = Math.min(shards, MOST_GROUP_BYTES / SHARD_BYTES);
  const stripes = Math.ceil(inGroup / data);
  return {
    costs: Math.ceil(shards / data) * parity * SHARD_BYTES,
    burst: (parity * stripes - 1) * SHARD_BYTES + 1,
    scattered: parity,
  };
}
