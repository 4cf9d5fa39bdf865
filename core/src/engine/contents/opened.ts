import { damage } from "../../errors/eremos-error";
import { type Span, TreeReader, sourceOf } from "../../format/tree";
import { FileIds } from "../ground";
import { said } from "@eremos/words/core/contents";

/**
 * While a folder is open, a file beside its sealed copy remembers what was sealed and which plain file it became: the
 * index's plaintext; the identities of its entries; then offset and length of the folder record, the index's length,
 * and 1 where names were held in another form (else 0), u64 each. It is gone when the folder locks. FORMAT.md §8.
 */
const TRAILER_BYTES = 32;

export function writeOpened(index: Buffer, record: Span, identities: FileIds, hasHeldNames: boolean): Buffer {
  const trailer = Buffer.alloc(TRAILER_BYTES);
  trailer.writeBigUInt64LE(BigInt(record.offset), 0);
  trailer.writeBigUInt64LE(BigInt(record.length), 8);
  trailer.writeBigUInt64LE(BigInt(index.length), 16);
  trailer.writeBigUInt64LE(hasHeldNames ? 1n : 0n, 24);
  return Buffer.concat([index, identities.bytes, trailer]);
}

/** @throws EremosError `damaged` */
export function readOpened(bytes: Buffer): {
  readonly tree: TreeReader;
  readonly identities: FileIds;
  readonly hasHeldNames: boolean;
} {
  const end = bytes.length - TRAILER_BYTES;
  if (end < 0) throw damage(said("record-what-was-sealed-is"));
  const [offset = 0, length = 0, indexLength = 0, held = 0] = [0, 8, 16, 24].map((at) =>
    Number(bytes.readBigUInt64LE(end + at)),
  );
  return {
    tree: new TreeReader(sourceOf(bytes.subarray(0, indexLength)), { offset, length }),
    identities: new FileIds(bytes.subarray(indexLength, end)),
    hasHeldNames: held === 1,
  };
}
