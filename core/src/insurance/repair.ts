import { toBase64 } from "../crypto/bytes";
import { EremosError, fromSystemError, isEremosError, systemCode } from "../errors/eremos-error";
import { withFile, within } from "../engine/handles";
import { type Hooks, Meter } from "../engine/hooks";
import { type FolderKeys, type OwnerAccess, devicesOf } from "../engine/keys";
import { loadTree } from "../engine/load-tree";
import { type LookedAt, wholeChunks } from "../engine/object-io";
import { type SealedInput, openHeaders } from "../engine/open-sealed";
import {
  NAMES,
  commitFile,
  generationName,
  holdFolder,
  letGo,
  loadGeneration,
  loadState,
  readSmallFile,
} from "../engine/vault";
import { type Generation, generationNumbers, readGeneration, vouchingOf } from "../format/generation";
import { type FolderHeader, readHeader, writeHeader } from "../format/header";
import { SHARD_BYTES, shardsOf } from "../format/insurance";
import type { Dir, Disk, OpenFile } from "../platform/port";
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

export type RepairInput = Pick<SealedInput, "path" | "access" | "keptHeader">;

/**
 * Looks at everything the insurance covers, and writes what is damaged anew from parity, byte for byte. Whoever can write to the folder can write an insurance, too: so what
 * the folder's keys find whole is never replaced, nothing is put in a damaged one's place but what they find whole in more of its parts, and what is gone comes back only
 * where a state of the folder needs it. What can't be repaired stays as it is.
 * @throws EremosError `not-protected` | `busy` | `unvouched` | `needs-folder-password` | `damaged` (a header and all its copies) | `no-space` | `io`
 */
export async function repairFolder(disk: Disk, input: RepairInput, hooks: Hooks): Promise<RepairOutcome> {
  const folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  try {
    const { header, ...opened } = await openHeaders(disk, folder.vault, input.keptHeader, input.access);
    ({ keys } = opened);
    if (keys.standing === "unknown")
      throw new EremosError(
        "unvouched",
        "Nobody known stands behind this folder, so nothing of it is repaired. Nothing was changed; bring its files out with `eremos rescue`.",
        { what: "key" },
      );
    return repairVault(disk, folder.vault, { header, keys, access: input.access }, hooks);
  } catch (error) {
    throw fromSystemError(error, "repairing the folder from its insurance; what was whole still is");
  } finally {
    keys?.wipe();
    letGo(disk, folder);
  }
}

interface Known {
  readonly header: FolderHeader;
  readonly keys: FolderKeys;
  readonly access: OwnerAccess;
}

function repairVault(disk: Disk, vault: Dir, known: Known, hooks: Hooks): RepairOutcome {
  if (!disk.find(vault, NAMES.insurance)) return { repaired: [], lost: [], ownDamage: false, bytes: 0 };
  return within(disk, disk.openDir(vault, NAMES.insurance), (dir) => {
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
    const repaired: DamagedMember[] = restoreRecords(disk, vault, dir, known);
    const lost: DamagedMember[] = [];
    let ownDamage = unreadable.length > 0;
    const trust = new Trust(disk, vault, known);
    // Indexes first: they tell which packs are needed.
    const isOfPacks = ({ group }: GroupFile): number =>
      group.members.some(({ path }) => path.startsWith("packs/")) ? 1 : 0;
    for (const one of [...groups].sort((a, b) => isOfPacks(a) - isOfPacks(b))) {
      const look = lookAt(disk, vault, dir, one, meter);
      const mended = mendShards(disk, vault, dir, one, look);
      const isWrong = sortOut(disk, vault, one, look, mended, trust, { repaired, lost });
      ownDamage ||= isWrong || !one.isWhole || look.badParity.size > 0;
    }
    if (ownDamage && lost.length === 0) renewInsurance(disk, vault, () => true, true);
    return { repaired, lost, ownDamage, bytes };
  });
}

/** What the folder's own keys and states say of the objects that an insurance names. */
class Trust {
  private named: ReadonlySet<string> | "unknown" | null = null;

  constructor(
    private readonly disk: Disk,
    private readonly vault: Dir,
    private readonly known: Known,
  ) {}

  /** Which chunks of an object's file are what was encrypted there. */
  look(file: OpenFile, path: string): LookedAt {
    const { header, keys } = this.known;
    return wholeChunks(
      this.disk,
      file,
      {
        kind: path.startsWith("index/") ? "index" : "pack",
        folder: header.folder,
        object: toBase64(Buffer.from(path.slice(-32), "hex")),
      },
      (name) => keys.content(name),
    );
  }

  /** Null where it is gone. */
  lookAt(path: string): LookedAt | null {
    try {
      return inMemberDir(this.disk, this.vault, path, (dir, name) =>
        withFile(this.disk, this.disk.openRead(dir, name), (file) => this.look(file, path)),
      );
    } catch (error) {
      if (systemCode(error) === "ENOENT") return null;
      throw error;
    }
  }

