import { z } from "zod";
import { equalBytes, fromBase64, requireLiveKey, toBase64, wipe } from "../crypto/bytes";
import { openBox, sealBoxText } from "../crypto/box";
import { type KeyPair, openEnvelope, sealTo } from "../crypto/envelope";
import {
  type PasswordCost,
  formatPasswordHashing,
  hashPassword,
  hkdf,
  hmac,
  newPasswordHashing,
  parsePasswordHashing,
  workOf,
  type Password,
} from "../crypto/kdf";
import { type SigningKey, isSignedBy, signWith } from "../crypto/signature";
import { EremosError } from "../errors/eremos-error";
import { canonicalJson, checksumOf } from "./canonical-json";
import { idSchema } from "./ids";
import { type AskedKeyholders, keyholdersShape, openKeyholdersKey } from "./keyholders";
import { type OwnerEnvelope, isRootKeyOf, openRecoveryKey, openSealingKey, ownerSchema } from "./owner";
import { readRecord, writeRecord } from "./record-file";

/** The folder's header. Small JSON, readable with any editor, authenticated once the folder key is known. FORMAT.md §4. */
const text = z.string().max(8192);
const ownerSlot = z.strictObject({ type: z.literal("owner"), box: text, checksum: text });
const sealedSlot = z.strictObject({ type: z.literal("owner-sealed"), enc: text, ct: text, checksum: text });
const passwordSlot = z.strictObject({
  type: z.literal("owner-and-password"),
  hashing: text,
  hint: text.nullable(),
  box: text,
  checksum: text,
});
const keyholdersSlot = z.strictObject({
  type: z.literal("keyholders"),
  ...keyholdersShape,
  enc: text,
  ct: text,
  checksum: text,
});
const recoverySlot = z.strictObject({
  type: z.literal("recovery"),
  publicKey: text,
  privateKey: text,
  enc: text,
  ct: text,
  checksum: text,
});

export const headerSchema = z.strictObject({
  about: text,
  format: z.literal("eremos-folder"),
  version: z.literal(1),
  suite: z.literal("AES-256-GCM HMAC-SHA256 HKDF-SHA256 X25519 Argon2id"),
  folder: idSchema,
  owner: ownerSchema,
  slots: z
    .array(z.discriminatedUnion("type", [ownerSlot, sealedSlot, passwordSlot, recoverySlot, keyholdersSlot]))
    .min(1)
    .max(32),
  publicKey: text,
  privateKey: text,
  /** By the owner's root key: this folder key is one that the owner made. */
  proof: text.exactOptional(),
  /** Or by a computer that locked it first while nobody was signed in. */
  device: text.exactOptional(),
  signature: text.exactOptional(),
  mac: text,
});
export type FolderHeader = z.output<typeof headerSchema>;
type Slot = FolderHeader["slots"][number];

export const MAX_HEADER_BYTES = 64 * 1024;
const ABOUT =
  "This folder is sealed by Eremos. Its files are encrypted; they open with the owner's master password or recovery code, " +
  "with Eremos or with any reader written from docs/FORMAT.md. Don't delete or edit anything in here.";

/** A second password for one folder, as chosen: needed on top of the master password. The hint stands in the header, readable. */
export interface FolderPassword {
  readonly password: Password;
  readonly hint: string | null;
  readonly cost: PasswordCost;
}

/** What opens a folder that has a password of its own: that password, or without it the recovery code, or enough keyholders' shares. */
export type FolderSecret =
  | { readonly kind: "password"; readonly password: Password }
  | { readonly kind: "code"; readonly code: string }
  | { readonly kind: "shares"; readonly shares: readonly string[] };

/** How the folder key gets into the header: by the signed-in owner, or by sealing to the owner's public key, for which this computer signs. */
export type HeaderWriter =
  | { readonly by: "owner"; readonly rootKey: Uint8Array; readonly password: FolderPassword | null }
  | { readonly by: "device"; readonly device: SigningKey };

