import { Aes256Gcm, CipherSuite, DhkemX25519HkdfSha256, HkdfSha256 } from "@hpke/core";
import { fromBase64, toBase64 } from "./bytes";

/**
 * Sealing to a public key: HPKE (RFC 9180), base mode, DHKEM(X25519, HKDF-SHA256), HKDF-SHA256, AES-256-GCM. FORMAT.md
 * §2.3. `info` carries the purpose, so an envelope made for one purpose opens for no other.
 */
const suite = new CipherSuite({ kem: new DhkemX25519HkdfSha256(), kdf: new HkdfSha256(), aead: new Aes256Gcm() });

export interface KeyPair {
  /** 32 bytes, X25519. */
  readonly publicKey: Buffer;
  /** 32 bytes, X25519; wiped by whoever made the pair. */
  readonly privateKey: Buffer;
}

export interface Envelope {
  readonly enc: string;
  readonly ct: string;
}

function info(purpose: string): ArrayBuffer {
  return plainBuffer(Buffer.from(`eremos/2/envelope/${purpose}`, "utf8"));
}

function plainBuffer(bytes: Uint8Array): ArrayBuffer {
  return Uint8Array.from(bytes).buffer;
}

export async function generateKeyPair(): Promise<KeyPair> {
  const pair = await suite.kem.generateKeyPair();
  return {
    publicKey: Buffer.from(await suite.kem.serializePublicKey(pair.publicKey)),
    privateKey: Buffer.from(await suite.kem.serializePrivateKey(pair.privateKey)),
  };
}

export async function sealTo(publicKey: Uint8Array, purpose: string, plain: Uint8Array): Promise<Envelope> {
  const recipientPublicKey = await suite.kem.deserializePublicKey(plainBuffer(publicKey));
  const sealed = await suite.seal({ recipientPublicKey, info: info(purpose) }, plainBuffer(plain));
  return { enc: toBase64(new Uint8Array(sealed.enc)), ct: toBase64(new Uint8Array(sealed.ct)) };
}

/** The opened bytes, or null when the envelope was made for another key or purpose, or is damaged. */
export async function openEnvelope(
  privateKey: Uint8Array,
  purpose: string,
  envelope: Envelope,
): Promise<Buffer | null> {
  try {
    const recipientKey = await suite.kem.deserializePrivateKey(plainBuffer(privateKey));
    const enc = plainBuffer(fromBase64(envelope.enc, 32));
    return Buffer.from(
      await suite.open({ recipientKey, enc, info: info(purpose) }, plainBuffer(fromBase64(envelope.ct))),
    );
  } catch {
    return null;
  }
}
