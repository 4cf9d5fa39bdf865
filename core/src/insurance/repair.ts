import { fromSystemError, isEremosError } from "../errors/eremos-error";
import { withFile, within } from "../engine/handles";
import { type Hooks, Meter } from "../engine/hooks";
import { NAMES, commitFile, generationName, holdFolder, letGo, loadState, readSmallFile } from "../engine/vault";
import { generationNumbers, readGeneration } from "../format/generation";
import { readHeader } from "../format/header";
import { SHARD_BYTES, shardsOf } from "../format/insurance";
import type { Dir, Disk } from "../platform/port";
import { type GroupFile, Shards, inMemberDir, isShardWhole, readGroups } from "./group-files";
import { parses, renewInsurance } from "./insure";
import { reconstruct } from "./reed-solomon";

const SHARDS_AT_ONCE = 256;

export interface DamagedMember {
  /** In Eremos' directory. */
  readonly path: string;
  /** Bytes that are not what was written, from where to before where. */
  readonly ranges: readonly { readonly from: number; readonly until: number }[];
}

export interface RepairOutcome {
  /** Damaged and, after a repair, whole again. */
  readonly repaired: readonly DamagedMember[];
  /** Damaged beyond what the insurance covers. */
  readonly lost: readonly DamagedMember[];
  /** Damage in the insurance itself, which is written anew. */
  readonly ownDamage: boolean;
  /** Bytes that were looked at. */
  readonly bytes: number;
}

/**
 * Looks at everything the insurance covers, and writes what is damaged anew from parity, byte for byte. Needs no key. `dry`: only looks.
 * What can't be repaired stays as it is. @throws EremosError `not-protected` | `busy` | `no-space` | `io`
 */
export function repairFolder(disk: Disk, path: Buffer, hooks: Hooks, dry = false): RepairOutcome {
  const folder = holdFolder(disk, path, { create: false });
  try {
    return repairVault(disk, folder.vault, hooks, dry);
  } catch (error) {
    throw fromSystemError(error, "repairing the folder from its insurance; what was whole still is");
  } finally {
    letGo(disk, folder);
  }
}

function repairVault(disk: Disk, vault: Dir, hooks: Hooks, dry: boolean): RepairOutcome {
  if (!disk.find(vault, NAMES.insurance)) return { repaired: [], lost: [], ownDamage: false, bytes: 0 };
  return within(disk, disk.openDir(vault, NAMES.insurance), (dir) => {
    const { groups, unreadable } = readGroups(disk, dir);
    const bytes = groups.reduce((sum, { group }) => sum + group.members.reduce((all, { length }) => all + length, 0), 0);
    const meter = new Meter(hooks, "checking", groups.reduce((sum, { group }) => sum + group.members.length, 0), bytes);
    const repaired: DamagedMember[] = restoreRecords(disk, vault, dir, dry);
    const lost: DamagedMember[] = [];
    let ownDamage = unreadable.length > 0;
    for (const one of groups) {
      const look = lookAt(disk, vault, dir, one, meter);
      ownDamage ||= !one.isWhole || look.badParity.size > 0;
      const mended = mendShards(disk, vault, dir, one, look);
      sortOut(disk, vault, one, look, mended, dry, { repaired, lost });
    }
    if (ownDamage && !dry && lost.length === 0) renewInsurance(disk, vault, () => true, true);
    return { repaired, lost, ownDamage, bytes };
  });
}

/** Small records that are damaged or gone, from the copies in the insurance. */
function restoreRecords(disk: Disk, vault: Dir, dir: Dir, dry: boolean): DamagedMember[] {
  const restored: DamagedMember[] = [];
  const restore = (from: Buffer, into: Dir, name: Buffer, shown: string, read: (bytes: Buffer) => unknown): void => {
    const copy = readSmallFile(disk, dir, from);
    if (!copy || !parses(read, copy) || parses(read, readSmallFile(disk, into, name) ?? Buffer.alloc(0))) return;
    if (!dry) commitFile(disk, into, name, copy);
    restored.push({ path: shown, ranges: [] });
  };
  for (const name of [NAMES.header, NAMES.headerCopy]) restore(NAMES.header, vault, name, name.toString(), readHeader);
  const numbers = generationNumbers(disk.list(dir).map((name) => name.toString("latin1")));
  const current = currentOf(disk, vault);
  if (current === null || numbers.length === 0) return restored;
  if (!dry) ensurePath(disk, vault, [NAMES.generations]);
  if (!disk.find(vault, NAMES.generations)) return restored;
  within(disk, disk.openDir(vault, NAMES.generations), (generations) => {
    // One that was let go of since is not missing.
    for (const number of numbers.filter((one) => one === current)) {
      for (const copy of [false, true]) {
        const name = generationName(number, copy);
        restore(generationName(number, false), generations, name, `generations/${name.toString()}`, readGeneration);
      }
    }
  });
  return restored;
}

