import type { SigningKey } from "../../crypto/signature";
import type { FolderPassword } from "../../format/slot";
import type { OwnerEnvelope } from "../../format/owner";
import type { StateRecord } from "../../format/state";
import type { Grounds, Signs } from "../visibility";

/**
 * Who locks: the signed-in owner (for a first lock, perhaps with a password for this folder alone), or this device
 * while nobody is signed in or where an open folder's own password would be needed: locking never asks for a password.
 */
export type Signer =
  | {
      readonly by: "owner";
      readonly owner: OwnerEnvelope;
      readonly rootKey: Uint8Array;
      readonly device: Uint8Array;
      readonly password: FolderPassword | null;
    }
  | { readonly by: "device"; readonly owner: OwnerEnvelope; readonly device: SigningKey };

/** What the owner-only data directory remembers of a folder while it lies open. */
export interface OpenNote {
  /** The folder's X25519 public key; never taken from the folder itself. */
  readonly publicKey: string;
  /** SHA-256 of the record of what was sealed; without a match everything is sealed anew. */
  readonly opened: string;
}

export interface SealingInput extends Grounds, Signs {
  readonly path: Buffer;
  /** A new id for a first lock, the folder's own for a relock. */
  readonly folder: string;
  readonly visibility: StateRecord["visibility"];
  /** In view: another name that it shows while it is locked. */
  readonly cover?: string | null;
  readonly signer: Signer;
  readonly note: OpenNote | null;
  /** The database's copy of the header, for an open folder whose own are damaged, or were exchanged. */
  readonly keptHeader?: Buffer | null;
  /** It lies open out of the hands of somebody unknown: it gets a key of its own, and nothing is sealed to theirs. */
  readonly rekey?: boolean;
  /** How many earlier states stay beside this one. */
  readonly keepEarlier?: number;
  /** So often the readable copy is written over with random bytes before it goes; 0: not at all. */
  readonly overwrite?: number;
  /** Lock even though programs have files in it open for writing. */
  readonly inUseAnyway: boolean;
}