  /** Whether a state of the folder needs an object; also where that can't be told, since an index is lost. */
  needs(path: string): boolean {
    const { generations, isWhole } = this.states();
    const hex = path.slice(-32);
    if (path.startsWith("index/")) return !isWhole || generations.some(({ index }) => hexOf(index.object) === hex);
    this.named ??= isWhole ? this.packsOf(generations) : "unknown";
    return this.named === "unknown" || this.named.has(hex);
  }

  private packsOf(generations: readonly Generation[]): ReadonlySet<string> | "unknown" {
    try {
      return new Set(
        generations.flatMap((generation) =>
          loadTree(this.disk, this.vault, generation, this.known.keys)
            .tree.packs()
            .map(({ object }) => hexOf(object)),
        ),
      );
    } catch (error) {
      if (isEremosError(error)) return "unknown";
      throw error;
    }
  }

  private states(): { readonly generations: readonly Generation[]; readonly isWhole: boolean } {
    const generations: Generation[] = [];
    let isWhole = true;
    const numbers = this.disk.find(this.vault, NAMES.generations)
      ? within(this.disk, this.disk.openDir(this.vault, NAMES.generations), (dir) =>
          generationNumbers(this.disk.list(dir).map((name) => name.toString("latin1"))),
        )
      : [];
    for (const number of new Set(numbers)) {
      try {
        generations.push(loadGeneration(this.disk, this.vault, number).record);
      } catch (error) {
        if (!isEremosError(error)) throw error;
        isWhole = false;
      }
    }
    return { generations, isWhole: isWhole && generations.length > 0 };
  }
}

function hexOf(object: string): string {
  return Buffer.from(object, "base64url").toString("hex");
}

/** Small records that are damaged or gone: the header that somebody known stands behind, and the present state's record, if they do so behind the insurance's copy. */
function restoreRecords(disk: Disk, vault: Dir, dir: Dir, { header, keys, access }: Known): DamagedMember[] {
  const restored: DamagedMember[] = [];
  const restore = (copy: Buffer, into: Dir, name: Buffer, shown: string, read: (bytes: Buffer) => unknown): void => {
    if (parses(read, readSmallFile(disk, into, name) ?? Buffer.alloc(0))) return;
    commitFile(disk, into, name, copy);
    restored.push({ path: shown, ranges: [] });
  };
  for (const name of [NAMES.header, NAMES.headerCopy])
    restore(writeHeader(header), vault, name, name.toString(), readHeader);
  const current = currentOf(disk, vault);
  const copy = current === null ? null : readSmallFile(disk, dir, generationName(current, false));
  const isOurs = (bytes: Buffer): boolean => {
    const record = readGeneration(bytes);
    return (
      record.folder === header.folder &&
      record.generation === current &&
      vouchingOf(record, keys.folderKey, devicesOf(access)) !== "unvouched"
    );
  };
  let isVouched = false;
  if (!copy || current === null || !parses((bytes) => (isVouched = isOurs(bytes)), copy) || !isVouched) return restored;
  ensurePath(disk, vault, [NAMES.generations]);
  within(disk, disk.openDir(vault, NAMES.generations), (generations) => {
    for (const isCopy of [false, true]) {
      const name = generationName(current, isCopy);
      restore(copy, generations, name, `generations/${name.toString()}`, readGeneration);
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
function mendShards(
  disk: Disk,
  vault: Dir,
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
  const shards = new Shards(disk, vault, group);
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
          disk.read(
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

/** Writes members anew where something of them was mended, and tells which are whole again. Returns whether the group says what is not so. */
function sortOut(
  disk: Disk,
  vault: Dir,
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
    if (before?.isWhole || (!before && !trust.needs(path))) {
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
          vault,
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

/** Beside, durable, looked at, renamed over: at every moment the damaged or the mended one is there. Null, and nothing changed, where `judge` finds it no better. */
function rewrite(
  disk: Disk,
  vault: Dir,
  path: string,
  length: number,
  shardAt: (number: number) => Buffer | null,
  judge: (file: OpenFile) => LookedAt | null,
): LookedAt | null {
  const [directory = ""] = path.split("/").slice(0, -1).slice(-1);
  if (path.startsWith("packs/")) ensurePath(disk, vault, [NAMES.packs, Buffer.from(directory)]);
  else ensurePath(disk, vault, [NAMES.index]);
  return inMemberDir(disk, vault, path, (dir, name) => {
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
    const judged = withFile(disk, disk.openRead(dir, beside), judge);
    if (judged) disk.rename(dir, beside, dir, name);
    else disk.unlink(dir, beside);
    disk.syncDir(dir);
    return judged;
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
