import { damage } from "../errors/eremos-error";
import { said } from "@eremos/words/core/format";

const FIRST_BYTES = 16 * 1024;
const TWO_32 = 4_294_967_296;

function viewOf(bytes: Buffer): DataView {
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
}

/** Appends little-endian fields to a growing buffer. */
export class ByteWriter {
  private bytes = Buffer.alloc(FIRST_BYTES);
  private view = viewOf(this.bytes);
  length = 0;

  private room(extra: number): void {
    if (this.length + extra <= this.bytes.length) return;
    const grown = Buffer.alloc(Math.max(this.bytes.length * 2, this.length + extra));
    this.bytes.copy(grown, 0, 0, this.length);
    this.bytes = grown;
    this.view = viewOf(grown);
  }

  u8(value: number): void {
    this.room(1);
    this.view.setUint8(this.length, value);
    this.length += 1;
  }
  u16(value: number): void {
    this.room(2);
    this.view.setUint16(this.length, value, true);
    this.length += 2;
  }
  u32(value: number): void {
    this.room(4);
    this.view.setUint32(this.length, value, true);
    this.length += 4;
  }
  /** A safe integer as u64. */
  size(value: number): void {
    this.room(8);
    this.view.setUint32(this.length, value % TWO_32, true);
    this.view.setUint32(this.length + 4, Math.floor(value / TWO_32), true);
    this.length += 8;
  }
  u64(value: bigint): void {
    this.room(8);
    this.view.setBigUint64(this.length, value, true);
    this.length += 8;
  }
  i64(value: bigint): void {
    this.room(8);
    this.view.setBigInt64(this.length, value, true);
    this.length += 8;
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
  /** A u16 length, then UTF-8. */
  text(value: string): void {
    if (value === "") return this.u16(0);
    this.short(Buffer.from(value, "utf8"));
  }
  /** Leaves `count` bytes to be filled in later; returns where they are. */
  reserve(count: number): number {
    this.room(count);
    const at = this.length;
    this.length += count;
    return at;
  }
  putU8(value: number, at: number): void {
    this.view.setUint8(at, value);
  }
  putU32(value: number, at: number): void {
    this.view.setUint32(at, value, true);
  }
  /** Starts again in the same memory; what `finish` gave is overwritten from now on. */
  reset(): void {
    this.length = 0;
  }
  /** What was written, without a copy. */
  finish(): Buffer {
    return this.bytes.subarray(0, this.length);
  }
}

/** Reads little-endian fields; running past the end is damage, never a crash. */
export class ByteReader {
  private readonly view: DataView;

  constructor(
    private readonly bytes: Buffer,
    public position = 0,
  ) {
    this.view = viewOf(bytes);
  }

  private take(count: number): number {
    const at = this.position;
    if (at + count > this.bytes.length) throw damage(said("part-this-folders-index-ends"));
    this.position = at + count;
    return at;
  }

  u8(): number {
    return this.view.getUint8(this.take(1));
  }
  u16(): number {
    return this.view.getUint16(this.take(2), true);
  }
  u32(): number {
    return this.view.getUint32(this.take(4), true);
  }
  u64(): bigint {
    return this.view.getBigUint64(this.take(8), true);
  }
  /** A u64 that must be a safe integer (a length or an offset). */
  size(): number {
    const at = this.take(8);
    const value = this.view.getUint32(at, true) + this.view.getUint32(at + 4, true) * TWO_32;
    if (value > Number.MAX_SAFE_INTEGER) throw damage(said("part-this-folders-index-holds"));
    return value;
  }
  i64(): bigint {
    return this.view.getBigInt64(this.take(8), true);
  }
  /** A view of the bytes, without a copy. */
  raw(count: number): Buffer {
    const at = this.take(count);
    return this.bytes.subarray(at, at + count);
  }
  short(): Buffer {
    return this.raw(this.u16());
  }
}
