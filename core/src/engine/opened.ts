import { EremosError } from "../errors/eremos-error";
import { type Span, TreeReader, sourceOf } from "../format/tree";
import { Identities } from "./identity";

/**
 * While a folder is open, a file beside its sealed copy remembers what was sealed and which plain file it became: the index's
 * plaintext; the identities of its entries; then offset and length of the folder record and the index's length, u64 each. It is
 * gone when the folder locks. FORMAT.md §8.
 */
const TRAILER_BYTES = 24;

export function writeOpened(index: Buffer, record: Span, identities: Identities): Buffer {
  const trailer = Buffer.alloc(TRAILER_BYTES);
  trailer.writeBigUInt64LE(BigInt(record.offset), 0);
  trailer.writeBigUInt64LE(BigInt(record.length), 8);
  trailer.writeBigUInt64LE(BigInt(index.length), 16);
  return Buffer.concat([index, identities.bytes, trailer]);
}

/** @throws EremosError `damaged` */
export function readOpened(bytes: Buffer): { readonly tree: TreeReader; readonly identities: Identities } {
  const end = bytes.length - TRAILER_BYTES;
  if (end < 0) throw new EremosError("damaged", "The record of what was sealed is too short.");
  const [offset = 0, length = 0, indexLength = 0] = [0, 8, 16].map((at) => Number(bytes.readBigUInt64LE(end + at)));
  return {
    tree: new TreeReader(sourceOf(bytes.subarray(0, indexLength)), { offset, length }),
    identities: new Identities(bytes.subarray(indexLength, end)),
  };
}
