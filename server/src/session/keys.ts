import { type OwnerAccess, type OwnerEnvelope, hkdf, openSealingKey, wipe } from "@eremos/core";

/** The signed-in owner's keys. In memory only; {@link forgetKeys} wipes them. */
export interface Keys {
  readonly rootKey: Buffer;
  readonly databaseKey: Buffer;
  /** Opens what was sealed to the owner while nobody was signed in. */
  readonly sealingKey: Buffer;
}

export function deriveKeys(owner: OwnerEnvelope, rootKey: Buffer): Keys {
  return { rootKey, databaseKey: hkdf(rootKey, Buffer.from(owner.owner), "eremos/1/database"), sealingKey: openSealingKey(owner, rootKey) };
}

export function forgetKeys(keys: Keys): void {
  wipe(keys.rootKey, keys.databaseKey, keys.sealingKey);
}

/** The owner envelope is read anew each time: another process may have changed the master password. */
export function accessOf(keys: Keys, owner: OwnerEnvelope, device: Uint8Array, folderKey: Uint8Array | null = null): OwnerAccess {
  return { owner, rootKey: keys.rootKey, folderKey, devices: [device] };
}

/** Whose new files and directories are. */
export function ownAccount(): { readonly uid: number; readonly gid: number } {
  return { uid: process.geteuid?.() ?? 0, gid: process.getegid?.() ?? 0 };
}