export interface NewHeader {
  readonly folder: string;
  readonly owner: OwnerEnvelope;
  readonly folderKey: Uint8Array;
  readonly pair: KeyPair;
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
    slots: await makeSlots(input),
    publicKey: toBase64(input.pair.publicKey),
    privateKey: sealBoxText(input.folderKey, purpose("private-key", input.folder), input.pair.privateKey),
  };
  const { writer, folder, folderKey } = input;
  if (writer.by === "device") return resigned(signedBy(body, writer.device), folderKey);
  requireOwnRecord(input.owner, writer.rootKey);
  return resigned({ ...body, proof: proofOf(folder, folderKey, writer.rootKey) }, folderKey);
}

type Body = Omit<FolderHeader, "mac">;

/** What only somebody with the root key can say of a folder key. A key that was merely sealed to the owner may be anybody's. FORMAT.md §4.2. */
function proofOf(folder: string, folderKey: Uint8Array, rootKey: Uint8Array): string {
  requireLiveKey(folderKey);
  const key = hkdf(rootKey, fromBase64(folder, 16), "eremos/1/folder-proof");
  try {
    return toBase64(hmac(key, folderKey));
  } finally {
    wipe(key);
  }
}

function signedMessage({ owner: _owner, proof: _proof, signature: _signature, ...body }: Body): Buffer {
  return Buffer.concat([Buffer.from("eremos/1/header\n", "utf8"), canonicalJson(body)]);
}

function signedBy(body: Body, device: SigningKey): Body {
  const named = { ...body, device: toBase64(device.publicKey) };
  return { ...named, signature: toBase64(signWith(device, signedMessage(named))) };
}

/** An owner record goes into a header only where it belongs to the root key at hand. @throws EremosError `damaged` */
function requireOwnRecord(owner: OwnerEnvelope, rootKey: Uint8Array): void {
  if (!isRootKeyOf(owner, rootKey))
    throw new EremosError(
      "damaged",
      "The owner record does not belong to the key that is signed in, so the folder's header was not written. Nothing was changed; sign in again.",
    );
}

/** The same header with the owner's present record. @throws EremosError `wrong-password` (another owner's) | `damaged` */
export function withOwner(header: FolderHeader, owner: OwnerEnvelope, rootKey: Uint8Array): FolderHeader {
  if (header.owner.owner !== owner.owner)
    throw new EremosError("wrong-password", "This folder was locked by another owner. Nothing was changed.");
  requireOwnRecord(owner, rootKey);
  return { ...header, owner };
}

function purpose(kind: string, folder: string): string {
  return `folder/${folder}/${kind}`;
}

async function makeSlots(input: NewHeader): Promise<Slot[]> {
  const { writer, folder, owner, folderKey } = input;
  if (writer.by === "owner")
    return writer.password
      ? passwordSlots(input, writer.rootKey, writer.password)
      : [ownerSlotFor(folder, writer.rootKey, folderKey)];
  const sealed = await sealTo(fromBase64(owner.sealing.publicKey, 32), purpose("owner-slot", folder), folderKey);
  return [checked({ type: "owner-sealed" as const, ...sealed })];
}

function ownerSlotFor(folder: string, rootKey: Uint8Array, folderKey: Uint8Array): Slot {
  return checked({ type: "owner" as const, box: sealBoxText(rootKey, purpose("owner-slot", folder), folderKey) });
}

/** One opens with root key and folder password together, one with the recovery code alone, one with keyholders' shares. FORMAT.md §4.1. */
async function passwordSlots(
  of: Pick<NewHeader, "folder" | "owner" | "folderKey">,
  rootKey: Uint8Array,
  { password, hint, cost }: FolderPassword,
): Promise<Slot[]> {
  const hashing = newPasswordHashing(cost);
  const key = await togetherKey(of.folder, rootKey, password, hashing);
  try {
    const box = sealBoxText(key, purpose("password-slot", of.folder), of.folderKey);
    return [
      checked({ type: "owner-and-password" as const, hashing: formatPasswordHashing(hashing), hint, box }),
      await recoverySlotFor(of),
      ...(await keyholdersSlotsFor(of)),
    ];
  } finally {
    wipe(key);
  }
}

