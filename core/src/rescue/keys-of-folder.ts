import type { Password } from "../crypto/kdf";
import { wipe } from "../crypto/bytes";
import { EremosError, damage, isEremosError } from "../errors/eremos-error";
import {
  type Believed,
  type FolderHeader,
  type FolderSecret,
  type Head,
  type Standing,
  earlierKeys,
  hasOwnPassword,
  openFolderPrivateKey,
  openHead,
  openWithSecret,
  standingOf,
} from "../format/header";
import { type KeyRecord, openContentKey, readKeyRecord } from "../format/key-record";
import { ContentKeys, type KeyName } from "../format/object";
import { type OwnerEnvelope, isRootKeyOf, openOwner } from "../format/owner";
import { type RescueSource, readWhole } from "./source";
import { said, say } from "@eremos/words/core/rescue";
import { attempt, placesOf } from "./find-locked";

/** What somebody who wants in has. */
export type RescueSecret =
  | {
      readonly kind: "password";
      readonly password: Password;
      /** For a folder that has one of its own. */ readonly folderPassword: Password | null;
    }
  | { readonly kind: "code"; readonly code: string }
  | { readonly kind: "shares"; readonly shares: readonly string[] }
  /**
   * The owner's root key, which the caller wipes; for a folder with a password of its own, what opens that; and this
   * computer's public key.
   */
  | {
      readonly kind: "root";
      readonly rootKey: Uint8Array;
      readonly folder: FolderSecret | null;
      readonly devices: readonly Uint8Array[];
    };

export interface Keyed {
  readonly head: Head;
  /** Whoever opened it wipes it. */
  readonly folderKey: Buffer;
  readonly standing: Standing;
  readonly believed: Believed;
}

/**
 * Of several headers the latest that somebody known stands behind: whoever can write to the folder can put another, or
 * an earlier one, in its place.
 */
export async function openFirstKnown(
  heads: readonly Head[],
  secret: RescueSecret,
  most: number | undefined,
): Promise<Keyed> {
  let unknown: Keyed | null = null;
  let first: unknown = null;
  for (const head of [...heads].sort((a, b) => b.header.counter - a.header.counter)) {
    try {
      const opened = await keyedBy(head, secret, most);
      if (opened.standing !== "unknown") {
        wipe(unknown?.folderKey);
        return opened;
      }
      if (unknown) wipe(opened.folderKey);
      unknown ??= opened;
    } catch (error) {
      if (!isEremosError(error)) throw error;
      first ??= error;
    }
  }
  if (unknown) return unknown;
  throw first;
}

async function keyedBy(head: Head, secret: RescueSecret, most: number | undefined): Promise<Keyed> {
  const { owner } = head.header;
  const isTogether = hasOwnPassword(head);
  const keyed = (folderKey: Buffer, rootKey: Uint8Array | null): Keyed => {
    const believed = believedIn(owner, rootKey, secret);
    return { head, folderKey, believed, standing: standingOf(head.header, believed) };
  };
  if ((secret.kind === "code" || secret.kind === "shares") && isTogether) {
    const folderKey = await openWithSecret(head, NO_ROOT, secret);
    // An earlier code, or earlier keyholders, lead to the folder only: then nothing proves whose it is.
    const root = await rootKeyOf(owner, secret).catch(() => null);
    try {
      return keyed(folderKey, root);
    } finally {
      wipe(root);
    }
  }
  const rootKey = await rootKeyOf(owner, secret, most);
  try {
    if (!isTogether) return keyed(await openHead(head, { owner, rootKey, folderKey: null }), rootKey);
    const folder =
      secret.kind === "root"
        ? secret.folder
        : secret.kind === "password" && secret.folderPassword !== null
          ? { kind: "password" as const, password: secret.folderPassword }
          : null;
    if (!folder) throw new EremosError("needs-folder-password", said("this-folder-has-password-its"));
    return keyed(await openWithSecret(head, rootKey, folder, most), rootKey);
  } finally {
    wipe(rootKey);
  }
}

/** Where the code or shares open a slot by themselves, no root key is asked for. */
const NO_ROOT = Buffer.alloc(0);

/**
 * Whose signatures count: the owner's, whom the record in the folder names and the root key vouches for, and this
 * computer's.
 */
function believedIn(owner: OwnerEnvelope, rootKey: Uint8Array | null, secret: RescueSecret): Believed {
  return {
    owner: rootKey && isRootKeyOf(owner, rootKey) ? owner : null,
    devices: secret.kind === "root" ? secret.devices : [],
  };
}

async function rootKeyOf(owner: OwnerEnvelope, secret: RescueSecret, most?: number): Promise<Buffer> {
  if (secret.kind === "root") return Buffer.from(secret.rootKey);
  return (await openOwner(owner, secret, most)).rootKey;
}

/** The folder's keys by what they are named after. */
export type Keys = ReadonlyMap<string, { readonly secret: Buffer; readonly content: ContentKeys }>;

export function textOf({ epoch, key }: KeyName): string {
  return key ?? say("epoch", { epoch });
}

export async function keysOf(
  source: RescueSource,
  header: FolderHeader,
  folderKey: Buffer,
  problems: string[],
): Promise<Keys> {
  const named = (name: KeyName, secret: Buffer): readonly [string, { secret: Buffer; content: ContentKeys }] => [
    textOf(name),
    { secret, content: new ContentKeys({ epoch: name.epoch, key: name.key }, secret, header.folder) },
  ];
  const keys = new Map([named({ epoch: header.epoch, key: null }, folderKey)]);
  for (const before of attempt(
    () => earlierKeys(header, folderKey),
    (error) => problems.push(error.message),
  ) ?? [])
    keys.set(...named({ epoch: before.epoch, key: null }, before.folderKey));
  const names = (await source.list(".eremos/keys"))
    .filter((name) => name.endsWith(".json"))
    .map((name) => name.replace(".twin.json", ".json"));
  for (const name of new Set(names)) {
    const failures: string[] = [];
    for (const path of placesOf("keys", name)) {
      const bytes = await readWhole(source, path);
      if (!bytes) continue;
      try {
        const record = readKeyRecord(bytes);
        const secret = await openRecord(header, keys, record);
        keys.set(...named(record, secret));
        break;
      } catch (error) {
        if (!isEremosError(error)) throw error;
        failures.push(`${path}: ${error.message}`);
      }
    }
    problems.push(...failures);
  }
  return keys;
}

/** Under the folder key of its epoch. @throws EremosError `damaged` */
async function openRecord(header: FolderHeader, keys: Keys, record: KeyRecord): Promise<Buffer> {
  const folderKey = keys.get(textOf({ epoch: record.epoch, key: null }))?.secret;
  if (!folderKey) throw damage(said("key-this-folder-is-missing"));
  // Its private half may be damaged in this copy of the header, and the key boxed.
  const privateKey =
    attempt(
      () => openFolderPrivateKey(header, folderKey, record.epoch),
      () => undefined,
    ) ?? Buffer.alloc(32);
  try {
    return await openContentKey(record, folderKey, privateKey);
  } finally {
    wipe(privateKey);
  }
}

export function secretOf(keys: Keys, name: KeyName): Buffer {
  const secret = keys.get(textOf(name))?.secret;
  if (!secret) throw damage(said("key-this-folder-is-missing-so"));
  return secret;
}
