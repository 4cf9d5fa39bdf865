import { gcm } from "@noble/ciphers/aes.js";
import { ed25519 } from "@noble/curves/ed25519.js";
import { hkdf } from "@noble/hashes/hkdf.js";
import { hmac } from "@noble/hashes/hmac.js";
import { sha256 } from "@noble/hashes/sha2.js";

/** What a reader of the format takes from Node's `crypto`, where there is no Node. Only what reading needs. */
interface Hashing {
  update(part: Uint8Array): Hashing;
  digest(): Buffer;
}

function hashing(state: { update(part: Uint8Array): unknown; digest(): Uint8Array }): Hashing {
  const self: Hashing = {
    update(part) {
      state.update(part);
      return self;
    },
    digest: () => Buffer.from(state.digest()),
  };
  return self;
}

export function createHash(_name: "sha256"): Hashing {
  return hashing(sha256.create());
}

export function createHmac(_name: "sha256", key: Uint8Array): Hashing {
  return hashing(hmac.create(sha256, key));
}

export function hkdfSync(_name: "sha256", key: Uint8Array, salt: Uint8Array, info: string, length: number): Uint8Array {
  return hkdf(sha256, key, salt, new TextEncoder().encode(info), length);
}

export function timingSafeEqual(a: Uint8Array, b: Uint8Array): boolean {
  let difference = 0;
  for (let i = 0; i < a.length; i++) difference |= (a[i] ?? 0) ^ (b[i] ?? 0);
  return difference === 0;
}

export function randomFillSync<T extends Uint8Array>(bytes: T): T {
  return crypto.getRandomValues(bytes as T & Uint8Array<ArrayBuffer>) as T;
}

/**
 * The tag is set first, as whoever reads the format does. What does not authenticate comes back as zeros, and `final`
 * throws.
 */
export function createDecipheriv(
  _name: "aes-256-gcm",
  key: Uint8Array,
  nonce: Uint8Array,
): { setAuthTag(tag: Uint8Array): void; update(sealed: Uint8Array): Buffer; final(): Buffer } {
  let tag = new Uint8Array();
  let isWhole = true;
  return {
    setAuthTag: (given) => void (tag = Uint8Array.from(given)),
    update: (sealed) => {
      try {
        return Buffer.from(gcm(Uint8Array.from(key), Uint8Array.from(nonce)).decrypt(Buffer.concat([sealed, tag])));
      } catch {
        isWhole = false;
        return Buffer.alloc(sealed.length);
      }
    },
    final: () => {
      if (!isWhole) throw new Error("it does not authenticate");
      return Buffer.alloc(0);
    },
  };
}

/** A pair's private half: PKCS #8 ends in the 32 bytes of the seed. */
interface PrivateKey {
  readonly seed: Uint8Array;
}

interface PublicKey {
  /** 32 bytes. */
  readonly raw: Uint8Array;
  /** SubjectPublicKeyInfo. */
  export(): Buffer;
}

const SPKI_PREFIX = Buffer.from("302a300506032b6570032100", "hex");

export function createPrivateKey({ key }: { readonly key: Uint8Array }): PrivateKey {
  return { seed: key.subarray(-32) };
}

/** From SubjectPublicKeyInfo, which ends in the 32 bytes of the key, or from a private one. */
export function createPublicKey(from: { readonly key: Uint8Array } | PrivateKey): PublicKey {
  const raw = "seed" in from ? ed25519.getPublicKey(from.seed) : from.key.subarray(-32);
  return { raw, export: () => Buffer.concat([SPKI_PREFIX, raw]) };
}

export function verify(_algorithm: null, message: Uint8Array, { raw }: PublicKey, signature: Uint8Array): boolean {
  try {
    return ed25519.verify(signature, message, raw);
  } catch {
    return false;
  }
}

function onlyReading(): never {
  throw new Error("this program only reads");
}
export { onlyReading as createCipheriv, onlyReading as generateKeyPairSync, onlyReading as sign };
