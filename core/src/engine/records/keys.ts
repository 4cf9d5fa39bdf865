import { wipe } from "../../crypto/bytes";
import { damage, isEremosError } from "../../errors/eremos-error";
import {
  type Believed,
  type FolderHeader,
  type Head,
  type Standing,
  earlierKeys,
  openFolderPrivateKey,
  openHead,
  standingOf,
} from "../../format/header";
import { type KeyRecord, openContentKey } from "../../format/key-record";
import { ContentKeys, type KeyName } from "../../format/object";
import { type OwnerEnvelope, deviceId, isRootKeyOf, openSigningKey } from "../../format/owner";
import type { Signature } from "../../format/generation";
import type { Dir, Disk } from "../../platform/port";
import { loadKeyRecords } from "./records";
import { said, say } from "@eremos/words/core/records";

/** What a signed-in owner brings to a verb. Whoever made it wipes the keys. */
export interface OwnerAccess {
  readonly owner: OwnerEnvelope;
  readonly rootKey: Uint8Array;
  /** The folder key, where the folder has a password of its own ({@link openFolderKey}); else null. */
  readonly folderKey: Uint8Array | null;
  /** Public keys (32 bytes, Ed25519) of further devices whose locks made while signed out are trusted: this one's. */
  readonly devices: readonly Uint8Array[];
}

/** One secret that contents are under, and the keys that follow from it. */
interface Secret {
  readonly secret: Buffer;
  readonly content: ContentKeys;
}

function textOf({ epoch, key }: KeyName): string {
  return key ?? say("epoch", { epoch });
}

/** Every key of one folder, opened. Wipe it when done. */
export class FolderKeys {
  private readonly secrets = new Map<string, Secret>();
  /** Key records that were opened. */
  readonly keyRecords: KeyRecord[] = [];

  private constructor(
    private readonly folder: string,
    readonly epoch: number,
    /** Who stands behind the folder key. */
    readonly standing: Standing,
    /** Others than the owner hold the folder's key, or did: what decrypts may be theirs. */
    readonly isShared: boolean,
  ) {}

  /** @throws EremosError `needs-folder-password` | `wrong-password` | `damaged` */
  static async open(disk: Disk, ownDir: Dir, head: Head, access: OwnerAccess): Promise<FolderKeys> {
    const { header } = head;
    const folderKey = await openHead(head, access);
    const keys = new FolderKeys(header.folder, header.epoch, standingOf(header, believedOf(access)), isShared(head));
    keys.add({ epoch: header.epoch, key: null }, folderKey);
    try {
      for (const before of earlierKeys(header, folderKey))
        keys.add({ epoch: before.epoch, key: null }, before.folderKey);
      for (const record of loadKeyRecords(disk, ownDir)) {
        const secret = record.folder === header.folder ? await keys.openRecord(header, record) : null;
        if (!secret) continue;
        keys.add(record, secret);
        keys.keyRecords.push(record);
      }
      return keys;
    } catch (error) {
      keys.wipe();
      throw error;
    }
  }

  private async openRecord(header: FolderHeader, record: KeyRecord): Promise<Buffer | null> {
    const folderKey = this.secrets.get(textOf({ epoch: record.epoch, key: null }))?.secret;
    if (!folderKey) return null;
    const privateKey = openFolderPrivateKey(header, folderKey, record.epoch);
    try {
      return await openedOrNull(record, folderKey, privateKey);
    } finally {
      wipe(privateKey);
    }
  }

  /**
   * The folder's keys, the present one first: under which of them something was sealed to the folder, it does not say
   * itself.
   */
  folderKeys(): { readonly epoch: number; readonly folderKey: Buffer }[] {
    return Array.from({ length: this.epoch }, (_, i) => this.epoch - i).flatMap((epoch) => {
      const its = this.secrets.get(textOf({ epoch, key: null }));
      return its ? [{ epoch, folderKey: its.secret }] : [];
    });
  }

  /**
   * One key that is known already: the folder key of a new folder, a generation key of a lock while signed out. Takes
   * the secret over.
   */
  static of(folder: string, name: KeyName, secret: Buffer): FolderKeys {
    const keys = new FolderKeys(folder, name.epoch, "owner", false);
    keys.add(name, secret);
    return keys;
  }

  private add(name: KeyName, secret: Buffer): void {
    this.secrets.set(textOf(name), {
      secret,
      content: new ContentKeys({ epoch: name.epoch, key: name.key }, secret, this.folder),
    });
  }

  has(name: KeyName): boolean {
    return this.secrets.has(textOf(name));
  }

  private named(name: KeyName): Secret {
    const found = this.secrets.get(textOf(name));
    if (!found)
      throw damage(said("key-this-folder-is-missing"), {
        reason: say("missing-key"),
      });
    return found;
  }

  /** @throws EremosError `damaged` when the key isn't in the folder any more */
  content(name: KeyName): ContentKeys {
    return this.named(name).content;
  }

  /** What is written now is under this. */
  get present(): ContentKeys {
    return this.content({ epoch: this.epoch, key: null });
  }

  get folderKey(): Buffer {
    return this.secret({ epoch: this.epoch, key: null });
  }

  secret(name: KeyName): Buffer {
    return this.named(name).secret;
  }

  wipe(): void {
    for (const { secret, content } of this.secrets.values()) {
      wipe(secret);
      content.wipe();
    }
  }
}

/**
 * A key record that can't be opened, damaged or somebody's own, shows itself when an object needs its key; until then
 * it is nobody's trouble.
 */
async function openedOrNull(record: KeyRecord, folderKey: Buffer, privateKey: Buffer): Promise<Buffer | null> {
  try {
    return await openContentKey(record, folderKey, privateKey);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/**
 * Whose signatures count: those of the owner's own record, where that belongs to the root key, and of this computer.
 */
export function believedOf({ owner, rootKey, devices }: Pick<OwnerAccess, "owner" | "rootKey" | "devices">): Believed {
  return { owner: isRootKeyOf(owner, rootKey) ? owner : null, devices };
}

/** Anybody but the owner was ever let in. */
function isShared({ header }: Pick<Head, "header">): boolean {
  return header.members.length > 0;
}

/** With what the signed-in owner signs; the caller wipes its key. @throws EremosError `damaged` */
export function ownerSignature({ owner, rootKey }: Pick<OwnerAccess, "owner" | "rootKey">): Signature {
  return { signer: owner.owner, key: openSigningKey(owner, rootKey) };
}

/** The ids of the owner's own device that is at work, or null. */
export function deviceAtWork({ devices }: Pick<OwnerAccess, "devices">): string | null {
  const [first] = devices;
  return first ? deviceId(first) : null;
}
