import { requireLength } from "./bytes";

/** AES-256-GCM with one key over many chunks, each with a nonce of its own and a tag of 16 bytes behind it. */
export interface ChunkCipher {
  /** Writes ciphertext ‖ tag into `out`, which has room for 16 bytes more than `plain`. */
  seal(nonce: Uint8Array, plain: Uint8Array, out: Uint8Array): void;
  /** Writes the plaintext into `out`; false when it is not what was sealed. Then `out` is not to be used. */
  open(nonce: Uint8Array, sealed: Uint8Array, out: Uint8Array): boolean;
  wipe(): void;
}

/**
 * A short digest of contents that only those can compute who have the key: AES-256-GMAC with a nonce of zeros. It tells
 * whether two contents are the same without reading both; it proves nothing to anybody, since every holder of the key
 * can make contents for it. It is kept encrypted. FORMAT.md §5.7.
 */
export interface Fingerprint {
  start(): void;
  add(piece: Uint8Array): void;
  /** 16 bytes. */
  finish(): Buffer;
  wipe(): void;
}

/** What a platform may do faster than Node's own objects. Keys stay the caller's. */
export interface Ciphers {
  cipher(key: Uint8Array): ChunkCipher;
  mac(key: Uint8Array): Fingerprint;
}

let platforms: Ciphers | null = null;

/** The platform's, for this thread from now on; null: Node's. Either opens what the other sealed. */
export function useCiphers(ciphers: Ciphers | null): void {
  platforms = ciphers;
}

export function platformCiphers(): Ciphers | null {
  return platforms;
}

const KEY_BYTES = 32;
const NONCE_BYTES = 12;
export const TAG_BYTES = 16;

/** @throws RangeError */
export function requireSealable(nonce: Uint8Array, plain: Uint8Array, out: Uint8Array): void {
  requireLength(nonce, NONCE_BYTES, "nonce");
  requireLength(out, plain.length + TAG_BYTES, "room for what is encrypted", Infinity);
}

/** @throws RangeError */
export function requireOpenable(nonce: Uint8Array, sealed: Uint8Array, out: Uint8Array): void {
  requireLength(nonce, NONCE_BYTES, "nonce");
  requireLength(sealed, TAG_BYTES, "what is encrypted", Infinity);
  requireLength(out, sealed.length - TAG_BYTES, "room for the plaintext", Infinity);
}

/** @throws RangeError */
export function requireCipherKey(key: Uint8Array): void {
  requireLength(key, KEY_BYTES, "key");
}