/** Carries the recovery key pair it was made for, so that a later code for the owner does not take this way back. */
async function recoverySlotFor({
  folder,
  owner: { recovery },
  folderKey,
}: Pick<NewHeader, "folder" | "owner" | "folderKey">): Promise<Slot> {
  const { publicKey, privateKey } = recovery;
  return checked({
    type: "recovery" as const,
    publicKey,
    privateKey,
    ...(await sealTo(fromBase64(publicKey, 32), purpose("recovery-slot", folder), folderKey)),
  });
}

/** Like the recovery slot, for the owner's keyholders; none where there are none. */
async function keyholdersSlotsFor({
  folder,
  owner: { keyholders },
  folderKey,
}: Pick<NewHeader, "folder" | "owner" | "folderKey">): Promise<Slot[]> {
  if (!keyholders) return [];
  const { root: _root, ...set } = keyholders;
  return [
    checked({
      type: "keyholders" as const,
      ...set,
      ...(await sealTo(fromBase64(set.publicKey, 32), purpose("keyholders-slot", folder), folderKey)),
    }),
  ];
}

/** Neither the master password nor the folder password alone leads to it. */
async function togetherKey(
  folder: string,
  rootKey: Uint8Array,
  password: Password,
  hashing: ReturnType<typeof parsePasswordHashing>,
): Promise<Buffer> {
  requireLiveKey(rootKey);
  const passwordKey = await hashPassword(password, hashing);
  const both = Buffer.concat([rootKey, passwordKey]);
  try {
    return hkdf(both, fromBase64(folder, 16), "eremos/1/folder-password");
  } finally {
    wipe(passwordKey, both);
  }
}

function checked<S extends Omit<Slot, "checksum">>(slot: S): S & { checksum: string } {
  return { ...slot, checksum: checksumOf(slot) };
}

/** The owner envelope has a mac of its own: another master password reaches headers whose folder key is not at hand. */
function headerMac({ owner: _owner, ...body }: Body, folderKey: Uint8Array): string {
  const key = hkdf(folderKey, fromBase64(body.folder, 16), "eremos/1/header");
  try {
    return toBase64(hmac(key, canonicalJson(body)));
  } finally {
    wipe(key);
  }
}

/** What of the owner opens a folder. */
export interface HeaderAccess {
  readonly rootKey: Uint8Array;
  /** The folder key, for a folder that has a password of its own; null where the root key is enough. */
  readonly folderKey: Uint8Array | null;
  /** Ed25519 public keys (32 bytes) of the owner's computers. */
  readonly devices: readonly Uint8Array[];
}

/**
 * Who stands behind a folder key: the owner, whose root key it was made or taken in with; one of the owner's computers, which signed for it; or nobody
 * known: everybody can seal a key of their own to the owner's public key. Nothing is ever sealed to a key that nobody known stands behind.
 */
export type Standing = "owner" | "device" | "unknown";

export interface OpenedHeader {
  /** The caller wipes it. */
  readonly folderKey: Buffer;
  readonly standing: Standing;
}

/**
 * The folder key, from the owner's root key, and who stands behind it. The owner envelope used is the caller's own, so that a newer master password works
 * too. @throws EremosError `needs-folder-password` | `wrong-password` (another owner's folder) | `damaged`
 */
export async function openHeader(header: FolderHeader, access: HeaderAccess): Promise<OpenedHeader> {
  const folderKey = await folderKeyIn(header, access);
  return { folderKey, standing: standingOf(header, folderKey, access) };
}

