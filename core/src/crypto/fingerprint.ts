import { createCipheriv } from "node:crypto";
import { requireLiveKey } from "./bytes";
import { type Fingerprint, platformCiphers } from "./ciphers";

/** The key (32 bytes) stays the caller's, who wipes it. @throws TypeError for a key that was wiped */
export function fingerprint(key: Uint8Array): Fingerprint {
  requireLiveKey(key);
  return platformCiphers()?.mac(key) ?? new NodeMac(key);
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
