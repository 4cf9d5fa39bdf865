import { createHash, randomFillSync, timingSafeEqual } from "node:crypto";

const POOL_BYTES = 8192;
let pool = Buffer.alloc(0);
let poolUsed = 0;

/** `length` bytes from the operating system's generator, drawn through a pool because each call to it is dear. */
export function randomBytes(length: number): Buffer {
  if (!Number.isInteger(length) || length < 1) throw new RangeError(`length must be a positive integer, got ${length}`);
  if (length > POOL_BYTES) return randomFillSync(Buffer.alloc(length));
  if (poolUsed + length > pool.length) {
    pool = randomFillSync(Buffer.alloc(POOL_BYTES));
    poolUsed = 0;
  }
  const bytes = Buffer.from(pool.subarray(poolUsed, poolUsed + length));
  pool.fill(0, poolUsed, poolUsed + length);
  poolUsed += length;
  return bytes;
}

export function sha256(...parts: readonly Uint8Array[]): Buffer {
  const hash = createHash("sha256");
  for (const part of parts) hash.update(part);
  return hash.digest();
}

export function equalBytes(a: Uint8Array, b: Uint8Array): boolean {
  return a.length === b.length && timingSafeEqual(a, b);
}

/**
 * A key that was wiped is all zeros: whatever is sealed, maced or derived with it, everybody could open, and its owner
 * never again. Every use of a secret goes through here. @throws TypeError
 */
export function requireLiveKey(key: Uint8Array): void {
  if (key.length > 0 && key.every((byte) => byte === 0)) throw new TypeError("key: it was wiped, so it is not used");
}

/**
 * What goes to native code goes in the lengths that it writes and reads, which nothing there looks at. @throws
 * RangeError
 */
export function requireLength(bytes: Uint8Array, least: number, what: string, most = least): void {
  if (bytes.length < least || bytes.length > most)
    throw new RangeError(`${what}: ${bytes.length} bytes where ${least} are needed`);
}

/** Overwrites key material in memory. Call in `finally`; the owner of a buffer wipes it. */
export function wipe(...buffers: readonly (Uint8Array | undefined | null)[]): void {
  for (const buffer of buffers) buffer?.fill(0);
}

export function toBase64(bytes: Uint8Array): string {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString("base64url");
}

/** @throws RangeError when the text is not base64url of `length` bytes (any length when omitted). */
export function fromBase64(text: string, length?: number): Buffer {
  if (!/^[A-Za-z0-9_-]*$/.test(text)) throw new RangeError("not base64url text");
  const bytes = Buffer.from(text, "base64url");
  if (length !== undefined && bytes.length !== length)
    throw new RangeError(`expected ${length} bytes, got ${bytes.length}`);
  return bytes;
}
