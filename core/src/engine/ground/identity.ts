import { ByteWriter } from "../../format/byte-stream";
import type { Stat } from "../../platform/port";

/** Tells whether a plain entry is still the one that was looked at. */
export interface FileId {
  readonly dev: bigint;
  readonly ino: bigint;
  readonly ctimeNs: bigint;
}

const IDENTITY_BYTES = 24;

/**
 * FileIds of a tree's entries, by the numbers the tree gives them: device u64, inode u64, status time i64; all zero
 * for none. FORMAT.md §8.
 */
export class IdentityWriter {
  private readonly writer = new ByteWriter();

  add(identity: FileId | null): void {
    this.writer.u64(identity?.dev ?? 0n);
    this.writer.u64(identity?.ino ?? 0n);
    this.writer.i64(identity?.ctimeNs ?? 0n);
  }

  finish(): FileIds {
    return new FileIds(this.writer.finish());
  }
}

export class FileIds {
  constructor(readonly bytes: Buffer) {}

  /** Room for `count` entries, none of them known yet. */
  static none(count: number): FileIds {
    return new FileIds(Buffer.alloc(count * IDENTITY_BYTES));
  }

  set(number: number, { dev, ino, ctimeNs }: FileId): void {
    const at = number * IDENTITY_BYTES;
    this.bytes.writeBigUInt64LE(dev, at);
    this.bytes.writeBigUInt64LE(ino, at + 8);
    this.bytes.writeBigInt64LE(ctimeNs, at + 16);
  }

  /** Nothing is known of the entry any more: it counts as changed. */
  forget(number: number): void {
    this.bytes.fill(0, number * IDENTITY_BYTES, (number + 1) * IDENTITY_BYTES);
  }

  of(number: number): FileId {
    const at = number * IDENTITY_BYTES;
    return {
      dev: this.bytes.readBigUInt64LE(at),
      ino: this.bytes.readBigUInt64LE(at + 8),
      ctimeNs: this.bytes.readBigInt64LE(at + 16),
    };
  }

  isKnown(number: number): boolean {
    return (
      (number + 1) * IDENTITY_BYTES <= this.bytes.length &&
      this.bytes.readBigUInt64LE(number * IDENTITY_BYTES + 8) !== 0n
    );
  }

  has(number: number, stat: FileId): boolean {
    const at = number * IDENTITY_BYTES;
    const { bytes } = this;
    return (
      at + IDENTITY_BYTES <= bytes.length &&
      stat.ino === bytes.readBigUInt64LE(at + 8) &&
      stat.ctimeNs === bytes.readBigInt64LE(at + 16) &&
      stat.dev === bytes.readBigUInt64LE(at)
    );
  }
}

export function fileIdOf(stat: Stat): FileId {
  return { dev: stat.dev, ino: stat.ino, ctimeNs: stat.ctimeNs };
}
