import * as z from "zod";
import { equalBytes, sha256 } from "../crypto/bytes";
import { EremosError } from "../errors/eremos-error";
import { idBytes, idSchema } from "./ids";
import { newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import { said, say } from "@eremos/words/core/format";

/**
 * Insurance: Reed-Solomon parity over what a sealed folder consists of, so that damage up to a chosen amount is
 * repaired byte for byte, without any key. FORMAT.md §13.
 *
 * A group covers some files. Laid one after the other, each filled up with zeros to whole shards, they make `data` rows
 * of `stripes` shards each (the last row filled up likewise); stripe s consists of the s-th shard of each row, and has
 * `parity` shards of parity. So a burst that is no longer than a row touches each stripe once.
 */
export const SHARD_BYTES = 4096;
/** Of SHA-256: for finding damage, not for proving anything. */
export const SUM_BYTES = 8;

const rows = { data: z.int().min(1).max(200), parity: z.int().min(1).max(55) };
const levelSchema = recordSchema("eremos-insurance", rows);
/** How much a folder is insured: of each `data` + `parity` shards of a stripe, any `parity` may be lost. */
export interface InsuranceLevel {
  readonly data: number;
  readonly parity: number;
}
export type LevelRecord = z.output<typeof levelSchema>;

/** `before`: the record that it takes the place of; what others added to that stays. */
export function writeLevel({ data, parity }: InsuranceLevel, before: LevelRecord | null): Buffer {
  return writeRecord({ ...newFrame("eremos-insurance"), ...before, data, parity });
}

/** @throws EremosError `damaged` */
export function readLevel(bytes: Uint8Array): LevelRecord {
  return readRecord(bytes, levelSchema, say("insurances-level"), MAX_LEVEL_BYTES);
}

export const MAX_LEVEL_BYTES = 4096;

/** A file of Eremos' directory by its path in it; never leads out of it. */
const memberPath = z
  .string()
  .max(200)
  .regex(/^(packs\/[0-9a-f]{2}|index)\/[0-9a-f]{32}$/);
const descriptionSchema = z.strictObject({
  ...rows,
  group: idSchema,
  stripes: z.int().min(1),
  members: z.array(z.strictObject({ path: memberPath, length: z.int().min(0) })).min(1),
});
export type GroupDescription = z.output<typeof descriptionSchema>;

/** A group, and the sums of all its shards: those of the members in order, then those of the parity, row by row. */
export interface Group extends GroupDescription {
  readonly sums: Buffer;
}

export function shardsOf(length: number): number {
  return Math.ceil(length / SHARD_BYTES);
}

/** Shards of all members together. */
export function dataShards({ members }: Pick<GroupDescription, "members">): number {
  return members.reduce((sum, { length }) => sum + shardsOf(length), 0);
}

export function sumOf(shard: Uint8Array): Buffer {
  return sha256(shard).subarray(0, SUM_BYTES);
}

/**
 * The description is cut into blocks as long as shards, each of which is known by itself, and stands at the beginning
 * and at the end of the group's file: of each block one copy is enough.
 *
 *   block: "EREMOSI2" (8) ‖ group id (16) ‖ number (4) ‖ count (4) ‖ part of the description (4,032) ‖ SHA-256 of these
 * (32)
 */
const MAGIC = Buffer.from("EREMOSI2");
const PART_AT = 32;
const PART_BYTES = SHARD_BYTES - PART_AT - 32;

export function encodeGroup({ sums, ...description }: Group): Buffer {
  const text = Buffer.from(JSON.stringify(descriptionSchema.parse(description)), "utf8");
  const length = Buffer.alloc(4);
  length.writeUInt32LE(text.length);
  const whole = Buffer.concat([length, text, sums]);
  const count = Math.ceil(whole.length / PART_BYTES);
  const out = Buffer.alloc(count * SHARD_BYTES);
  for (let number = 0; number < count; number++) {
    const block = out.subarray(number * SHARD_BYTES, (number + 1) * SHARD_BYTES);
    MAGIC.copy(block);
    idBytes(description.group).copy(block, 8);
    block.writeUInt32LE(number, 24);
    block.writeUInt32LE(count, 28);
    whole.copy(block, PART_AT, number * PART_BYTES, (number + 1) * PART_BYTES);
    sha256(block.subarray(0, PART_AT + PART_BYTES)).copy(block, PART_AT + PART_BYTES);
  }
  return out;
}

export interface DecodedGroup {
  readonly group: Group;
  /** Blocks of one copy of its description. */
  readonly blocks: number;
  /** Every block of both copies is whole. */
  readonly isWhole: boolean;
}

/**
 * From all blocks of the file, read by `blockAt`, of which there are `blocks`. @throws EremosError `damaged` when a
 * part is whole in neither copy
 */
export function decodeGroup(blocks: number, blockAt: (number: number) => Uint8Array): DecodedGroup {
  const parts: Buffer[] = [];
  let count = 0;
  let found = 0;
  for (let at = 0; at < blocks; at++) {
    // Parity begins with anything; a description stands at both ends only.
    if (count > 0 && at >= count && at < blocks - count) continue;
    const block = Buffer.from(blockAt(at));
    if (
      !block.subarray(0, 8).equals(MAGIC) ||
      !equalBytes(sha256(block.subarray(0, PART_AT + PART_BYTES)), block.subarray(PART_AT + PART_BYTES))
    )
      continue;
    count = block.readUInt32LE(28);
    found++;
    parts[block.readUInt32LE(24)] ??= block.subarray(PART_AT, PART_AT + PART_BYTES);
  }
  if (count === 0 || parts.length !== count || Array.from({ length: count }).some((_, i) => parts[i] === undefined))
    throw damagedGroup();
  const whole = Buffer.concat(parts);
  const textLength = whole.readUInt32LE(0);
  const parsed = descriptionSchema.safeParse(JSON.parse(whole.subarray(4, 4 + textLength).toString("utf8")));
  if (!parsed.success) throw damagedGroup();
  const shards = dataShards(parsed.data) + parsed.data.parity * parsed.data.stripes;
  const sums = whole.subarray(4 + textLength, 4 + textLength + shards * SUM_BYTES);
  if (
    sums.length !== shards * SUM_BYTES ||
    parsed.data.stripes !== Math.ceil(dataShards(parsed.data) / parsed.data.data)
  )
    throw damagedGroup();
  return { group: { ...parsed.data, sums }, blocks: count, isWhole: found === 2 * count };
}

function damagedGroup(): EremosError {
  return new EremosError("damaged", said("part-this-folders-insurance-is"));
}
