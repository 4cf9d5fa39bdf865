import { createCipheriv, createDecipheriv } from "node:crypto";
import { equalBytes, randomBytes, toBase64, wipe } from "./bytes";
import { hkdf } from "./kdf";

/**
 * A box: one small secret (a key, a path, a database row) encrypted under a 32-byte key. FORMAT.md §2.2.
 *
 *   salt (32) ‖ commitment (32) ‖ AES-256-GCM ciphertext ‖ tag (16)
 *
 * HKDF(key, salt, "eremos/2/box/" + purpose) gives the encryption key and the commitment; the salt is fresh for each
 * box, so the encryption key is used once and the nonce can be zero. The commitment tells "another key" from "damaged".
 */
const SALT = 32;
const COMMITMENT = 32;
const TAG = 16;
const NONCE = Buffer.alloc(12);
const BOX_OVERHEAD = SALT + COMMITMENT + TAG;

function boxKeys(key: Uint8Array, salt: Uint8Array, purpose: string): { cipherKey: Buffer; commitment: Buffer } {
  if (key.length !== 32) throw new RangeError(`key must be 32 bytes, got ${key.length}`);
  const derived = hkdf(key, salt, `eremos/2/box/${purpose}`, 64);
  return { cipherKey: derived.subarray(0, 32), commitment: derived.subarray(32) };
}

export function sealBox(key: Uint8Array, purpose: string, plain: Uint8Array): Buffer {
  return sealBoxWithSalt(key, purpose, plain, randomBytes(SALT));
}

/** For test vectors only: a salt must never be used twice. */
export function sealBoxWithSalt(key: Uint8Array, purpose: string, plain: Uint8Array, salt: Uint8Array): Buffer {
  const { cipherKey, commitment } = boxKeys(key, salt, purpose);
  try {
    const cipher = createCipheriv("aes-256-gcm", cipherKey, NONCE);
    const body = Buffer.concat([cipher.update(plain), cipher.final()]);
    return Buffer.concat([salt, commitment, body, cipher.getAuthTag()]);
  } finally {
    wipe(cipherKey);
  }
}

export type BoxFailure = "another-key" | "damaged";

/** The opened bytes, or why it did not open. The caller owns and wipes the bytes. */
export function openBox(key: Uint8Array, purpose: string, box: Uint8Array): Buffer | BoxFailure {
  if (box.length < BOX_OVERHEAD) return "damaged";
  const { cipherKey, commitment } = boxKeys(key, box.subarray(0, SALT), purpose);
  try {
    if (!equalBytes(commitment, box.subarray(SALT, SALT + COMMITMENT))) return "another-key";
    const decipher = createDecipheriv("aes-256-gcm", cipherKey, NONCE);
    decipher.setAuthTag(box.subarray(box.length - TAG));
    return Buffer.concat([decipher.update(box.subarray(SALT + COMMITMENT, box.length - TAG)), decipher.final()]);
  } catch {
    return "damaged";
  } finally {
    wipe(cipherKey);
  }
}

export function sealBoxText(key: Uint8Array, purpose: string, plain: Uint8Array): string {
  return toBase64(sealBox(key, purpose, plain));
}
