import { createCipheriv, createDecipheriv } from "node:crypto";
import { requireLiveKey } from "./bytes";
import {
  type ChunkCipher,
  TAG_BYTES,
  platformCiphers,
  requireCipherKey,
  requireOpenable,
  requireSealable,
} from "./ciphers";

export type { ChunkCipher } from "./ciphers";

/**
 * The key stays the caller's, who wipes it. @throws TypeError for a key that was wiped, RangeError for one that has not
 * 32 bytes
 */
export function chunkCipher(key: Uint8Array): ChunkCipher {
  requireLiveKey(key);
  return platformCiphers()?.cipher(key) ?? new NodeCipher(key);
}

/**
 * The same through Node's own objects: for a Node without OpenSSL's functions in reach, and to check the other against.
 */
export class NodeCipher implements ChunkCipher {
  private isWiped = false;

  /** @throws RangeError for a key that has not 32 bytes */
  constructor(private readonly key: Uint8Array) {
    requireCipherKey(key);
  }

  seal(nonce: Uint8Array, plain: Uint8Array, out: Uint8Array): void {
    this.requireUsable();
    requireSealable(nonce, plain, out);
    const cipher = createCipheriv("aes-256-gcm", this.key, nonce);
    out.set(cipher.update(plain));
    cipher.final();
    out.set(cipher.getAuthTag(), plain.length);
  }

  open(nonce: Uint8Array, sealed: Uint8Array, out: Uint8Array): boolean {
    this.requireUsable();
    requireOpenable(nonce, sealed, out);
    const decipher = createDecipheriv("aes-256-gcm", this.key, nonce);
    decipher.setAuthTag(sealed.subarray(sealed.length - TAG_BYTES));
    out.set(decipher.update(sealed.subarray(0, sealed.length - TAG_BYTES)));
    try {
      decipher.final();
      return true;
    } catch {
      return false;
    }
  }

  private requireUsable(): void {
    if (this.isWiped) throw new TypeError("cipher: it was wiped, so it is not used");
  }

  /** Node frees its objects with what they hold. */
  wipe(): void {
    this.isWiped = true;
  }
}
