import * as z from "zod";
import { openBox, sealBoxText } from "../crypto/box";
import { fromBase64, requireLiveKey, toBase64, wipe } from "../crypto/bytes";
import { generateKeyPair, openEnvelope, sealTo } from "../crypto/envelope";
import {
  type Password,
  type PasswordCost,
  formatPasswordHashing,
  hashPassword,
  hkdf,
  newPasswordHashing,
  parsePasswordHashing,
} from "../crypto/kdf";
import { EremosError } from "../errors/eremos-error";
import { idBytes, idSchema, newId } from "./ids";
import { keyholdersShape, openKeyholdersKey } from "./keyholders";
import { type OwnerEnvelope, openRecoveryKey, openSealingKey } from "./owner";
import { newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import { said, say } from "@eremos/words/core/format";

/**
 * A slot: one way to a folder's key, in one shape for all. The folder key is sealed to a public key, whose private half
 * is boxed under the secret of that way. So the folder key can be renewed without knowing anybody's secret. What gives
 * a slot its authority is the header, which names it. FORMAT.md §4.2.
 */
const SLOT_KINDS = [
  "owner",
  "owner-and-password",
  "password",
  "recovery",
  "keyholders",
  "guest",
  "owner-sealed",
  "hardware",
] as const;
type SlotKind = (typeof SLOT_KINDS)[number];

const text = z.string().max(8192);
const { publicKey: _publicKey, privateKey: _privateKey, ...askedKeyholders } = keyholdersShape;
const slotSchema = recordSchema("eremos-slot", {
  folder: idSchema,
  id: idSchema,
  kind: z.enum(SLOT_KINDS),
  /** Whose way it is: the owner's id, a member's, or null for a password that is handed over. */
  member: z.union([idSchema, z.null()]),
  epoch: z.int().min(1),
  /** X25519. */
  publicKey: text,
  /** Boxed under the secret of this way; null where whoever it is for has it already. */
  privateKey: z.union([text, z.null()]),
  /** The folder key of the epoch, sealed to the public key. */
  key: z.strictObject({ enc: text, ct: text }),
  /** Of ways that ask for a password. */
  password: z.union([z.strictObject({ hashing: text, hint: text.nullable() }), z.null()]),
  keyholders: z.union([z.strictObject(askedKeyholders), z.null()]),
});
export type Slot = z.output<typeof slotSchema>;
const MAX_SLOT_BYTES = 16 * 1024;

/** What a slot leads to. */
export interface SlotKey {
  readonly folder: string;
  readonly epoch: number;
  readonly folderKey: Uint8Array;
}

/** A second password for one folder, as chosen: needed on top of the master password. The hint is readable. */
export interface FolderPassword {
  readonly password: Password;
  readonly hint: string | null;
  readonly cost: PasswordCost;
}

type Way = Pick<Slot, "id" | "kind" | "member" | "publicKey" | "privateKey"> &
  Partial<Pick<Slot, "password" | "keyholders">>;

function purpose({ folder, id, kind }: Pick<Slot, "folder" | "id" | "kind">): string {
  return `slot/${folder}/${id}/${kind}`;
}

async function slotFor(of: SlotKey, way: Way): Promise<Slot> {
  requireLiveKey(of.folderKey);
  const named = { folder: of.folder, id: way.id, kind: way.kind };
  const key = await sealTo(fromBase64(way.publicKey, 32), `${purpose(named)}/key/${of.epoch}`, of.folderKey);
  return {
    ...newFrame("eremos-slot"),
    ...named,
    member: way.member,
    epoch: of.epoch,
    publicKey: way.publicKey,
    privateKey: way.privateKey,
    key,
    password: way.password ?? null,
    keyholders: way.keyholders ?? null,
  };
}

/** With a pair of its own, whose private half is boxed under `secret`. */
async function boxedSlot(
  of: SlotKey,
  kind: SlotKind,
  member: string | null,
  secret: Uint8Array,
  id: string,
  password: Slot["password"] = null,
): Promise<Slot> {
  const pair = await generateKeyPair();
  try {
    const privateKey = sealBoxText(secret, purpose({ folder: of.folder, id, kind }), pair.privateKey);
    return await slotFor(of, { id, kind, member, publicKey: toBase64(pair.publicKey), privateKey, password });
  } finally {
    wipe(pair.privateKey);
  }
}

/** The same way to another folder key: needs nobody's secret. */
export function resealed(slot: Slot, of: SlotKey): Promise<Slot> {
  return slotFor(of, slot);
}

/** Opens by the owner's root key alone. */
export function ownerSlot(of: SlotKey, owner: string, rootKey: Uint8Array): Promise<Slot> {
  return boxedSlot(of, "owner", owner, rootKey, newId());
}

/** Written while nobody is signed in: opens by the owner's sealing key. */
export function ownerSealedSlot(of: SlotKey, { owner, sealing }: OwnerEnvelope): Promise<Slot> {
  return slotFor(of, {
    id: newId(),
    kind: "owner-sealed",
    member: owner,
    publicKey: sealing.publicKey,
    privateKey: null,
  });
}

/** Neither the master password nor the folder password alone leads to it. */
export async function togetherSlot(
  of: SlotKey,
  owner: string,
  rootKey: Uint8Array,
  { password, hint, cost }: FolderPassword,
): Promise<Slot> {
  const hashing = newPasswordHashing(cost);
  const key = await togetherKey(of.folder, rootKey, password, hashing);
  try {
    return await boxedSlot(of, "owner-and-password", owner, key, newId(), {
      hashing: formatPasswordHashing(hashing),
      hint,
    });
  } finally {
    wipe(key);
  }
}

/** Carries the recovery key pair it was made for, so that a later code for the owner does not take this way back. */
export function recoverySlot(
  of: SlotKey,
  { owner, recovery: { publicKey, privateKey } }: OwnerEnvelope,
): Promise<Slot> {
  return slotFor(of, { id: newId(), kind: "recovery", member: owner, publicKey, privateKey });
}

/** Like the recovery slot, for the owner's keyholders. Null where there are none. */
export async function keyholdersSlot(of: SlotKey, { owner, keyholders }: OwnerEnvelope): Promise<Slot | null> {
  if (!keyholders) return null;
  const { root: _root, publicKey, privateKey, ...asked } = keyholders;
  return slotFor(of, { id: newId(), kind: "keyholders", member: owner, publicKey, privateKey, keyholders: asked });
}

/** For a guest whose pair is their own. */
export function guestSlot(of: SlotKey, member: string, sealingKey: string): Promise<Slot> {
  return slotFor(of, { id: newId(), kind: "guest", member, publicKey: sealingKey, privateKey: null });
}

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
    return hkdf(both, idBytes(folder), "eremos/2/folder-password");
  } finally {
    wipe(passwordKey, both);
  }
}

