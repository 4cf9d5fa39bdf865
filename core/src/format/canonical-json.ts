import { sha256 } from "../crypto/bytes";

/**
 * Canonical JSON (RFC 8785) for the values these records hold: strings, safe integers, booleans, null, arrays, objects.
 * Authentication codes, signatures and checksums are taken over these bytes. FORMAT.md §2.4.
 */
export type Json = string | number | boolean | null | readonly Json[] | { readonly [key: string]: Json | undefined };

export function canonicalJson(value: Json): Buffer {
  return Buffer.from(canonicalText(value), "utf8");
}

function canonicalText(value: Json): string {
  if (typeof value === "number" && !Number.isSafeInteger(value))
    throw new RangeError("canonical JSON holds safe integers only");
  if (value === null || typeof value !== "object") return JSON.stringify(value);
  if (isList(value)) return `[${value.map(canonicalText).join(",")}]`;
  const members = Object.entries(value)
    .filter((member): member is [string, Json] => member[1] !== undefined)
    .sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0))
    .map(([key, item]) => `${JSON.stringify(key)}:${canonicalText(item)}`);
  return `{${members.join(",")}}`;
}

function isList(value: object): value is readonly Json[] {
  return Array.isArray(value);
}

/** The first 8 bytes of SHA-256 over the canonical JSON, in hexadecimal: tells damage from a wrong password. */
export function checksumOf(value: Json): string {
  return sha256(canonicalJson(value)).subarray(0, 8).toString("hex");
}
