import { z } from "zod";
import { equalBytes, fromBase64, toBase64, wipe } from "../crypto/bytes";
import { openBox, sealBoxText } from "../crypto/box";
import { type KeyPair, openEnvelope, sealTo } from "../crypto/envelope";
import { hkdf, hmac } from "../crypto/kdf";
import { EremosError } from "../errors/eremos-error";
import { canonicalJson, checksumOf } from "./canonical-json";
import { idSchema } from "./ids";
import { type OwnerEnvelope, openSealingKey, ownerSchema } from "./owner";
import { readRecord, writeRecord } from "./record-file";

/** The folder's header. Small JSON, readable with any editor, authenticated once the folder key is known. FORMAT.md §4. */
const text = z.string().max(8192);
const ownerSlot = z.strictObject({ type: z.literal("owner"), box: text, checksum: text });
const sealedSlot = z.strictObject({ type: z.literal("owner-sealed"), enc: text, ct: text, checksum: text });

export const headerSchema = z.strictObject({
  about: text,
  format: z.literal("eremos-folder"),
  version: z.literal(1),
  suite: z.literal("AES-256-GCM HMAC-SHA256 HKDF-SHA256 X25519 Argon2id"),
  folder: idSchema,
  owner: ownerSchema,
  slots: z.array(z.discriminatedUnion("type", [ownerSlot, sealedSlot])).min(1).max(32),
  publicKey: text,
  privateKey: text,
  devices: z.array(text).max(32),
  mac: text,
});
export type FolderHeader = z.output<typeof headerSchema>;
type Slot = FolderHeader["slots"][number];

export const MAX_HEADER_BYTES = 64 * 1024;
const ABOUT =
  "This folder is sealed by Eremos. Its files are encrypted; they open with the owner's master password or recovery code, " +
  "with Eremos or with any reader written from docs/FORMAT.md. Don't delete or edit anything in here.";

/** How the folder key gets into the header: by the signed-in owner, or by sealing to the owner's public key. */
export type HeaderWriter = { readonly by: "owner"; readonly rootKey: Uint8Array } | { readonly by: "device" };

export interface NewHeader {
  readonly folder: string;
  readonly owner: OwnerEnvelope;
  readonly folderKey: Uint8Array;
  readonly pair: KeyPair;
  readonly devices: readonly Uint8Array[];
  readonly writer: HeaderWriter;
}

export async function createHeader(input: NewHeader): Promise<FolderHeader> {
  const body = {
    about: ABOUT,
    format: "eremos-folder" as const,
    version: 1 as const,
    suite: "AES-256-GCM HMAC-SHA256 HKDF-SHA256 X25519 Argon2id" as const,
    folder: input.folder,
    owner: input.owner,
    slots: [await makeSlot(input)],
    publicKey: toBase64(input.pair.publicKey),
    privateKey: sealBoxText(input.folderKey, purpose("private-key", input.folder), input.pair.privateKey),
    devices: input.devices.map((device) => toBase64(device)),
  };
  return { ...body, mac: headerMac(body, input.folderKey) };
}

function purpose(kind: string, folder: string): string {
  return `folder/${folder}/${kind}`;
}

async function makeSlot(input: NewHeader): Promise<Slot> {
  if (input.writer.by === "owner") {
    const slot = { type: "owner" as const, box: sealBoxText(input.writer.rootKey, purpose("owner-slot", input.folder), input.folderKey) };
    return { ...slot, checksum: checksumOf(slot) };
  }
  const sealed = await sealTo(fromBase64(input.owner.sealing.publicKey, 32), purpose("owner-slot", input.folder), input.folderKey);
  const slot = { type: "owner-sealed" as const, ...sealed };
  return { ...slot, checksum: checksumOf(slot) };
}

function headerMac(body: Omit<FolderHeader, "mac">, folderKey: Uint8Array): string {
  const key = hkdf(folderKey, fromBase64(body.folder, 16), "eremos/1/header");
  try {
    return toBase64(hmac(key, canonicalJson(body)));
  } finally {
    wipe(key);
  }
}

/**
 * The folder key, from the owner's root key. The owner envelope used is the caller's own, so that a newer master password works too.
 * @throws EremosError `wrong-password` (another owner's folder) | `damaged`
 */
export async function openHeader(header: FolderHeader, rootKey: Uint8Array): Promise<Buffer> {
  let sawWhole = false;
  for (const slot of header.slots) {
    const { checksum, ...body } = slot;
    if (checksumOf(body) !== checksum) continue;
    sawWhole = true;
    const folderKey = await openSlot(header, slot, rootKey);
    if (!folderKey) continue;
    const { mac, ...rest } = header;
    if (equalBytes(Buffer.from(headerMac(rest, folderKey)), Buffer.from(mac))) return folderKey;
    wipe(folderKey);
    throw new EremosError("damaged", "The folder's header was changed after it was written. Its copies may be whole.");
  }
  if (!sawWhole) throw new EremosError("damaged", "Every key slot of this folder is damaged in this copy of the header.");
  throw new EremosError("wrong-password", "This folder was locked by another owner; this master password does not open it. Nothing was changed.");
}

async function openSlot(header: FolderHeader, slot: Slot, rootKey: Uint8Array): Promise<Buffer | null> {
  if (slot.type === "owner") {
    const key = openBox(rootKey, purpose("owner-slot", header.folder), fromBase64(slot.box));
    return typeof key === "string" ? null : key;
  }
  let privateKey: Buffer | undefined;
  try {
    privateKey = openSealingKey(header.owner, rootKey);
    return await openEnvelope(privateKey, purpose("owner-slot", header.folder), { enc: slot.enc, ct: slot.ct });
  } catch {
    return null;
  } finally {
    wipe(privateKey);
  }
}

/** After a lock made while signed out: the same header with the folder key under the owner's symmetric key. */
export function adoptHeader(header: FolderHeader, rootKey: Uint8Array, folderKey: Uint8Array, owner: OwnerEnvelope): FolderHeader {
  const slot = { type: "owner" as const, box: sealBoxText(rootKey, purpose("owner-slot", header.folder), folderKey) };
  const { mac: _old, ...rest } = header;
  const body = { ...rest, owner, slots: [{ ...slot, checksum: checksumOf(slot) }] };
  return { ...body, mac: headerMac(body, folderKey) };
}

/** The folder's X25519 private key; the caller wipes it. @throws EremosError `damaged` */
export function openFolderPrivateKey(header: FolderHeader, folderKey: Uint8Array): Buffer {
  const key = openBox(folderKey, purpose("private-key", header.folder), fromBase64(header.privateKey));
  if (typeof key === "string") throw new EremosError("damaged", "The folder's private key is damaged in this copy of the header.");
  return key;
}

/** The owner envelope in a header's bytes. @throws EremosError `damaged` */
export function headerOwner(bytes: Uint8Array): OwnerEnvelope {
  return readHeader(bytes).owner;
}

export function writeHeader(header: FolderHeader): Buffer {
  return writeRecord(header);
}

export function readHeader(bytes: Uint8Array): FolderHeader {
  return readRecord(bytes, headerSchema, "folder's header", MAX_HEADER_BYTES);
}
