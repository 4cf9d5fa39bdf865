import type { Extent, Meta } from "../format/tree";

/** Where a file's data lies, in a pack's plaintext. */
export interface FileData {
  readonly object: string;
  /** Plaintext bytes of the pack, where they are known. */
  readonly packLength: number | null;
  /** What the pack's file begins with, and the SHA-256 of it, where they are known. */
  readonly header: Buffer | null;
  readonly digest: Buffer | null;
  readonly offset: number;
  readonly length: number;
}

export interface RescuedEntry {
  readonly kind: "dir" | "file" | "link";
  /** Names from the folder down. */
  readonly path: readonly Buffer[];
  readonly meta: Meta;
  readonly size: number;
  /** Of a link. */
  readonly target: Buffer | null;
  /** Files with the same number above 0 are one file under several names. */
  readonly linkGroup: number;
  /** Where data lies in a file with holes, else null. */
  readonly extents: readonly Extent[] | null;
  readonly data: FileData | null;
}
