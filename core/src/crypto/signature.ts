import { createPrivateKey, createPublicKey, generateKeyPairSync, sign, verify } from "node:crypto";

/** An Ed25519 pair (RFC 8032): of the owner, of a computer of theirs, or of a guest. FORMAT.md §2.1. */
export interface SigningKey {
  /** 32 bytes. */
  readonly publicKey: Buffer;
  /** PKCS #8 DER, of which the last 32 bytes are the seed; whoever made or opened the pair wipes it. */
  readonly privateKey: Buffer;
}

const SPKI_PREFIX = Buffer.from("302a300506032b6570032100", "hex");
const PKCS8_PREFIX = Buffer.from("302e020100300506032b657004220420", "hex");
const SEED_BYTES = 32;

export function generateSigningKey(): SigningKey {
  const pair = generateKeyPairSync("ed25519");
  return {
    publicKey: pair.publicKey.export({ type: "spki", format: "der" }).subarray(SPKI_PREFIX.length),
    privateKey: pair.privateKey.export({ type: "pkcs8", format: "der" }),
  };
}

/** What of a pair is boxed: 32 bytes, a view into the private key. */
export function seedOf({ privateKey }: SigningKey): Buffer {
  return privateKey.subarray(privateKey.length - SEED_BYTES);
}

/** @throws RangeError for a seed of another length */
export function signingKeyFrom(seed: Uint8Array): SigningKey {
  if (seed.length !== SEED_BYTES) throw new RangeError(`seed must be ${SEED_BYTES} bytes, got ${seed.length}`);
  const privateKey = Buffer.concat([PKCS8_PREFIX, seed]);
  const publicKey = createPublicKey(createPrivateKey({ key: privateKey, type: "pkcs8", format: "der" })).export({
    type: "spki",
    format: "der",
  });
  return { privateKey, publicKey: publicKey.subarray(SPKI_PREFIX.length) };
}

export function signWith(key: SigningKey, message: Uint8Array): Buffer {
  return sign(null, message, createPrivateKey({ key: key.privateKey, type: "pkcs8", format: "der" }));
}

export function isSignedBy(publicKey: Uint8Array, message: Uint8Array, signature: Uint8Array): boolean {
  if (publicKey.length !== 32 || signature.length !== 64) return false;
  const key = createPublicKey({ key: Buffer.concat([SPKI_PREFIX, publicKey]), type: "spki", format: "der" });
  return verify(null, message, key, signature);
}
