import type { Decrypt } from "../format/object";

/**
 * Where a locked folder is read from: a directory on this disk, or files that somebody chose in a browser. Paths lead
 * from the folder down, names joined by slashes; only what Eremos itself keeps in `.eremos` is asked for, whose names
 * are plain ASCII.
 */
export interface RescueSource {
  /** Names in a directory; none where there is no such directory. */
  list(directory: string): Promise<readonly string[]>;
  /** Bytes, or null where there is no such file. */
  size(file: string): Promise<number | null>;
  /** Fewer where the file ends, none where it is missing or the disk can't read it. */
  read(file: string, offset: number, length: number): Promise<Buffer>;
  /**
   * Inode and birth of Eremos' directory, as state records name their place; null, or missing, where that can't be
   * told.
   */
  readonly place?: string | null;
  /** Where the folder is insured: what is damaged, as it ought to be. */
  readonly insured?: Insured | null;
  /** Where the platform has a faster cipher than Node's functions are there. */
  readonly decrypt?: Decrypt;
}

/**
 * What an insured folder's objects ought to be, byte for byte, as far as its parity reaches. Paths as {@link
 * RescueSource}'s.
 */
export interface Insured {
  /** Bytes it ought to have; null where it is not insured. */
  size(file: string): number | null;
  /** Null where it is damaged beyond the parity, or not insured. */
  read(file: string, offset: number, length: number): Promise<Buffer | null>;
}

/** No record is longer. FORMAT.md §2.4. */
const MOST_RECORD_BYTES = 64 * 1024 * 1024;

/** A small file whole, or null. */
export async function readWhole(source: RescueSource, file: string, most = MOST_RECORD_BYTES): Promise<Buffer | null> {
  const size = await source.size(file);
  return size === null || size > most ? null : source.read(file, 0, size);
}
