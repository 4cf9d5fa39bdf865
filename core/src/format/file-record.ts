import { z } from "zod";
import { readRecord, writeRecord } from "./record-file";

/**
 * The file record: says that a folder stands for a single file, which lies beside it while it is open. FORMAT.md §11. It names the file only
 * then, when its name is to be read anyway.
 */
const fileSchema = z.strictObject({
  format: z.literal("eremos-file"),
  version: z.literal(1),
  /** The file's name, base64 of its bytes; null while it is locked. */
  name: z.union([z.string().max(1024), z.null()]),
});

export function writeFileRecord(name: Buffer | null): Buffer {
  return writeRecord({ format: "eremos-file", version: 1, name: name === null ? null : name.toString("base64") });
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readFileRecord(bytes: Uint8Array): { readonly name: Buffer | null } {
  const { name } = readRecord(bytes, fileSchema, "folder's file record", 16 * 1024);
  return { name: name === null ? null : Buffer.from(name, "base64") };
}