/** `rootKey` null: it is not at hand, and only a computer's signature can tell. */
export function standingOf(
  header: FolderHeader,
  folderKey: Uint8Array,
  { rootKey, devices }: { readonly rootKey: Uint8Array | null; readonly devices: readonly Uint8Array[] },
): Standing {
  const { proof, device, signature, mac: _mac, ...body } = header;
  if (
    rootKey &&
    proof !== undefined &&
    equalBytes(Buffer.from(proof), Buffer.from(proofOf(header.folder, folderKey, rootKey)))
  )
    return "owner";
  const known = device === undefined ? undefined : devices.find((one) => toBase64(one) === device);
  return known &&
    signature !== undefined &&
    isSignedBy(known, signedMessage({ ...body, ...(device === undefined ? {} : { device }) }), fromBase64(signature))
    ? "device"
    : "unknown";
}

async function folderKeyIn(header: FolderHeader, access: HeaderAccess): Promise<Buffer> {
  if (access.folderKey) return requireAuthentic(header, Buffer.from(access.folderKey));
  const whole = wholeSlots(header);
  for (const slot of whole) {
    const folderKey = await openSlot(header, slot, access.rootKey);
    if (folderKey) return requireAuthentic(header, folderKey);
  }
  if (whole.some(({ type }) => type === "owner-and-password"))
    throw new EremosError(
      "needs-folder-password",
      "This folder has a password of its own, which is needed too. Nothing was touched.",
    );
  throw new EremosError(
    "wrong-password",
    "This folder was locked by another owner; this master password does not open it. Nothing was changed.",
  );
}

/**
 * The folder key of a folder with a password of its own; the caller wipes it.
 * `most`: the work that one look at a password may take.
 * @throws EremosError `wrong-password` | `wrong-code` | `wrong-share` | `too-few-shares` | `not-protected` (it has none) | `damaged` | `costly`
 */
export async function openWithSecret(
  header: FolderHeader,
  rootKey: Uint8Array,
  secret: FolderSecret,
  most?: number,
): Promise<Buffer> {
  const slots = wholeSlots(header);
  const slotOf = <T extends Slot["type"]>(wanted: T): Extract<Slot, { type: T }> => {
    const slot = slots.find((one): one is Extract<Slot, { type: T }> => one.type === wanted);
    if (slot) return slot;
    if (slots.some(({ type }) => type === "owner-and-password"))
      throw new EremosError(
        "not-set-up",
        "This folder was last opened before the keyholders were named, so their shares do not open it. Its password and the recovery code do.",
      );
    throw new EremosError("not-protected", "This folder has no password of its own. Nothing was touched.");
  };
  if (secret.kind === "code")
    return requireAuthentic(header, await openRecoverySlot(header, slotOf("recovery"), secret.code));
  if (secret.kind === "shares")
    return requireAuthentic(header, await openKeyholdersSlot(header, slotOf("keyholders"), secret.shares));
  const slot = slotOf("owner-and-password");
  const key = await togetherKey(header.folder, rootKey, secret.password, parsePasswordHashing(slot.hashing, most));
  try {
    const folderKey = openBox(key, purpose("password-slot", header.folder), fromBase64(slot.box));
    if (folderKey === "another-key")
      throw new EremosError("wrong-password", "That is not this folder's password. Nothing was changed; try again.");
    if (folderKey === "damaged")
      throw new EremosError(
        "damaged",
        "The folder's password slot is damaged in this copy of the header. The recovery code still opens it.",
      );
    return requireAuthentic(header, folderKey);
  } finally {
    wipe(key);
  }
}

/** The work that one look at the folder's own password takes by this header; 0 where it has none. */
export function workOfPassword(header: FolderHeader): number {
  return Math.max(
    0,
    ...wholeSlots(header).map((slot) =>
      slot.type === "owner-and-password" ? workOf(parsePasswordHashing(slot.hashing)) : 0,
    ),
  );
}

