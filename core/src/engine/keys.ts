import { fromBase64, wipe } from "../crypto/bytes";
import { EremosError } from "../errors/eremos-error";
import { FOLDER_KEY_NAME, type Generation, type KeyRecord, openGenerationKey, vouchingOf } from "../format/generation";
import { type FolderHeader, openFolderPrivateKey, openHeader } from "../format/header";
import { ContentKeys } from "../format/object";
import type { OwnerEnvelope } from "../format/owner";
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
  ) {}

  /** @throws EremosError `needs-folder-password` | `wrong-password` | `damaged` */
  static async open(disk: Disk, vault: Dir, header: FolderHeader, access: OwnerAccess): Promise<FolderKeys> {
    const folderKey = await openHeader(header, access);
    const records = loadKeyRecords(disk, vault).filter((record) => record.folder === header.folder);
    const secrets = new Map([[FOLDER_KEY_NAME, folderKey]]);
    const privateKey = records.length > 0 ? openFolderPrivateKey(header, folderKey) : null;
    try {
      for (const record of records) if (privateKey) secrets.set(record.key, await openGenerationKey(record, folderKey, privateKey));
    } finally {
      wipe(privateKey);
    }
    return FolderKeys.of(header.folder, secrets, records);
  }

  /** Keys that are known already: the folder key of a new folder, a generation key of a lock while signed out. */
  static of(folder: string, secrets: ReadonlyMap<string, Buffer>, records: readonly KeyRecord[] = []): FolderKeys {
    const contents = new Map([...secrets].map(([name, secret]) => [name, new ContentKeys(name, secret, folder)]));
    return new FolderKeys(secrets.get(FOLDER_KEY_NAME) ?? Buffer.alloc(0), secrets, contents, records);
  }

  /** @throws EremosError `damaged` when the key isn't in the folder any more */
  content(name: string): ContentKeys {
    const keys = this.contents.get(name);
    if (!keys) throw new EremosError("damaged", "A key of this folder is missing, so a part of it can't be read.", { reason: "missing key" });
    return keys;
  }

  secret(name: string): Buffer {
    const secret = this.secrets.get(name);
    if (!secret) throw new EremosError("damaged", "A key of this folder is missing, so a part of it can't be read.", { reason: "missing key" });
    return secret;
  }

  wipe(): void {
    for (const secret of this.secrets.values()) wipe(secret);
    for (const content of this.contents.values()) content.wipe();
  }
}

/** The devices whose locks made while signed out are trusted: those this owner knows, and those the folder's authenticated header names. */
export function devicesOf(header: FolderHeader, { devices }: Pick<OwnerAccess, "devices">): readonly Uint8Array[] {
  return [...devices, ...header.devices.map((device) => fromBase64(device, 32))];
}

/**
 * Checks who stands behind a generation. One made while signed out must be signed by a device this owner knows (from the owner's own
 * data directory, or from the folder's authenticated header on another machine).
 * @throws EremosError `unvouched` | `damaged`
 */
export function requireVouched(generation: Generation, header: FolderHeader, keys: FolderKeys, access: OwnerAccess, acceptUnvouched: boolean): void {
  if (generation.folder !== header.folder) throw new EremosError("damaged", "The folder's generation record belongs to another folder.", { reason: "swapped" });
  if (vouchingOf(generation, keys.folderKey, devicesOf(header, access)) !== "unvouched" || acceptUnvouched) return;
  throw new EremosError("unvouched", "The last lock of this folder was not made by you or by a computer of yours that Eremos knows. Nothing was changed; open it only if you know who locked it.");
}