function currentOf(disk: Disk, vault: Dir): number | null {
  try {
    return loadState(disk, vault)?.generation ?? null;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

interface Look {
  readonly bad: ReadonlySet<number>;
  readonly badParity: ReadonlySet<number>;
  /** Members whose length is another one. */
  readonly wrongLength: ReadonlySet<string>;
}

/** Which shards are not what was written. */
function lookAt(disk: Disk, vault: Dir, dir: Dir, { group, name, blocks }: GroupFile, meter: Meter): Look {
  const bad = new Set<number>();
  const badParity = new Set<number>();
  const wrongLength = new Set<string>();
  const buffer = Buffer.alloc(SHARDS_AT_ONCE * SHARD_BYTES);
  const shards = new Shards(disk, vault, group);
  let first = 0;
  try {
    for (const { path, length } of group.members) {
      const there = lengthOf(disk, vault, path);
      if (there !== length) wrongLength.add(path);
      const count = shardsOf(length);
      for (let at = 0; at < count; at += SHARDS_AT_ONCE) {
        const now = Math.min(SHARDS_AT_ONCE, count - at);
        shards.read(first + at, now, buffer);
        for (let i = 0; i < now; i++) {
          const isCut = (at + i) * SHARD_BYTES + Math.min(SHARD_BYTES, length - (at + i) * SHARD_BYTES) > (there ?? 0);
          if (isCut || !isShardWhole(group, first + at + i, buffer.subarray(i * SHARD_BYTES, (i + 1) * SHARD_BYTES))) bad.add(first + at + i);
        }
        meter.add(0, Math.min(now * SHARD_BYTES, length - at * SHARD_BYTES));
      }
      first += count;
      meter.add(1, 0);
    }
  } finally {
    shards.close();
  }
  withFile(disk, disk.openRead(dir, name), (file) => {
    for (let number = 0; number < group.parity * group.stripes; number++) {
      buffer.fill(0, 0, SHARD_BYTES);
      disk.read(file, buffer, 0, SHARD_BYTES, (blocks + number) * SHARD_BYTES);
      if (!isShardWhole(group, first + number, buffer.subarray(0, SHARD_BYTES))) badParity.add(number);
    }
  });
  return { bad, badParity, wrongLength };
}

function lengthOf(disk: Disk, vault: Dir, path: string): number | null {
  try {
    return inMemberDir(disk, vault, path, (dir, name) => disk.find(dir, name)?.size ?? null);
  } catch {
    return null;
  }
}

/** What each bad shard ought to be, by its number; those of stripes with more damage than parity are missing. */
function mendShards(disk: Disk, vault: Dir, dir: Dir, { group, name, blocks }: GroupFile, { bad, badParity }: Look): ReadonlyMap<number, Buffer> {
  const { data, parity, stripes } = group;
  const mended = new Map<number, Buffer>();
  const byStripe = new Map<number, number[]>();
  for (const number of bad) byStripe.set(number % stripes, [...(byStripe.get(number % stripes) ?? []), number]);
  if (byStripe.size === 0) return mended;
  const all = Buffer.alloc((data + parity) * SHARD_BYTES);
  const shards = new Shards(disk, vault, group);
  try {
    withFile(disk, disk.openRead(dir, name), (file) => {
      for (const [stripe, numbers] of byStripe) {
        const isThere = Array.from({ length: data + parity }, (_, row) => (row < data ? !bad.has(row * stripes + stripe) : !badParity.has((row - data) * stripes + stripe)));
        if (isThere.filter((there) => !there).length > parity) continue;
        for (let row = 0; row < data; row++) shards.read(row * stripes + stripe, 1, all.subarray(row * SHARD_BYTES, (row + 1) * SHARD_BYTES));
        for (let row = 0; row < parity; row++) {
          all.fill(0, (data + row) * SHARD_BYTES, (data + row + 1) * SHARD_BYTES);
          disk.read(file, all, (data + row) * SHARD_BYTES, SHARD_BYTES, (blocks + row * stripes + stripe) * SHARD_BYTES);
        }
        reconstruct(all, data, parity, isThere);
        for (const number of numbers) {
          const row = Math.floor(number / stripes);
          const shard = Buffer.from(all.subarray(row * SHARD_BYTES, (row + 1) * SHARD_BYTES));
          if (isShardWhole(group, number, shard)) mended.set(number, shard);
        }
      }
    });
  } finally {
    shards.close();
  }
  return mended;
}

/** Writes members anew where something of them was mended, and tells which are whole again. */
function sortOut(disk: Disk, vault: Dir, { group }: GroupFile, { bad, wrongLength }: Look, mended: ReadonlyMap<number, Buffer>, dry: boolean, into: { readonly repaired: DamagedMember[]; readonly lost: DamagedMember[] }): void {
  let first = 0;
  for (const { path, length } of group.members) {
    const numbers = Array.from({ length: shardsOf(length) }, (_, i) => first + i).filter((number) => bad.has(number));
    if (numbers.length > 0 || wrongLength.has(path)) {
      const left = numbers.filter((number) => !mended.has(number));
      const damaged = (of: readonly number[]): DamagedMember => ({ path, ranges: rangesOf(of.map((number) => number - first), length) });
      if (left.length === 0) into.repaired.push(damaged(numbers));
      else into.lost.push(damaged(left));
      if (!dry && (left.length < numbers.length || left.length === 0)) rewrite(disk, vault, path, length, (number) => mended.get(first + number) ?? null);
    }
    first += shardsOf(length);
  }
}

function rangesOf(numbers: readonly number[], length: number): DamagedMember["ranges"] {
  const ranges: { from: number; until: number }[] = [];
  for (const number of numbers) {
    const [from, until] = [number * SHARD_BYTES, Math.min(length, (number + 1) * SHARD_BYTES)];
    const last = ranges.at(-1);
    if (last?.until === from) last.until = until;
    else ranges.push({ from, until });
  }
  return ranges;
}

/** Beside, durable, renamed over: at every moment the damaged or the mended one is there. */
function rewrite(disk: Disk, vault: Dir, path: string, length: number, shardAt: (number: number) => Buffer | null): void {
  const [directory = ""] = path.split("/").slice(0, -1).slice(-1);
  if (path.startsWith("packs/")) ensurePath(disk, vault, [NAMES.packs, Buffer.from(directory)]);
  else ensurePath(disk, vault, [NAMES.index]);
  inMemberDir(disk, vault, path, (dir, name) => {
    const beside = Buffer.concat([name, Buffer.from(".new")]);
    if (disk.find(dir, beside)) disk.unlink(dir, beside);
    const old = disk.find(dir, name) ? disk.openRead(dir, name) : null;
    try {
      withFile(disk, disk.create(dir, beside, 0o600), (file) => {
        const buffer = Buffer.alloc(SHARDS_AT_ONCE * SHARD_BYTES);
        for (let number = 0; number < shardsOf(length); number += SHARDS_AT_ONCE) {
          buffer.fill(0);
          if (old) disk.read(old, buffer, 0, buffer.length, number * SHARD_BYTES);
          for (let i = 0; i < SHARDS_AT_ONCE; i++) shardAt(number + i)?.copy(buffer, i * SHARD_BYTES);
          disk.write(file, buffer, 0, Math.min(buffer.length, length - number * SHARD_BYTES), number * SHARD_BYTES);
        }
        disk.syncFile(file);
      });
    } finally {
      if (old) disk.closeFile(old);
    }
    disk.rename(dir, beside, dir, name);
    disk.syncDir(dir);
  });
}

function ensurePath(disk: Disk, vault: Dir, [name, ...rest]: readonly Buffer[]): void {
  if (!name) return;
  if (!disk.find(vault, name)) {
    disk.makeDir(vault, name, 0o700);
    disk.syncDir(vault);
  }
  within(disk, disk.openDir(vault, name), (dir) => ensurePath(disk, dir, rest));
}
