import { type EremosError, damage } from "../errors/eremos-error";
import { sha256 } from "../crypto/bytes";
import { OBJECT_KINDS, type ObjectKind } from "./object";
import { said } from "@eremos/words/core/format";

/**
 * The manifest of a generation: every object it needs, how long its file is, and the SHA-256 of that. The generation,
 * which is signed, names it by its digest: so whoever knows the owner's public key checks, copies and repairs a folder
 * without any key to its contents. FORMAT.md §7.
 *
 *   "EREMOSM2" (8) ‖ count u32 ‖ count × (object id 16 ‖ kind u8 ‖ length of the file u64 ‖ SHA-256 32), sorted by
 * object id
 */
const MAGIC = Buffer.from("EREMOSM2", "latin1");
const HEAD_BYTES = MAGIC.length + 4;
const ENTRY_BYTES = 16 + 1 + 8 + 32;
export const MAX_MANIFEST_BYTES = 1024 * 1024 * 1024;

export interface ManifestEntry {
  readonly object: string;
  readonly kind: ObjectKind;
  /** Of the whole file, in bytes. */
  readonly length: number;
  /** SHA-256 of the whole file. */
  readonly digest: Buffer;
}

export type Manifest = ReadonlyMap<string, ManifestEntry>;

export function encodeManifest(entries: Iterable<ManifestEntry>): { readonly bytes: Buffer; readonly digest: string } {
  const sorted = [...entries].sort((a, b) => (a.object < b.object ? -1 : 1));
  const bytes = Buffer.alloc(HEAD_BYTES + sorted.length * ENTRY_BYTES);
  MAGIC.copy(bytes);
  bytes.writeUInt32LE(sorted.length, MAGIC.length);
  sorted.forEach(({ object, kind, length, digest }, i) => {
    const at = HEAD_BYTES + i * ENTRY_BYTES;
    bytes.write(object, at, "hex");
    bytes.writeUInt8(OBJECT_KINDS[kind], at + 16);
    bytes.writeBigUInt64LE(BigInt(length), at + 17);
    digest.copy(bytes, at + 25);
  });
  return { bytes, digest: manifestDigest(bytes) };
}

export function manifestDigest(bytes: Uint8Array): string {
  return sha256(bytes).toString("hex");
}

const KINDS: ReadonlyMap<number, ObjectKind> = new Map(
  Object.entries(OBJECT_KINDS).map(([kind, number]) => [number, kind as ObjectKind]),
);

/** @throws EremosError `damaged` where it is not the manifest of this digest */
export function decodeManifest(bytes: Buffer, digest: string): Manifest {
  const count =
    bytes.length >= HEAD_BYTES && bytes.subarray(0, MAGIC.length).equals(MAGIC) ? bytes.readUInt32LE(MAGIC.length) : -1;
  if (count < 0 || bytes.length !== HEAD_BYTES + count * ENTRY_BYTES || manifestDigest(bytes) !== digest)
    throw damagedManifest();
  const entries = new Map<string, ManifestEntry>();
  let before = "";
  for (let at = HEAD_BYTES; at < bytes.length; at += ENTRY_BYTES) {
    const object = bytes.subarray(at, at + 16).toString("hex");
    const kind = KINDS.get(bytes.readUInt8(at + 16));
    const length = Number(bytes.readBigUInt64LE(at + 17));
    if (!kind || object <= before || !Number.isSafeInteger(length)) throw damagedManifest();
    entries.set(object, { object, kind, length, digest: bytes.subarray(at + 25, at + ENTRY_BYTES) });
    before = object;
  }
  return entries;
}

function damagedManifest(): EremosError {
  return damage(said("list-what-this-state-folder"));
}
