import { equalBytes } from "../../crypto/bytes";
import { fromSystemError, isEremosError, systemCode } from "../../errors/eremos-error";
import {
  type HeldFolder,
  type Hooks,
  Meter,
  NAMES,
  commitFile,
  holdFolder,
  letGo,
  readIfWhole,
  twinOf,
  withFile,
  within,
} from "../ground";
import {
  FolderKeys,
  type LookedAt,
  type OwnerAccess,
  believedOf,
  hashOf,
  insuredName,
  loadManifest,
  loadState,
  mendHead,
  wholeChunks,
  wholeGenerations,
} from "../records";
import { type SealedInput, knownHead } from "../contents";
import {
  type Generation,
  type GenerationRef,
  generationName,
  readGeneration,
  refOf,
  vouchingOf,
} from "../../format/generation";
import { type Manifest, decodeManifest } from "../../format/manifest";
import { type Head, readHeader } from "../../format/header";
import { SHARD_BYTES, shardsOf } from "../../format/insurance";
import type { Dir, Disk, OpenFile } from "../../platform/port";
import {
  type GroupFile,
  Shards,
  inMemberDir,
  isShardWhole,
  mendRecordCopies,
  parses,
  readGroups,
  readShards,
  reconstruct,
  renewInsurance,
} from "../../insurance";
import { said } from "@eremos/words/core/upkeep";

const SHARDS_AT_ONCE = 256;

interface DamagedMember {
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

export type RepairInput = Pick<SealedInput, "path" | "access" | "keptHeader">;

/**
 * Looks at everything the insurance covers, and writes what is damaged anew from parity, byte for byte. Whoever can
 * write to the folder can write an insurance, too: so what comes of it has to be what the states that somebody known
 * stands behind name by its digest, which needs no key. Where the folder's keys are at hand, what can be mended in part
 * is, as long as more of its chunks open than before, and none less. What no state needs is left alone, and what can't
 * be repaired stays as it is.
 * @throws EremosError `not-protected` | `busy` | `unvouched` | `damaged` (a header and all its copies) | `no-space` |
 * `io`
 */
export async function repairFolder(disk: Disk, input: RepairInput, hooks: Hooks): Promise<RepairOutcome> {
  const folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  try {
    const head = knownHead(disk, folder.ownDir, input);
    keys = await keysAtHand(disk, folder.ownDir, head, input.access);
    return repairOwnDir(disk, folder, { head, keys, access: input.access }, hooks);
  } catch (error) {
    throw fromSystemError(error, said("repairing-folder-from-its-insurance"));
  } finally {
    keys?.wipe();
    letGo(disk, folder);
  }
}

/** Null where the folder has a password of its own that is not at hand, or its ways in are damaged. */
async function keysAtHand(disk: Disk, ownDir: Dir, head: Head, access: OwnerAccess): Promise<FolderKeys | null> {
  try {
    return await FolderKeys.open(disk, ownDir, head, access);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

interface Known {
  readonly head: Head;
  readonly keys: FolderKeys | null;
  readonly access: OwnerAccess;
}

function repairOwnDir(disk: Disk, folder: HeldFolder, known: Known, hooks: Hooks): RepairOutcome {
  const { ownDir } = folder;
  if (!disk.find(ownDir, NAMES.insurance)) return { repaired: [], lost: [], ownDamage: false, bytes: 0 };
  return within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) => {
    const { groups, unreadable } = readGroups(disk, dir);
    const bytes = groups.reduce(
      (sum, { group }) => sum + group.members.reduce((all, { length }) => all + length, 0),
      0,
    );
    const meter = new Meter(
      hooks,
      "checking",
      groups.reduce((sum, { group }) => sum + group.members.length, 0),
      bytes,
    );
    const repaired: DamagedMember[] = restoreRecords(disk, folder, dir, known);
    repaired.push(...mendRecordCopies(disk, ownDir, dir).map((name) => ({ path: `insurance/${name}`, ranges: [] })));
    const lost: DamagedMember[] = [];
    let ownDamage = unreadable.length > 0;
    const trust = new Trust(disk, ownDir, known);
    // Indexes first: they tell which packs are needed.
    const isOfPacks = ({ group }: GroupFile): number =>
      group.members.some(({ path }) => path.startsWith("packs/")) ? 1 : 0;
    for (const one of [...groups].sort((a, b) => isOfPacks(a) - isOfPacks(b))) {
      const look = lookAt(disk, ownDir, dir, one, meter);
      const mended = mendShards(disk, ownDir, dir, one, look);
      const isWrong = sortOut(disk, ownDir, one, look, mended, trust, { repaired, lost });
      ownDamage ||= isWrong || !one.isWhole || look.badParity.size > 0;
    }
    if (ownDamage && lost.length === 0) renewInsurance(disk, ownDir, () => true, true);
    return { repaired, lost, ownDamage, bytes };
  });
}

/** What the folder's states, and its own keys, say of the objects that an insurance names. */
class Trust {
  /**
   * By the manifests of every state that somebody known stands behind; null where one of them, or of the records, can't
   * be read.
   */
  private readonly named: Manifest | null;

