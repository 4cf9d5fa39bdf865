import { fromBase64, wipe } from "../crypto/bytes";
import { EremosError, isEremosError } from "../errors/eremos-error";
import { FOLDER_KEY_NAME, type KeyRecord, openGenerationKey } from "../format/generation";
import { type FolderHeader, type Standing, openFolderPrivateKey, openHeader } from "../format/header";
import { ContentKeys } from "../format/object";
import { type OwnerEnvelope, isRootKeyOf } from "../format/owner";
import type { Dir, Disk } from "../platform/port";
import { loadKeyRecords } from "./vault";

/** What a signed-in owner brings to a verb. Whoever made it wipes the keys. */
export interface OwnerAccess {
  readonly owner: OwnerEnvelope;
  readonly rootKey: Uint8Array;
  /** The folder key, where the folder has a password of its own ({@link openFolderKey}); else null. */
  readonly folderKey: Uint8Array | null;
  /** Public keys (32 bytes, Ed25519) of the devices whose locks made while signed out are trusted. */
  readonly devices: readonly Uint8Array[];
}

/** Every key of one folder, opened. Wipe it when done. */
export class FolderKeys {
  private constructor(
    readonly folderKey: Buffer,
    private readonly secrets: ReadonlyMap<string, Buffer>,
    private readonly contents: ReadonlyMap<string, ContentKeys>,
    readonly keyRecords: readonly KeyRecord[],
    /** Who stands behind the folder key. */
    readonly standing: Standing,
  ) {}

  /** @throws EremosError `needs-folder-password` | `wrong-password` | `damaged` */
  static async open(disk: Disk, vault: Dir, header: FolderHeader, access: OwnerAccess): Promise<FolderKeys> {
    const { folderKey, standing } = await openHeader(header, {
      rootKey: access.rootKey,
      folderKey: access.folderKey,
      devices: devicesOf(access),
    });
    const secrets = new Map([[FOLDER_KEY_NAME, folderKey]]);
    const whole: KeyRecord[] = [];
    let privateKey: Buffer | null = null;
    try {
      const records = loadKeyRecords(disk, vault).filter((record) => record.folder === header.folder);
      if (records.length > 0) privateKey = openFolderPrivateKey(header, folderKey);
      for (const record of records) {
        const secret = privateKey && (await openedOrNull(record, folderKey, privateKey));
        if (!secret) continue;
        secrets.set(record.key, secret);
        whole.push(record);
      }
    } catch (error) {
      for (const secret of secrets.values()) wipe(secret);
      throw error;
    } finally {
      wipe(privateKey);
    }
    return FolderKeys.of(header.folder, secrets, whole, standing);
  }

  /** Keys that are known already: the folder key of a new folder, a generation key of a lock while signed out. */
  static of(
    folder: string,
    secrets: ReadonlyMap<string, Buffer>,
    records: readonly KeyRecord[] = [],
    standing: Standing = "owner",
  ): FolderKeys {
    const contents = new Map([...secrets].map(([name, secret]) => [name, new ContentKeys(name, secret, folder)]));
    return new FolderKeys(secrets.get(FOLDER_KEY_NAME) ?? Buffer.alloc(0), secrets, contents, records, standing);
  }

  /** @throws EremosError `damaged` when the key isn't in the folder any more */
  content(name: string): ContentKeys {
    const keys = this.contents.get(name);
    if (!keys)
      throw new EremosError("damaged", "A key of this folder is missing, so a part of it can't be read.", {
        reason: "missing key",
      });
    return keys;
  }

  secret(name: string): Buffer {
    const secret = this.secrets.get(name);
    if (!secret)
      throw new EremosError("damaged", "A key of this folder is missing, so a part of it can't be read.", {
        reason: "missing key",
      });
    return secret;
  }

  wipe(): void {
    for (const secret of this.secrets.values()) wipe(secret);
    for (const content of this.contents.values()) content.wipe();
  }
}

/** A key record that can't be opened, damaged or somebody's own, shows itself when an object needs its key; until then it is nobody's trouble. */
async function openedOrNull(record: KeyRecord, folderKey: Buffer, privateKey: Buffer): Promise<Buffer | null> {
  try {
    return await openGenerationKey(record, folderKey, privateKey);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** The computers whose locks made while signed out are trusted: this one, and those of the owner's own record, where that belongs to the root key. */
export function devicesOf({
  owner,
  rootKey,
  devices,
}: Pick<OwnerAccess, "owner" | "rootKey" | "devices">): readonly Uint8Array[] {
  return isRootKeyOf(owner, rootKey) ? [...devices, ...owner.devices.map((device) => fromBase64(device, 32))] : devices;
}
