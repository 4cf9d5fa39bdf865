import {
  type DecodedGroup,
  type Group,
  type GroupDescription,
  type InsuranceLevel,
  SHARD_BYTES,
  SUM_BYTES,
  dataShards,
  decodeGroup,
  encodeGroup,
  shardsOf,
  sumOf,
} from "../format/insurance";
import { newId } from "../format/ids";
import { isEremosError, systemCode } from "../errors/eremos-error";
import { NAMES, withFile, within } from "../engine/ground";
import { readOrLost } from "../engine/records";
import type { Dir, Disk, OpenFile } from "../platform/port";
import { encodeParity } from "./reed-solomon";

/** The group files of a folder's insurance, and the files they cover. Needs no key. */

/** No more of one row is in memory at once. */
const STRIPES_AT_ONCE = 64;

export interface InsuredMember {
  readonly path: string;
  readonly length: number;
}

/** Opens a member; null where it is gone. */
function openMember(disk: Disk, ownDir: Dir, path: string): OpenFile | null {
  try {
    return inMemberDir(disk, ownDir, path, (dir, name) => disk.openRead(dir, name));
  } catch (error) {
    if (systemCode(error) === "ENOENT") return null;
    throw error;
  }
}

export function inMemberDir<T>(disk: Disk, ownDir: Dir, path: string, use: (dir: Dir, name: Buffer) => T): T {
  const parts = path.split("/").map((part) => Buffer.from(part));
  const enter = (dir: Dir, at: number): T => {
    const part = parts[at] ?? Buffer.alloc(0);
    return at === parts.length - 1
      ? use(dir, part)
      : within(disk, disk.openDir(dir, part), (inner) => enter(inner, at + 1));
  };
  return enter(ownDir, 0);
}

/** Every pack and index object that lies in the folder. */
export function membersIn(disk: Disk, ownDir: Dir): InsuredMember[] {
  const members: InsuredMember[] = [];
  const collect = (dir: Dir, above: string): void => {
    for (const name of disk.list(dir)) {
      const path = `${above}${name.toString("latin1")}`;
      const stat = disk.stat(dir, name);
      if (stat.type === "dir") within(disk, disk.openDir(dir, name), (inner) => collect(inner, `${path}/`));
      else if (/^[0-9a-f]{32}$/.test(name.toString("latin1"))) members.push({ path, length: stat.size });
    }
  };
  for (const name of [NAMES.packs, NAMES.index])
    if (disk.find(ownDir, name))
      within(disk, disk.openDir(ownDir, name), (dir) => collect(dir, `${name.toString("latin1")}/`));
  return members.sort((a, b) => (a.path < b.path ? -1 : 1));
}

/** The shards of a group by their number: those of its members, then zeros up to whole rows. */
export class Shards {
  private readonly files: { readonly file: OpenFile | null; readonly first: number; readonly length: number }[] = [];

  /**
   * `isLenient`: what the disk can't read is zeros, too, as what is gone; else that is an error, so that no parity is
   * made of it.
   */
  constructor(
    private readonly disk: Disk,
    ownDir: Dir,
    { members }: Pick<GroupDescription, "members">,
    private readonly isLenient = false,
  ) {
    try {
      let first = 0;
      for (const { path, length } of members) {
        this.files.push({ file: openMember(disk, ownDir, path), first, length });
        first += shardsOf(length);
      }
    } catch (error) {
      this.close();
      throw error;
    }
  }

  /** Consecutive shards from `number` on into `into`; what is not there is zeros. */
  read(number: number, count: number, into: Buffer): void {
    into.fill(0, 0, count * SHARD_BYTES);
    for (let i = this.memberAt(number); i < this.files.length; i++) {
      const { file, first, length } = this.files[i] ?? NO_FILE;
      if (first >= number + count) return;
      const from = Math.max(first, number);
      const until = Math.min(first + shardsOf(length), number + count);
      const wanted = Math.min((until - from) * SHARD_BYTES, length - (from - first) * SHARD_BYTES);
      if (file && wanted > 0)
        this.readFrom(file, into, (from - number) * SHARD_BYTES, wanted, (from - first) * SHARD_BYTES);
    }
  }

  private readFrom(file: OpenFile, into: Buffer, offset: number, length: number, position: number): void {
    if (this.isLenient) readShards(this.disk, file, into, offset, length, position);
    else this.disk.read(file, into, offset, length, position);
  }

  private memberAt(number: number): number {
    let [low, high] = [0, this.files.length - 1];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.files[middle]?.first ?? 0) <= number) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  close(): void {
    for (const { file } of this.files) if (file) this.disk.closeFile(file);
  }
}

