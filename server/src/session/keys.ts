import {
  EremosError,
  type OwnerAccess,
  type OwnerEnvelope,
  earlierRoots,
  hkdf,
  openSealingKey,
  wipe,
} from "@eremos/core";
import { said } from "@eremos/words/server/house";

/**
 * The signed-in owner's keys, in memory only. Whoever works with them over a wait holds them: a sign-out ends the
 * session at once, and wipes them when the last holder lets go. What was wiped can't be had any more: it would be
 * zeros, and whatever is sealed with zeros is lost.
 */
export class Keys {
  private holders = 0;
  private isEnding = false;
  private isWiped = false;
  private readonly secrets: { readonly root: Buffer; readonly database: Buffer; readonly sealing: Buffer };

  /** Takes the root key over. @throws EremosError `damaged` */
  constructor(owner: OwnerEnvelope, rootKey: Buffer) {
    this.secrets = { root: rootKey, database: databaseKeyOf(owner, rootKey), sealing: openSealingKey(owner, rootKey) };
    this.signing = owner.signing.publicKey;
  }

  /** By whose they are: another one, in the owner's record, says that they have made new keys since. */
  private readonly signing: string;

  isOf(owner: OwnerEnvelope): boolean {
    return owner.signing.publicKey === this.signing;
  }

  private secret(name: keyof Keys["secrets"]): Buffer {
    if (this.isWiped) throw new EremosError("needs-sign-in", said("you-were-signed-out-meanwhile-what"));
    return this.secrets[name];
  }

  get rootKey(): Buffer {
    return this.secret("root");
  }

  get databaseKey(): Buffer {
    return this.secret("database");
  }

  /** Opens what was sealed to the owner while nobody was signed in. */
  get sealingKey(): Buffer {
    return this.secret("sealing");
  }

  /**
   * The name that programs give to use the drive of a folder's visits: always the same, so that what they remember by it
   * is known as a trace of the folder; it tells nobody else which folder that is.
   */
  visitorOf(folder: string): string {
    const known = hkdf(this.rootKey, Buffer.from(folder), "eremos/2/visitor");
    return `visit-${known.subarray(0, 8).toString("hex")}`;
  }

  /** Until the returned function is called, they are not wiped. */
  hold(): () => void {
    this.secret("root");
    this.holders++;
    let isHeld = true;
    return () => {
      if (!isHeld) return;
      isHeld = false;
      this.holders--;
      this.wipeIfEnded();
    };
  }

  /** The session is over. */
  end(): void {
    this.isEnding = true;
    this.wipeIfEnded();
  }

  get isHeld(): boolean {
    return this.holders > 0;
  }

  private wipeIfEnded(): void {
    if (!this.isEnding || this.holders > 0) return;
    this.isWiped = true;
    wipe(this.secrets.root, this.secrets.database, this.secrets.sealing);
  }
}

function databaseKeyOf({ owner }: Pick<OwnerEnvelope, "owner">, rootKey: Uint8Array): Buffer {
  return hkdf(rootKey, Buffer.from(owner), "eremos/2/database");
}

/**
 * What rows of the database may be under that were written before the owner made new keys; the caller wipes them.
 * @throws EremosError `damaged`
 */
export function earlierDatabaseKeys(owner: OwnerEnvelope, keys: Keys): Buffer[] {
  const roots = earlierRoots(owner, keys.rootKey);
  try {
    return roots.map((root) => databaseKeyOf(owner, root));
  } finally {
    wipe(...roots);
  }
}

/** The owner envelope is read anew each time: another process may have changed the master password. */
export function accessOf(
  keys: Keys,
  owner: OwnerEnvelope,
  device: Uint8Array,
  folderKey: Uint8Array | null = null,
): OwnerAccess {
  return { owner, rootKey: keys.rootKey, folderKey, devices: [device] };
}

/** Whose new files and directories are. */
export function ownAccount(): { readonly uid: number; readonly gid: number } {
  return { uid: process.geteuid?.() ?? 0, gid: process.getegid?.() ?? 0 };
}