async function openRecoverySlot(
  header: FolderHeader,
  slot: Extract<Slot, { type: "recovery" }>,
  code: string,
): Promise<Buffer> {
  const privateKey = openRecoveryKey(header.owner.owner, slot.privateKey, code);
  try {
    const folderKey = await openEnvelope(privateKey, purpose("recovery-slot", header.folder), {
      enc: slot.enc,
      ct: slot.ct,
    });
    if (!folderKey)
      throw new EremosError(
        "damaged",
        "The folder's recovery slot is damaged in this copy of the header. The folder password still opens it.",
      );
    return folderKey;
  } finally {
    wipe(privateKey);
  }
}

async function openKeyholdersSlot(
  header: FolderHeader,
  slot: Extract<Slot, { type: "keyholders" }>,
  shares: readonly string[],
): Promise<Buffer> {
  const privateKey = await openKeyholdersKey(header.owner.owner, slot, shares);
  try {
    const folderKey = await openEnvelope(privateKey, purpose("keyholders-slot", header.folder), {
      enc: slot.enc,
      ct: slot.ct,
    });
    if (!folderKey)
      throw new EremosError(
        "damaged",
        "The folder's keyholders' slot is damaged in this copy of the header. The folder password and the recovery code still open it.",
      );
    return folderKey;
  } finally {
    wipe(privateKey);
  }
}

/** @throws EremosError `damaged`; the key is wiped then */
function requireAuthentic({ mac, ...rest }: FolderHeader, folderKey: Buffer): Buffer {
  if (equalBytes(Buffer.from(headerMac(rest, folderKey)), Buffer.from(mac))) return folderKey;
  wipe(folderKey);
  throw new EremosError("damaged", "The folder's header was changed after it was written. Its copies may be whole.");
}

/** @throws EremosError `damaged` when there is none */
function wholeSlots(header: FolderHeader): Slot[] {
  const whole = header.slots.filter(({ checksum, ...body }) => checksumOf(body) === checksum);
  if (whole.length === 0)
    throw new EremosError("damaged", "Every key slot of this folder is damaged in this copy of the header.");
  return whole;
}

