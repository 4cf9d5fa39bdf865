import type { z } from "zod";
import { EremosError } from "../errors/eremos-error";
import { type Json, checksumOf } from "./canonical-json";

/** Small JSON records (owner, header, generation, key, state) share one frame: indented text with a checksum. FORMAT.md §2.4. */
export type Checked<T> = T & { readonly checksum: string };

export function withChecksum<T extends Json & object>(record: T): Checked<T> {
  return { ...record, checksum: checksumOf(record) };
}

export function writeRecord(record: Json & object): Buffer {
  return Buffer.from(`${JSON.stringify(withChecksum(record), null, 2)}\n`, "utf8");
}

const MAX_RECORD_BYTES = 16 * 1024 * 1024;

/** Parses and checks one record. Unknown versions and damage are told apart. @throws EremosError `damaged` | `unknown-version` */
export function readRecord<S extends z.ZodType>(
  bytes: Uint8Array,
  schema: S,
  what: string,
  maxBytes = MAX_RECORD_BYTES,
): z.output<S> {
  if (bytes.length > maxBytes) throw damaged(what, "it is too large");
  let value: unknown;
  try {
    value = JSON.parse(Buffer.from(bytes).toString("utf8"));
  } catch {
    throw damaged(what, "it is not readable JSON");
  }
  if (typeof value !== "object" || value === null) throw damaged(what, "it is not a record");
  const { checksum, ...record } = value as Record<string, Json>;
  if (typeof record["version"] === "number" && record["version"] > 1) {
    throw new EremosError(
      "unknown-version",
      `The ${what} was written by a newer Eremos (version ${record["version"]}). Nothing was changed; update Eremos to open it.`,
    );
  }
  if (!isCanonical(record) || checksum !== checksumOf(record)) throw damaged(what, "its checksum does not match");
  const parsed = schema.safeParse(record);
  if (!parsed.success) throw damaged(what, "a field is missing or malformed");
  return parsed.data;
}

function isCanonical(record: Record<string, Json>): boolean {
  try {
    checksumOf(record);
    return true;
  } catch {
    return false;
  }
}

function damaged(what: string, why: string): EremosError {
  return new EremosError("damaged", `The ${what} is damaged: ${why}.`);
}