  constructor(
    private readonly disk: Disk,
    private readonly ownDir: Dir,
    private readonly known: Known,
  ) {
    this.named = this.namedByStates();
  }

  /** Whether an object's file is what it ought to be, and, by the keys, which chunks of it are. */
  look(file: OpenFile, path: string): LookedAt {
    const { head, keys } = this.known;
    const its = this.named?.get(objectOf(path));
    if (
      its &&
      this.disk.statOpen(file).size === its.length &&
      equalBytes(hashOf(this.disk, file, its.length), its.digest)
    )
      return WHOLE;
    if (!keys) return NOTHING_WHOLE;
    const looked = wholeChunks(
      this.disk,
      file,
      { kind: path.startsWith("index/") ? "index" : "pack", folder: head.header.folder, object: objectOf(path) },
      (name) => keys.content(name),
    );
    // Every chunk opens, and it is not what the state was made with: somebody else's who has the key, or damage in the
    // beginning.
    return its ? { whole: looked.whole, isWhole: false } : looked;
  }

  /** Null where it is gone. */
  lookAt(path: string): LookedAt | null {
    try {
      return inMemberDir(this.disk, this.ownDir, path, (dir, name) =>
        withFile(this.disk, this.disk.openRead(dir, name), (file) => this.look(file, path)),
      );
    } catch (error) {
      if (systemCode(error) === "ENOENT") return null;
      throw error;
    }
  }

  /**
   * Whether a state of the folder needs an object; with its keys also where that can't be told, since a record is lost.
   */
  needs(path: string): boolean {
    return this.named ? this.named.has(objectOf(path)) : this.known.keys !== null;
  }