async function openSlot(header: FolderHeader, slot: Slot, rootKey: Uint8Array): Promise<Buffer | null> {
  if (slot.type === "owner") {
    const key = openBox(rootKey, purpose("owner-slot", header.folder), fromBase64(slot.box));
    return typeof key === "string" ? null : key;
  }
  if (slot.type !== "owner-sealed") return null;
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

/** The same header with other slots: a folder password set, changed or (null) taken off. */
export async function withFolderPassword(
  header: FolderHeader,
  access: { readonly owner: OwnerEnvelope; readonly rootKey: Uint8Array },
  folderKey: Uint8Array,
  password: FolderPassword | null,
): Promise<FolderHeader> {
  const of = { folder: header.folder, owner: access.owner, folderKey };
  const slots = password
    ? await passwordSlots(of, access.rootKey, password)
    : [ownerSlotFor(header.folder, access.rootKey, folderKey)];
  return madeByOwner({ ...header, slots }, access, folderKey);
}

/** With the owner's record and proof in the place of a computer's signature. */
function madeByOwner(
  { mac: _mac, device: _device, signature: _signature, ...body }: FolderHeader,
  { owner, rootKey }: { readonly owner: OwnerEnvelope; readonly rootKey: Uint8Array },
  folderKey: Uint8Array,
): FolderHeader {
  requireOwnRecord(owner, rootKey);
  return resigned({ ...body, owner, proof: proofOf(body.folder, folderKey, rootKey) }, folderKey);
}

/**
 * What can be put right once the folder key is at hand: after a lock made while signed out, the key under the owner's symmetric key; after
 * a new recovery code or other keyholders, the way back by them. The same object when there is nothing to do.
 */
export async function adoptHeader(
  header: FolderHeader,
  access: { readonly owner: OwnerEnvelope; readonly rootKey: Uint8Array },
  folderKey: Uint8Array,
): Promise<FolderHeader> {
  const of = { folder: header.folder, owner: access.owner, folderKey };
  const isSealed = header.slots.some(({ type }) => type === "owner-sealed");
  if (!isSealed && !hasEarlierCode(header, access.owner) && !hasEarlierKeyholders(header, access.owner)) return header;
  const kept = await Promise.all(
    header.slots
      .filter(({ type }) => type !== "keyholders")
      .map((slot): Slot | Promise<Slot> => {
        if (slot.type === "owner-sealed") return ownerSlotFor(header.folder, access.rootKey, folderKey);
        return slot.type === "recovery" ? recoverySlotFor(of) : slot;
      }),
  );
  const slots = hasPasswordSlot(header) ? [...kept, ...(await keyholdersSlotsFor(of))] : kept;
  return madeByOwner({ ...header, slots }, access, folderKey);
}

function resigned(body: Body, folderKey: Uint8Array): FolderHeader {
  return { ...body, mac: headerMac(body, folderKey) };
}

function hasPasswordSlot({ slots }: FolderHeader): boolean {
  return slots.some(({ type }) => type === "owner-and-password");
}

function hasEarlierCode({ slots }: FolderHeader, owner: OwnerEnvelope): boolean {
  return slots.some((slot) => slot.type === "recovery" && slot.publicKey !== owner.recovery.publicKey);
}

function hasEarlierKeyholders(header: FolderHeader, owner: OwnerEnvelope): boolean {
  if (!hasPasswordSlot(header)) return false;
  const slot = header.slots.find(({ type }) => type === "keyholders");
  return (slot?.type === "keyholders" ? slot.set : null) !== (owner.keyholders?.set ?? null);
}

/** What a header tells of the ways into it, without a key. */
export interface WaysIn {
  readonly hasPassword: boolean;
  /** The hint to the folder password. */
  readonly hint: string | null;
  /** It has the owner's present master password, recovery code and keyholders. */
  readonly isCurrent: boolean;
  /** It has a password of its own, and without that opens with an earlier recovery code until it is opened. */
  readonly hasEarlierCode: boolean;
  /** It has a password of its own, and without that opens with earlier keyholders' shares, or none, until it is opened. */
  readonly hasEarlierKeyholders: boolean;
}

/** @throws EremosError `damaged` */
export function waysInto(bytes: Uint8Array, owner: OwnerEnvelope): WaysIn {
  const header = readHeader(bytes);
  const slot = header.slots.find(({ type }) => type === "owner-and-password");
  return {
    hasPassword: slot !== undefined,
    hint: slot?.type === "owner-and-password" ? slot.hint : null,
    isCurrent: header.owner.mac === owner.mac,
    hasEarlierCode: hasEarlierCode(header, owner),
    hasEarlierKeyholders: hasEarlierKeyholders(header, owner),
  };
}

/** The sets of keyholders whose shares are asked for: the folder's own slot first, where it has a password of its own. */
export function keyholdersOf(header: FolderHeader): AskedKeyholders | null {
  const slot = header.slots.find(({ type }) => type === "keyholders");
  if (hasPasswordSlot(header)) return slot?.type === "keyholders" ? slot : null;
  return header.owner.keyholders ?? null;
}

/** The folder's X25519 private key; the caller wipes it. @throws EremosError `damaged` */
export function openFolderPrivateKey(header: FolderHeader, folderKey: Uint8Array): Buffer {
  const key = openBox(folderKey, purpose("private-key", header.folder), fromBase64(header.privateKey));
  if (typeof key === "string")
    throw new EremosError("damaged", "The folder's private key is damaged in this copy of the header.");
  return key;
}

export function writeHeader(header: FolderHeader): Buffer {
  return writeRecord(header);
}

export function readHeader(bytes: Uint8Array): FolderHeader {
  return readRecord(bytes, headerSchema, "folder's header", MAX_HEADER_BYTES);
}
