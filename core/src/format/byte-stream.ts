import { EremosError } from "../errors/eremos-error";

const FIRST_BYTES = 64 * 1024;

/** Appends little-endian fields to a growing buffer. */
export class ByteWriter {
  private bytes = Buffer.alloc(FIRST_BYTES);
  length = 0;

  private room(extra: number): void {
    if (this.length + extra <= this.bytes.length) return;
    const grown = Buffer.alloc(Math.max(this.bytes.length * 2, this.length + extra));
    this.bytes.copy(grown, 0, 0, this.length);
    this.bytes = grown;
  }

  u8(value: number): void {
    this.room(1);
    this.length = this.bytes.writeUInt8(value, this.length);
  }
  u16(value: number): void {
    this.room(2);
    this.length = this.bytes.writeUInt16LE(value, this.length);
  }
  u32(value: number): void {
    this.room(4);
    this.length = this.bytes.writeUInt32LE(value, this.length);
  }
  u64(value: number | bigint): void {
    this.room(8);
    this.length = this.bytes.writeBigUInt64LE(BigInt(value), this.length);
  }
  i64(value: bigint): void {
    this.room(8);
    this.length = this.bytes.writeBigInt64LE(value, this.length);
  }
  raw(value: Uint8Array): void {
    this.room(value.length);
    this.bytes.set(value, this.length);
    this.length += value.length;
  }
  /** A u16 length, then the bytes. */
  short(value: Uint8Array): void {
    if (value.length > 0xffff) throw new RangeError(`value of ${value.length} bytes does not fit a 16-bit length`);
    this.u16(value.length);
    this.raw(value);
  }
  /** What was written, without a copy; the writer is spent. */
  finish(): Buffer {
    return this.bytes.subarray(0, this.length);
  }
}

/** Reads little-endian fields; running past the end is damage, never a crash. */
export class ByteReader {
  constructor(private readonly bytes: Buffer, public position = 0) {}

  private take(count: number): number {
    const at = this.position;
    if (at + count > this.bytes.length) throw new EremosError("damaged", "A part of this folder's index ends too early.");
    this.position = at + count;
    return at;
  }

  u8(): number {
    return this.bytes.readUInt8(this.take(1));
  }
  u16(): number {
    return this.bytes.readUInt16LE(this.take(2));
  }
  u32(): number {
    return this.bytes.readUInt32LE(this.take(4));
  }
  u64(): bigint {
    return this.bytes.readBigUInt64LE(this.take(8));
  }
  /** A u64 that must be a safe integer (a length or an offset). */
  size(): number {
    const value = this.u64();
    if (value > BigInt(Number.MAX_SAFE_INTEGER)) throw new EremosError("damaged", "A part of this folder's index holds an impossible length.");
    return Number(value);
  }
  i64(): bigint {
    return this.bytes.readBigInt64LE(this.take(8));
  }
  raw(count: number): Buffer {
    const at = this.take(count);
    return Buffer.from(this.bytes.subarray(at, at + count));
  }
  short(): Buffer {
    return this.raw(this.u16());
  }
}
