import { createCipheriv } from "node:crypto";
import { requireLiveKey } from "./bytes";
import { OpensslMac, hasOpenssl } from "./openssl";

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

/** The key (32 bytes) stays the caller's, who wipes it. @throws TypeError for a key that was wiped */
export function fingerprint(key: Uint8Array): Fingerprint {
  requireLiveKey(key);
  return hasOpenssl() ? new OpensslMac(key) : new NodeMac(key);
}

/** The same through Node's own objects. */
export class NodeMac implements Fingerprint {
  private cipher: ReturnType<typeof begin> | null = null;

  constructor(private readonly key: Uint8Array) {}

  start(): void {
    this.cipher = begin(this.key);
  }

  add(piece: Uint8Array): void {
    this.cipher?.setAAD(piece);
  }

  finish(): Buffer {
    const { cipher } = this;
    if (!cipher) throw new RangeError("it was not started");
    this.cipher = null;
    cipher.final();
    return cipher.getAuthTag();
  }

  wipe(): void {
    this.cipher = null;
  }
}

function begin(key: Uint8Array) {
  return createCipheriv("aes-256-gcm", key, Buffer.alloc(12));
}
