import * as z from "zod";
import { newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import { say } from "@eremos/words/core/format";

/**
 * The file record: says that a folder stands for a single file, which lies beside it while it is open. FORMAT.md §11.
 * It names the file only then, when its name is to be read anyway.
 */
const fileSchema = recordSchema("eremos-file", {
  /** The file's name, base64 of its bytes; null while it is locked. */
  name: z.union([z.string().max(1024), z.null()]),
});
export type FileRecord = z.output<typeof fileSchema>;
export const MAX_FILE_RECORD_BYTES = 8 * 1024;

/** `before`: the record that it takes the place of; what others added to that stays. */
export function writeFileRecord(name: Buffer | null, before: FileRecord | null): Buffer {
  return writeRecord({ ...(before ?? newFrame("eremos-file")), name: name === null ? null : name.toString("base64") });
}

export function nameIn({ name }: FileRecord): Buffer | null {
  return name === null ? null : Buffer.from(name, "base64");
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readFileRecord(bytes: Uint8Array): FileRecord {
  return readRecord(bytes, fileSchema, say("folders-file-record"), MAX_FILE_RECORD_BYTES);
}