/** By the private half of the slot's pair; null where it is not that. The caller wipes the key. */
export function openByPair(slot: Slot, privateKey: Uint8Array): Promise<Buffer | null> {
  return openEnvelope(privateKey, `${purpose(slot)}/key/${slot.epoch}`, slot.key);
}

async function openBoxed(slot: Slot, secret: Uint8Array): Promise<Buffer | "another-key" | "damaged"> {
  if (slot.privateKey === null) return "damaged";
  const privateKey = openBox(secret, purpose(slot), fromBase64(slot.privateKey));
  if (typeof privateKey === "string") return privateKey;
  try {
    return (await openByPair(slot, privateKey)) ?? "damaged";
  } finally {
    wipe(privateKey);
  }
}

/** By the owner's root key alone; null where this is no such way, or not this owner's. The caller wipes the key. */
export async function openByRoot(slot: Slot, owner: OwnerEnvelope, rootKey: Uint8Array): Promise<Buffer | null> {
  if (slot.kind === "owner") {
    const key = await openBoxed(slot, rootKey);
    return typeof key === "string" ? null : key;
  }
  if (slot.kind !== "owner-sealed") return null;
  let privateKey: Buffer | undefined;
  try {
    privateKey = openSealingKey(owner, rootKey);
    return await openByPair(slot, privateKey);
  } catch (error) {
    if (error instanceof EremosError) return null;
    throw error;
  } finally {
    wipe(privateKey);
  }
}

/**
 * By root key and folder password together. `most`: the work that one look may take. @throws EremosError
 * `wrong-password` | `damaged` | `costly`
 */
export async function openTogether(
  slot: Slot,
  rootKey: Uint8Array,
  password: Password,
  most?: number,
): Promise<Buffer> {
  if (!slot.password) throw damagedSlot(say("folders-password-slot"), say("recovery-code-still-opens-it"));
  const key = await togetherKey(slot.folder, rootKey, password, parsePasswordHashing(slot.password.hashing, most));
  try {
    const folderKey = await openBoxed(slot, key);
    if (folderKey === "another-key") throw new EremosError("wrong-password", said("that-is-not-this-folders"));
    if (folderKey === "damaged") throw damagedSlot(say("folders-password-slot"), say("recovery-code-still-opens-it"));
    return folderKey;
  } finally {
    wipe(key);
  }
}

/** @throws EremosError `wrong-code` | `damaged` */
export async function openByCode(slot: Slot, owner: string, code: string): Promise<Buffer> {
  const privateKey = openRecoveryKey(owner, slot.privateKey ?? "", code);
  try {
    const folderKey = await openByPair(slot, privateKey);
    if (!folderKey) throw damagedSlot(say("folders-recovery-slot"), say("folder-password-still-opens-it"));
    return folderKey;
  } finally {
    wipe(privateKey);
  }
}

/** @throws EremosError `wrong-share` | `too-few-shares` | `damaged` */
export async function openByShares(slot: Slot, owner: string, shares: readonly string[]): Promise<Buffer> {
  if (!slot.keyholders) throw damagedSlot(say("folders-keyholders-slot"), say("folder-password-and-recovery-code"));
  const privateKey = await openKeyholdersKey(owner, { ...slot.keyholders, privateKey: slot.privateKey ?? "" }, shares);
  try {
    const folderKey = await openByPair(slot, privateKey);
    if (!folderKey) throw damagedSlot(say("folders-keyholders-slot"), say("folder-password-and-recovery-code"));
    return folderKey;
  } finally {
    wipe(privateKey);
  }
}

function damagedSlot(what: string, instead: string): EremosError {
  return new EremosError("damaged", said("is-damaged-2", { what, instead }));
}

export function writeSlot(slot: Slot): Buffer {
  return writeRecord(slot);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readSlot(bytes: Uint8Array): Slot {
  return readRecord(bytes, slotSchema, say("record-way-into-folder"), MAX_SLOT_BYTES);
}