  private namedByStates(): Manifest | null {
    const { records, unreadable } = wholeGenerations(this.disk, this.ownDir);
    const vouched = records.filter(
      (record) => vouchingOf(record, believedOf(this.known.access), this.known.head) !== "unknown",
    );
    if (unreadable.length > 0 || vouched.length === 0) return null;
    try {
      return new Map(vouched.flatMap(({ manifest }) => [...loadManifest(this.disk, this.ownDir, manifest).record]));
    } catch (error) {
      if (isEremosError(error)) return null;
      throw error;
    }
  }
}

const WHOLE: LookedAt = { whole: new Set(), isWhole: true };
const NOTHING_WHOLE: LookedAt = { whole: new Set(), isWhole: false };

function objectOf(path: string): string {
  return path.slice(path.lastIndexOf("/") + 1);
}

/**
 * Small records that are damaged or gone: the header that somebody known stands behind, and the present state's record
 * and manifest, if they do so behind the insurance's copy.
 */
function restoreRecords(disk: Disk, folder: HeldFolder, dir: Dir, { head, access }: Known): DamagedMember[] {
  const { ownDir } = folder;
  const restored: DamagedMember[] = [];
  const restore = (copy: Buffer, into: Dir, name: Buffer, above: string, read: (bytes: Buffer) => unknown): void => {
    for (const one of [name, twinOf(name)]) {
      if (parses(read, readIfWhole(disk, into, one) ?? Buffer.alloc(0))) continue;
      commitFile(disk, into, one, copy);
      restored.push({ path: `${above}${one.toString("latin1")}`, ranges: [] });
    }
  };
  const broken = [NAMES.header, twinOf(NAMES.header)].filter(
    (name) => !parses(readHeader, readIfWhole(disk, ownDir, name) ?? Buffer.alloc(0)),
  );
  mendHead(disk, folder, head);
  restored.push(...broken.map((name) => ({ path: name.toString("latin1"), ranges: [] })));
  const current = currentOf(disk, ownDir);
  const name = current && generationName(current);
  const copy = name === null ? null : readIfWhole(disk, dir, insuredName("generations", name));
  const record = copy && recordOf(copy);
  if (
    !copy ||
    !record ||
    name === null ||
    generationName(refOf(record)) !== name ||
    vouchingOf(record, believedOf(access), head) === "unknown"
  )
    return restored;
  ensurePath(disk, ownDir, [NAMES.generations]);
  within(disk, disk.openDir(ownDir, NAMES.generations), (generations) =>
    restore(copy, generations, Buffer.from(name), "generations/", readGeneration),
  );
  const manifest = readIfWhole(disk, dir, insuredName("manifests", record.manifest));
  const isIt = (bytes: Buffer): unknown => decodeManifest(bytes, record.manifest);
  if (!manifest || !parses(isIt, manifest)) return restored;
  ensurePath(disk, ownDir, [NAMES.manifests]);
  within(disk, disk.openDir(ownDir, NAMES.manifests), (manifests) =>
    restore(manifest, manifests, Buffer.from(record.manifest), "manifests/", isIt),
  );
  return restored;
}

function recordOf(bytes: Buffer): Generation | null {
  try {
    return readGeneration(bytes);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

function currentOf(disk: Disk, ownDir: Dir): GenerationRef | null {
  try {
    return loadState(disk, ownDir)?.generation ?? null;
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
function lookAt(disk: Disk, ownDir: Dir, dir: Dir, { group, name, blocks }: GroupFile, meter: Meter): Look {
  const bad = new Set<number>();
  const badParity = new Set<number>();
  const wrongLength = new Set<string>();
  const buffer = Buffer.alloc(SHARDS_AT_ONCE * SHARD_BYTES);
  const shards = new Shards(disk, ownDir, group, true);
  let first = 0;
  try {
    for (const { path, length } of group.members) {
      const there = lengthOf(disk, ownDir, path);
      if (there !== length) wrongLength.add(path);
      const count = shardsOf(length);
      for (let at = 0; at < count; at += SHARDS_AT_ONCE) {
        const now = Math.min(SHARDS_AT_ONCE, count - at);
        shards.read(first + at, now, buffer);
        for (let i = 0; i < now; i++) {
          const isCut = (at + i) * SHARD_BYTES + Math.min(SHARD_BYTES, length - (at + i) * SHARD_BYTES) > (there ?? 0);
          if (isCut || !isShardWhole(group, first + at + i, buffer.subarray(i * SHARD_BYTES, (i + 1) * SHARD_BYTES)))
            bad.add(first + at + i);
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
      readShards(disk, file, buffer, 0, SHARD_BYTES, (blocks + number) * SHARD_BYTES);
      if (!isShardWhole(group, first + number, buffer.subarray(0, SHARD_BYTES))) badParity.add(number);
    }
  });
  return { bad, badParity, wrongLength };
}

function lengthOf(disk: Disk, ownDir: Dir, path: string): number | null {
  try {
    return inMemberDir(disk, ownDir, path, (dir, name) => disk.find(dir, name)?.size ?? null);
  } catch {
    return null;
  }
}

/** What each bad shard ought to be, by its number; those of stripes with more damage than parity are missing. */
function mendShards(
  disk: Disk,
  ownDir: Dir,
  dir: Dir,
  { group, name, blocks }: GroupFile,
  { bad, badParity }: Look,
): ReadonlyMap<number, Buffer> {
  const { data, parity, stripes } = group;
  const mended = new Map<number, Buffer>();
  const byStripe = new Map<number, number[]>();
  for (const number of bad) byStripe.set(number % stripes, [...(byStripe.get(number % stripes) ?? []), number]);
  if (byStripe.size === 0) return mended;
  const all = Buffer.alloc((data + parity) * SHARD_BYTES);
  const shards = new Shards(disk, ownDir, group, true);
  try {
    withFile(disk, disk.openRead(dir, name), (file) => {
      for (const [stripe, numbers] of byStripe) {
        const isThere = Array.from({ length: data + parity }, (_, row) =>
          row < data ? !bad.has(row * stripes + stripe) : !badParity.has((row - data) * stripes + stripe),
        );
        if (isThere.filter((there) => !there).length > parity) continue;
        for (let row = 0; row < data; row++)
          shards.read(row * stripes + stripe, 1, all.subarray(row * SHARD_BYTES, (row + 1) * SHARD_BYTES));
        for (let row = 0; row < parity; row++) {
          all.fill(0, (data + row) * SHARD_BYTES, (data + row + 1) * SHARD_BYTES);
          readShards(
            disk,
            file,
            all,
            (data + row) * SHARD_BYTES,
            SHARD_BYTES,
            (blocks + row * stripes + stripe) * SHARD_BYTES,
          );
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

/**
 * Writes members anew where something of them was mended, and tells which are whole again. Returns whether the group
 * says what is not so.
 */
function sortOut(
  disk: Disk,
  ownDir: Dir,
  { group }: GroupFile,
  { bad, wrongLength }: Look,
  mended: ReadonlyMap<number, Buffer>,
  trust: Trust,
  into: { readonly repaired: DamagedMember[]; readonly lost: DamagedMember[] },
): boolean {
  let first = 0;
  let isWrong = false;
  for (const { path, length } of group.members) {
    const start = first;
    first += shardsOf(length);
    const numbers = Array.from({ length: shardsOf(length) }, (_, i) => start + i).filter((number) => bad.has(number));
    if (numbers.length === 0 && !wrongLength.has(path)) continue;
    const before = trust.lookAt(path);
    if (before?.isWhole || !trust.needs(path)) {
      isWrong = true;
      continue;
    }
    const left = numbers.filter((number) => !mended.has(number));
    const damaged = (of: readonly number[]): DamagedMember => ({
      path,
      ranges: rangesOf(
        of.map((number) => number - start),
        length,
      ),
    });
    const isWorthWriting = left.length < numbers.length || left.length === 0;
    const after = isWorthWriting
      ? rewrite(
          disk,
          ownDir,
          path,
          length,
          (number) => mended.get(start + number) ?? null,
          (file) => better(before, trust.look(file, path)),
        )
      : null;
    if (after?.isWhole) into.repaired.push(damaged(numbers));
    else into.lost.push(damaged(after && left.length > 0 ? left : numbers));
  }
  return isWrong;
}

/** More of it is what was encrypted there, and nothing less. */
function better(before: LookedAt | null, after: LookedAt): LookedAt | null {
  const had = before?.whole ?? new Set<number>();
  return after.isWhole || (after.whole.size > had.size && [...had].every((chunk) => after.whole.has(chunk)))
    ? after
    : null;
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

/**
 * Beside, durable, looked at, renamed over: at every moment the damaged or the mended one is there. Null, and nothing
 * changed, where `judge` finds it no better.
 */
function rewrite(
  disk: Disk,
  ownDir: Dir,
  path: string,
  length: number,
  shardAt: (number: number) => Buffer | null,
  judge: (file: OpenFile) => LookedAt | null,
): LookedAt | null {
  const [directory = ""] = path.split("/").slice(0, -1).slice(-1);
  if (path.startsWith("packs/")) ensurePath(disk, ownDir, [NAMES.packs, Buffer.from(directory)]);
  else ensurePath(disk, ownDir, [NAMES.index]);
  return inMemberDir(disk, ownDir, path, (dir, name) => {
    const beside = Buffer.concat([name, Buffer.from(".new")]);
    if (disk.find(dir, beside)) disk.unlink(dir, beside);
    const old = disk.find(dir, name) ? disk.openRead(dir, name) : null;
    try {
      withFile(disk, disk.create(dir, beside, 0o600), (file) => {
        const buffer = Buffer.alloc(SHARDS_AT_ONCE * SHARD_BYTES);
        for (let number = 0; number < shardsOf(length); number += SHARDS_AT_ONCE) {
          buffer.fill(0);
          if (old) readShards(disk, old, buffer, 0, buffer.length, number * SHARD_BYTES);
          for (let i = 0; i < SHARDS_AT_ONCE; i++) shardAt(number + i)?.copy(buffer, i * SHARD_BYTES);
          disk.write(file, buffer, 0, Math.min(buffer.length, length - number * SHARD_BYTES), number * SHARD_BYTES);
        }
        disk.syncFile(file);
      });
    } finally {
      if (old) disk.closeFile(old);
    }
    const judged = withFile(disk, disk.openRead(dir, beside), judge);
    if (judged) disk.rename(dir, beside, dir, name);
    else disk.unlink(dir, beside);
    disk.syncDir(dir);
    return judged;
  });
}

function ensurePath(disk: Disk, ownDir: Dir, [name, ...rest]: readonly Buffer[]): void {
  if (!name) return;
  if (!disk.find(ownDir, name)) {
    disk.makeDir(ownDir, name, 0o700);
    disk.syncDir(ownDir);
  }
  within(disk, disk.openDir(ownDir, name), (dir) => ensurePath(disk, dir, rest));
}
