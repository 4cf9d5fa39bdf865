import { equalBytes, toBase64 } from "../crypto/bytes";
import { hmac } from "../crypto/kdf";
import type { Identity } from "./port";

/**
 * HMAC-SHA256 under a secret that never leaves this computer: its records prove to itself that it wrote them, and prove
 * nothing to anybody else.
 */
export function identityOf(secret: Uint8Array): Identity {
  const prove = (message: Uint8Array): string => toBase64(hmac(secret, message));
  return {
    id: hmac(secret, Buffer.from("eremos/2/record-name")).subarray(0, 16).toString("hex"),
    prove,
    isOwn: (message, proof) => equalBytes(Buffer.from(prove(message)), Buffer.from(proof)),
  };
}
