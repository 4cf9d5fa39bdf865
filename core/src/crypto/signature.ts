import { createPrivateKey, createPublicKey, generateKeyPairSync, sign, verify } from "node:crypto";

/** Ed25519 (RFC 8032) signatures of this device over what it locked while nobody was signed in. FORMAT.md §6.3. */
export interface SigningKey {
  /** 32 bytes. */
  readonly publicKey: Buffer;
  /** PKCS #8 DER. */
  readonly privateKey: Buffer;
}

const SPKI_PREFIX = Buffer.from("302a300506032b6570032100", "hex");

export function generateSigningKey(): SigningKey {
  const pair = generateKeyPairSync("ed25519");
  return {
    publicKey: pair.publicKey.export({ type: "spki", format: "der" }).subarray(SPKI_PREFIX.length),
    privateKey: pair.privateKey.export({ type: "pkcs8", format: "der" }),
  };
}

export function signWith(key: SigningKey, message: Uint8Array): Buffer {
  return sign(null, message, createPrivateKey({ key: key.privateKey, type: "pkcs8", format: "der" }));
}

export function isSignedBy(publicKey: Uint8Array, message: Uint8Array, signature: Uint8Array): boolean {
  if (publicKey.length !== 32 || signature.length !== 64) return false;
  const key = createPublicKey({ key: Buffer.concat([SPKI_PREFIX, publicKey]), type: "spki", format: "der" });
  return verify(null, message, key, signature);
}
