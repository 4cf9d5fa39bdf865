import { EremosError } from "../errors/eremos-error";
import { type DecodedGroup, SHARD_BYTES, SUM_BYTES, decodeGroup, shardsOf, sumOf } from "../format/insurance";
import { dataShard } from "./galois";
import type { Insured, RescueSource } from "./source";

interface Place {
  readonly group: DecodedGroup;
  /** Of the group's file. */
  readonly path: string;
  readonly length: number;
  /** The number of its first shard. */
  readonly first: number;
  readonly members: readonly { readonly path: string; readonly length: number; readonly first: number }[];
}

const DIRECTORY = ".eremos/insurance";

/** Null for a folder that is not insured. What of the insurance is damaged itself is left out. */
export async function insuredOf(source: RescueSource): Promise<Insured | null> {
  const places = new Map<string, Place>();
  for (const name of (await source.list(DIRECTORY)).filter((one) => /^[0-9a-f]{32}$/.test(one))) {
    const group = await readGroup(source, `${DIRECTORY}/${name}`);
    if (!group) continue;
    let first = 0;
    const members = group.group.members.map((member) => {
      const here = { path: `.eremos/${member.path}`, length: member.length, first };
      first += shardsOf(member.length);
      return here;
    });
    for (const { path, length, first: at } of members)
      places.set(path, { group, path: `${DIRECTORY}/${name}`, length, first: at, members });
  }
  return places.size === 0
    ? null
    : {
        size: (file) => places.get(file)?.length ?? null,
        read: (file, offset, length) => readRepaired(source, places.get(file), offset, length),
      };
}

async function readGroup(source: RescueSource, path: string): Promise<DecodedGroup | null> {
  const size = await source.size(path);
  if (size === null) return null;
  const blocks = Math.floor(size / SHARD_BYTES);
  const whole = await source.read(path, 0, blocks * SHARD_BYTES);
  try {
    return decodeGroup(blocks, (number) => whole.subarray(number * SHARD_BYTES, (number + 1) * SHARD_BYTES));
  } catch (error) {
    if (error instanceof EremosError || error instanceof RangeError || error instanceof SyntaxError) return null;
    throw error;
  }
}

async function readRepaired(
  source: RescueSource,
  place: Place | undefined,
  offset: number,
  length: number,
): Promise<Buffer | null> {
  if (!place) return null;
  const end = Math.min(offset + length, place.length);
  const parts: Buffer[] = [];
  for (let at = offset; at < end;) {
    const number = Math.floor(at / SHARD_BYTES);
    const shard = await wholeShard(source, place, place.first + number);
    if (!shard) return null;
    const stop = Math.min(end, (number + 1) * SHARD_BYTES);
    parts.push(shard.subarray(at - number * SHARD_BYTES, stop - number * SHARD_BYTES));
    at = stop;
  }
  return Buffer.concat(parts);
}

async function wholeShard(source: RescueSource, place: Place, number: number): Promise<Buffer | null> {
  const own = await dataAt(source, place, number);
  if (own) return own;
  const { data, parity, stripes } = place.group.group;
  const stripe = number % stripes;
  const shards: (Buffer | null)[] = [];
  for (let row = 0; row < data; row++)
    shards.push(row * stripes + stripe === number ? null : await dataAt(source, place, row * stripes + stripe));
  for (let row = 0; row < parity; row++) shards.push(await parityAt(source, place, row * stripes + stripe));
  const shard = dataShard(shards, data, Math.floor(number / stripes));
  return shard && isWhole(place, number, shard) ? shard : null;
}

/** Null where it is not what was written. Beyond the members there are zeros. */
async function dataAt(source: RescueSource, place: Place, number: number): Promise<Buffer | null> {
  const member = place.members.find(({ first, length }) => number >= first && number < first + shardsOf(length));
  if (!member) return Buffer.alloc(SHARD_BYTES);
  const from = (number - member.first) * SHARD_BYTES;
  const wanted = Math.min(SHARD_BYTES, member.length - from);
  const bytes = await source.read(member.path, from, wanted);
  if (bytes.length < wanted) return null;
  const shard = Buffer.alloc(SHARD_BYTES);
  bytes.copy(shard);
  return isWhole(place, number, shard) ? shard : null;
}

async function parityAt(source: RescueSource, place: Place, number: number): Promise<Buffer | null> {
  const shard = await source.read(place.path, (place.group.blocks + number) * SHARD_BYTES, SHARD_BYTES);
  const data = place.members.reduce((sum, { length }) => sum + shardsOf(length), 0);
  return shard.length === SHARD_BYTES && isWhole(place, data + number, shard) ? shard : null;
}

function isWhole(
  {
    group: {
      group: { sums },
    },
  }: Place,
  number: number,
  shard: Uint8Array,
): boolean {
  return sumOf(shard).equals(sums.subarray(number * SUM_BYTES, (number + 1) * SUM_BYTES));
}
