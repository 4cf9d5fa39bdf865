import { z } from "zod";
import { idSchema } from "./ids";
import { readRecord, writeRecord } from "./record-file";

/** One file that was put into a locked folder by somebody who can't open it. FORMAT.md §12. */
const text = z.string().max(16_384);
const dropSchema = z.strictObject({
  format: z.literal("eremos-drop"),
  version: z.literal(1),
  folder: idSchema,
  /** The name of its key, which is sealed to the folder's public key. */
  key: idSchema,
  sealed: z.strictObject({ enc: text, ct: text }),
  object: idSchema,
  /** Of the object's plaintext, in bytes. */
  length: z.int().nonnegative(),
  /** When it arrived, by the clock of whoever put it there; milliseconds since 1970. */
  at: z.int().nonnegative(),
});
export type DropRecord = z.output<typeof dropSchema>;

export function writeDrop(record: DropRecord): Buffer {
  return writeRecord(record);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readDrop(bytes: Uint8Array): DropRecord {
  return readRecord(bytes, dropSchema, "record of a file that was put in", 64 * 1024);
}