/** At once, and one by one where the disk can't; what it can't read even so is zeros. */
export function readShards(
  disk: Disk,
  file: OpenFile,
  into: Buffer,
  offset: number,
  length: number,
  position: number,
): void {
  if (readOrLost(disk, file, into, offset, length, position) >= 0) return;
  for (let at = 0; at < length; at += SHARD_BYTES) {
    const step = Math.min(SHARD_BYTES, length - at);
    if (readOrLost(disk, file, into, offset + at, step, position + at) < 0)
      into.fill(0, offset + at, offset + at + step);
  }
}

const NO_FILE = { file: null, first: 0, length: 0 };

/** Writes parity for these files; returns the name of the group's file. Not durable before the caller's barrier. */
export function writeGroup(
  disk: Disk,
  ownDir: Dir,
  into: Dir,
  { data, parity }: InsuranceLevel,
  members: readonly InsuredMember[],
): Buffer {
  const id = newId();
  const shards = dataShards({ members: [...members] });
  const stripes = Math.max(1, Math.ceil(shards / data));
  const sums = Buffer.alloc((shards + parity * stripes) * SUM_BYTES);
  const group: Group = { data, parity, group: id, stripes, members: [...members], sums };
  const descriptionBytes = encodeGroup(group).length;
  const name = Buffer.from(id);
  const source = new Shards(disk, ownDir, group);
  try {
    withFile(disk, disk.create(into, name, 0o600), (file) => {
      const rows = Buffer.alloc((data + parity) * STRIPES_AT_ONCE * SHARD_BYTES);
      for (let stripe = 0; stripe < stripes; stripe += STRIPES_AT_ONCE) {
        const count = Math.min(STRIPES_AT_ONCE, stripes - stripe);
        const row = count * SHARD_BYTES;
        const batch = rows.subarray(0, (data + parity) * row);
        for (let i = 0; i < data; i++) {
          const first = i * stripes + stripe;
          source.read(first, count, batch.subarray(i * row, (i + 1) * row));
          putSums(sums, first, Math.min(count, shards - first), batch.subarray(i * row, (i + 1) * row));
        }
        encodeParity(batch, data, parity);
        for (let i = 0; i < parity; i++) {
          const part = batch.subarray((data + i) * row, (data + i + 1) * row);
          putSums(sums, shards + i * stripes + stripe, count, part);
          disk.write(file, part, 0, part.length, descriptionBytes + (i * stripes + stripe) * SHARD_BYTES);
        }
      }
      const description = encodeGroup(group);
      disk.write(file, description, 0, description.length, 0);
      disk.write(file, description, 0, description.length, descriptionBytes + parity * stripes * SHARD_BYTES);
    });
    return name;
  } finally {
    source.close();
  }
}

function putSums(sums: Buffer, first: number, count: number, shards: Buffer): void {
  for (let i = 0; i < count; i++)
    sumOf(shards.subarray(i * SHARD_BYTES, (i + 1) * SHARD_BYTES)).copy(sums, (first + i) * SUM_BYTES);
}

export interface GroupFile extends DecodedGroup {
  readonly name: Buffer;
  readonly bytes: number;
}

/** The groups whose description can be read, and the names of those where it can't. */
export function readGroups(
  disk: Disk,
  into: Dir,
): { readonly groups: readonly GroupFile[]; readonly unreadable: readonly Buffer[] } {
  const groups: GroupFile[] = [];
  const unreadable: Buffer[] = [];
  for (const name of disk.list(into).filter((one) => /^[0-9a-f]{32}$/.test(one.toString("latin1")))) {
    try {
      groups.push(
        withFile(disk, disk.openRead(into, name), (file): GroupFile => {
          const { size } = disk.statOpen(file);
          const block = Buffer.alloc(SHARD_BYTES);
          const decoded = decodeGroup(Math.floor(size / SHARD_BYTES), (number) => {
            block.fill(0);
            readShards(disk, file, block, 0, SHARD_BYTES, number * SHARD_BYTES);
            return block;
          });
          return { ...decoded, name, bytes: size };
        }),
      );
    } catch (error) {
      if (!isEremosError(error) && !(error instanceof SyntaxError) && !(error instanceof RangeError)) throw error;
      unreadable.push(name);
    }
  }
  return { groups, unreadable };
}

/** Whether a shard is what was written; `number` counts as the sums do. */
export function isShardWhole({ sums }: Pick<Group, "sums">, number: number, shard: Uint8Array): boolean {
  return sumOf(shard).equals(sums.subarray(number * SUM_BYTES, (number + 1) * SUM_BYTES));
}
