import * as z from "zod";
import { openBox, sealBoxText } from "../crypto/box";
import { fromBase64, randomBytes, sha256, toBase64, wipe } from "../crypto/bytes";
import { type KeyPair, generateKeyPair } from "../crypto/envelope";
import { type Password, parsePasswordHashing, workOf } from "../crypto/kdf";
import { type SigningKey, isSignedBy, signWith } from "../crypto/signature";
import { EremosError, damage } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { digestSchema, idSchema } from "./ids";
import type { AskedKeyholders } from "./keyholders";
import { type Member, readMember, withNameUnder, writeMember } from "./member";
import { MOST_EARLIER, type OwnerEnvelope, deviceId, isRootKeyOf, openSigningKey, ownerSchema } from "./owner";
import { FORMAT_VERSION, newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import {
  type FolderPassword,
  type Slot,
  type SlotKey,
  keyholdersSlot,
  openByCode,
  openByRoot,
  openByShares,
  openTogether,
  ownerSealedSlot,
  ownerSlot,
  readSlot,
  recoverySlot,
  resealed,
  togetherSlot,
  writeSlot,
} from "./slot";
import { said, say } from "@eremos/words/core/format";

/**
 * The folder's header: whose it is, what its key is, and by their digests the ways to that key and who may what.
 * Signed. FORMAT.md §4.
 */
const text = z.string().max(8192);
/** Of each, a header names so many at most. */
const MOST_NAMED = 96;
const named = z
  .array(digestSchema)
  .max(MOST_NAMED)
  .refine((digests) => digests.every((one, i) => i === 0 || (digests[i - 1] ?? "") < one));

const headerSchema = recordSchema("eremos-folder", {
  about: text,
  suite: z.literal("AES-256-GCM SHA-256 HMAC-SHA256 HKDF-SHA256 X25519 Ed25519 Argon2id"),
  folder: idSchema,
  owner: ownerSchema,
  /** The number of the folder key. */
  epoch: z.int().min(1),
  /** The folder's X25519 pair; the private half boxed under the folder key. */
  publicKey: text,
  privateKey: text,
  /** Folder keys of before, each in a box under the present one, with the pair of then; the oldest first. */
  earlier: z
    .array(z.strictObject({ epoch: z.int().min(1), key: text, publicKey: text, privateKey: text }))
    .max(MOST_EARLIER),
  /** SHA-256 of the records of the ways in, sorted. */
  slots: named.min(1),
  /** SHA-256 of the records of members, sorted. */
  members: named,
  /** What names of entries are, and whether two that differ only in case are one. */
  names: z.strictObject({ form: z.enum(["bytes", "text"]), fold: z.boolean() }),
  /** The least version of this format that may write to the folder. */
  least: z.int().min(FORMAT_VERSION),
  /** One more with each change: of two headers that somebody known signed, the one with the larger is the folder's. */
  counter: z.int().min(1),
  /** The owner's id, or that of a computer of theirs, for a first lock while nobody was signed in. */
  signer: idSchema,
  signature: text,
});
export type FolderHeader = z.output<typeof headerSchema>;
type Unsigned = Omit<FolderHeader, "signature">;

export const MAX_HEADER_BYTES = 64 * 1024;
/** Signed with the rest of the header, so it is of the format, and in no other language. */
const ABOUT =
  "This folder is sealed by Eremos. Its files are encrypted; they open with the owner's master password or recovery code, " +
  "with Eremos or with any reader written from docs/FORMAT.md. Don't delete or edit anything in here.";

/** A header with the records that it names, as far as they are at hand. */
export interface Head {
  readonly header: FolderHeader;
  readonly slots: readonly Slot[];
  readonly members: readonly Member[];
}

/**
 * What opens a folder that has a password of its own: that password, or without it the recovery code, or enough
 * keyholders' shares.
 */
export type FolderSecret =
  | { readonly kind: "password"; readonly password: Password }
  | { readonly kind: "code"; readonly code: string }
  | { readonly kind: "shares"; readonly shares: readonly string[] };

/**
 * How the folder key gets into the header: by the signed-in owner, or by sealing to the owner's public key, for which
 * this computer signs.
 */
type HeaderWriter =
  | { readonly by: "owner"; readonly rootKey: Uint8Array; readonly password: FolderPassword | null }
  | { readonly by: "device"; readonly device: SigningKey };

export interface NewHeader {
  readonly folder: string;
  readonly owner: OwnerEnvelope;
  readonly folderKey: Uint8Array;
  readonly pair: KeyPair;
  readonly writer: HeaderWriter;
}

export async function createHead({ folder, owner, folderKey, pair, writer }: NewHeader): Promise<Head> {
  const of = { folder, epoch: 1, folderKey };
  const slots =
    writer.by === "owner"
      ? await ownSlots(of, owner, writer.rootKey, writer.password)
      : [await ownerSealedSlot(of, owner)];
  const body = {
    ...newFrame("eremos-folder"),
    about: ABOUT,
    suite: "AES-256-GCM SHA-256 HMAC-SHA256 HKDF-SHA256 X25519 Ed25519 Argon2id" as const,
    folder,
    owner,
    epoch: 1,
    publicKey: toBase64(pair.publicKey),
    privateKey: sealBoxText(folderKey, pairPurpose(folder, 1), pair.privateKey),
    earlier: [],
    slots: slots.map(digestOfSlot).sort(),
    members: [],
    names: { form: "bytes" as const, fold: false },
    least: FORMAT_VERSION,
    counter: 1,
  };
  const header =
    writer.by === "owner"
      ? signedByOwner(body, owner, writer.rootKey)
      : signed(body, deviceId(writer.device.publicKey), writer.device);
  return { header, slots, members: [] };
}

function pairPurpose(folder: string, epoch: number): string {
  return `folder/${folder}/private-key/${epoch}`;
}

/** What the header knows a record by. */
export function digestOf(record: Uint8Array): string {
  return sha256(record).toString("hex");
}

function digestOfSlot(slot: Slot): string {
  return digestOf(writeSlot(slot));
}

/**
 * The ways that an owner has: by the root key, or, with a password of the folder's own, by both together, by the
 * recovery code and by the keyholders.
 */
async function ownSlots(
  of: SlotKey,
  owner: OwnerEnvelope,
  rootKey: Uint8Array,
  password: FolderPassword | null,
): Promise<Slot[]> {
  if (!password) return [await ownerSlot(of, owner.owner, rootKey)];
  return [await togetherSlot(of, owner.owner, rootKey, password), ...(await waysWithoutPassword(of, owner))];
}

async function waysWithoutPassword(of: SlotKey, owner: OwnerEnvelope): Promise<Slot[]> {
  const slots = [await recoverySlot(of, owner), await keyholdersSlot(of, owner)];
  return slots.filter((slot) => slot !== null);
}

function signedMessage({ signature: _signature, ...body }: Unsigned & { readonly signature?: string }): Buffer {
  return Buffer.concat([Buffer.from("eremos/2/header\n", "utf8"), canonicalJson(body)]);
}

function signed(body: Omit<Unsigned, "signer">, signer: string, key: SigningKey): FolderHeader {
  const whole = { ...body, signer };
  return { ...whole, signature: toBase64(signWith(key, signedMessage(whole))) };
}

/** An owner record goes into a header only where it belongs to the root key at hand. @throws EremosError `damaged` */
function signedByOwner(body: Omit<Unsigned, "signer">, owner: OwnerEnvelope, rootKey: Uint8Array): FolderHeader {
  if (!isRootKeyOf(owner, rootKey)) throw new EremosError("damaged", said("owner-record-does-not-belong"));
  const key = openSigningKey(owner, rootKey);
  try {
    return signed({ ...body, owner }, owner.owner, key);
  } finally {
    wipe(key.privateKey);
  }
}

/** Whoever is signed in, and whose root key that is. */
interface SignedIn {
  readonly owner: OwnerEnvelope;
  readonly rootKey: Uint8Array;
}

/**
 * The same folder as its owner says it is from now on. The caller knows that somebody known stands behind what it takes
 * over.
 */
function changed(
  { header, slots, members }: Head,
  by: SignedIn,
  now: {
    readonly slots?: readonly Slot[];
    readonly members?: readonly Member[];
    readonly key?: Pick<FolderHeader, "epoch" | "publicKey" | "privateKey" | "earlier">;
  },
): Head {
  const { signature: _signature, ...body } = header;
  const [newSlots, newMembers] = [now.slots ?? slots, now.members ?? members];
  return {
    header: signedByOwner(
      {
        ...body,
        ...now.key,
        counter: header.counter + 1,
        // A record that is lost for now stays named: it counts again once it is found.
        slots: now.slots ? newSlots.map(digestOfSlot).sort() : header.slots,
        members: now.members ? newMembers.map((member) => digestOf(writeMember(member))).sort() : header.members,
      },
      by.owner,
      by.rootKey,
    ),
    slots: newSlots,
    members: newMembers,
  };
}

/**
 * The same folder with the owner's present record, which has the same keys. @throws EremosError `wrong-password`
 * (another owner's) | `renew-first` | `damaged`
 */
export function withOwner(head: Head, by: SignedIn): Head {
  if (head.header.owner.owner !== by.owner.owner)
    throw new EremosError("wrong-password", said("this-folder-was-locked-by"));
  if (isOfEarlierKeys(head, by.owner)) throw new EremosError("renew-first", said("this-folder-was-locked-before"));
  return changed(head, by, {});
}

/** Its ways in are those of keys that the owner has replaced since. */
export function isOfEarlierKeys({ header }: Pick<Head, "header">, owner: OwnerEnvelope): boolean {
  return header.owner.signing.publicKey !== owner.signing.publicKey;
}

/** Whoever is signed in, and the root key of theirs that the folder was locked with. */
export interface Renewing extends SignedIn {
  readonly rootBefore: Uint8Array;
}

/**
 * The same folder with another key, sealed anew for every way in, and the keys before in boxes under it: nothing that
 * is encrypted from now on opens with what opened it before. `password`: the folder's own, of one that has one. @throws
 * EremosError `unsupported` after {@link MOST_EARLIER} times
 * | `damaged`
 */
export async function withNewKey(
  head: Head,
  by: Renewing,
  folderKey: Uint8Array,
  password: FolderPassword | null,
): Promise<Head> {
  const { header, slots, members } = head;
  const { folder } = header;
  if (header.earlier.length >= MOST_EARLIER)
    throw new EremosError("unsupported", said("this-folder-had-keys-before", { mostEarlier: MOST_EARLIER }));
  const of = { folder, epoch: header.epoch + 1, folderKey: randomBytes(32) };
  const before = earlierKeys(header, folderKey);
  const pair = await generateKeyPair();
  try {
    const { epoch, publicKey, privateKey } = header;
    const boxed = (number: number, key: Uint8Array): string =>
      sealBoxText(of.folderKey, epochPurpose(folder, number), key);
    const earlier = [
      ...header.earlier.map((one, i) => ({ ...one, key: boxed(one.epoch, before[i]?.folderKey ?? Buffer.alloc(0)) })),
      { epoch, key: boxed(epoch, folderKey), publicKey, privateKey },
    ];
    const others = await Promise.all(
      slots.filter(({ member }) => member !== header.owner.owner).map((slot) => resealed(slot, of)),
    );
    return changed(head, by, {
      key: {
        epoch: of.epoch,
        publicKey: toBase64(pair.publicKey),
        privateKey: sealBoxText(of.folderKey, pairPurpose(folder, of.epoch), pair.privateKey),
        earlier,
      },
      slots: [...(await ownSlots(of, by.owner, by.rootKey, password)), ...others],
      members: members.map((member) => withNameUnder(member, by.rootBefore, by.rootKey)),
    });
  } finally {
    wipe(of.folderKey, pair.privateKey, ...before.map((one) => one.folderKey));
  }
}

function epochPurpose(folder: string, epoch: number): string {
  return `folder/${folder}/epoch/${epoch}`;
}

/** A folder key of before. */
export interface EarlierKey {
  readonly epoch: number;
  readonly folderKey: Buffer;
}

/** In the order of the list; the caller wipes them. @throws EremosError `damaged` */
export function earlierKeys({ folder, earlier }: FolderHeader, folderKey: Uint8Array): EarlierKey[] {
  return earlier.map(({ epoch, key }) => {
    const opened = openBox(folderKey, epochPurpose(folder, epoch), fromBase64(key));
    if (typeof opened === "string") throw damage(said("earlier-key-this-folder-is"));
    return { epoch, folderKey: opened };
  });
}

/**
 * The same folder with other ways for its owner: a folder password set, changed or (null) taken off. Also takes over
 * another owner's.
 */
export async function withFolderPassword(
  head: Head,
  by: SignedIn,
  folderKey: Uint8Array,
  password: FolderPassword | null,
): Promise<Head> {
  const before = head.header.owner.owner;
  const others = head.slots.filter(({ member }) => member !== before);
  return changed(head, by, {
    slots: [...(await ownSlots(keyOf(head, folderKey), by.owner, by.rootKey, password)), ...others],
  });
}

/** The same folder with these members, and these ways in for them. */
export function withMembers(head: Head, by: SignedIn, members: readonly Member[], slots: readonly Slot[]): Head {
  const owners = head.slots.filter(({ member }) => member === head.header.owner.owner);
  return changed(head, by, { members, slots: [...owners, ...slots] });
}

function keyOf({ header: { folder, epoch } }: Head, folderKey: Uint8Array): SlotKey {
  return { folder, epoch, folderKey };
}

/**
 * What can be put right once the folder key is at hand: after a lock made while signed out, the owner's own way in and
 * signature; after a new recovery code or other keyholders, the way back by them. The same object when there is nothing
 * to do.
 */
export async function adoptHead(head: Head, by: SignedIn, folderKey: Uint8Array): Promise<Head> {
  const isSealed = head.slots.some(({ kind }) => kind === "owner-sealed");
  const isOwners = head.header.signer === by.owner.owner;
  const isBehind = hasEarlierCode(head, by.owner) || hasEarlierKeyholders(head, by.owner);
  if (isOwners && !isSealed && !isBehind) return head;
  const of = keyOf(head, folderKey);
  const kept = head.slots.filter(
    ({ kind }) => kind !== "owner-sealed" && !(hasOwnPassword(head) && (kind === "recovery" || kind === "keyholders")),
  );
  const own = isSealed ? [await ownerSlot(of, by.owner.owner, by.rootKey)] : [];
  const back = hasOwnPassword(head) ? await waysWithoutPassword(of, by.owner) : [];
  return changed(head, by, { slots: [...own, ...kept, ...back] });
}

export function hasOwnPassword({ slots }: Pick<Head, "slots">): boolean {
  return slots.some(({ kind }) => kind === "owner-and-password");
}

function hasEarlierCode({ slots }: Head, owner: OwnerEnvelope): boolean {
  return slots.some(({ kind, publicKey }) => kind === "recovery" && publicKey !== owner.recovery.publicKey);
}

function hasEarlierKeyholders(head: Head, owner: OwnerEnvelope): boolean {
  if (!hasOwnPassword(head)) return false;
  const slot = head.slots.find(({ kind }) => kind === "keyholders");
  return (slot?.keyholders?.set ?? null) !== (owner.keyholders?.set ?? null);
}

/**
 * Who stands behind a folder: the owner, who signed its header; one of the owner's computers, which signed for a first
 * lock; or nobody known: everybody can make a folder under a copy of the owner's public record. Nothing is ever sealed
 * to a key that nobody known stands behind.
 */
export type Standing = "owner" | "device" | "unknown";

/** Whose signatures count. */
export interface Believed {
  /** The owner's record, which their root key, or this computer's own data, vouches for; null: nobody's. */
  readonly owner: OwnerEnvelope | null;
  /** Ed25519 public keys (32 bytes) of further computers of the owner's: this one. */
  readonly devices: readonly Uint8Array[];
}

/** The public key by which a computer of the owner's signs; null where it is none, or is one no more. */
export function deviceKeyOf({ owner, devices }: Believed, id: string): Buffer | null {
  const own = devices.find((key) => deviceId(key) === id);
  if (own) return Buffer.from(own);
  const listed = owner?.devices.find((device) => device.id === id && device.until === null);
  return listed ? fromBase64(listed.publicKey, 32) : null;
}

export function standingOf(header: FolderHeader, believed: Believed): Standing {
  const { owner } = believed;
  // Its own copy of the owner's record says nothing: a forger copies it.
  if (!owner || header.owner.owner !== owner.owner) return "unknown";
  const isSignedWith = (key: Uint8Array): boolean =>
    isSignedBy(key, signedMessage(header), fromBase64(header.signature));
  if (header.signer === owner.owner) return isSignedWith(fromBase64(owner.signing.publicKey)) ? "owner" : "unknown";
  const device = deviceKeyOf(believed, header.signer);
  return device && isSignedWith(device) ? "device" : "unknown";
}

/**
 * The folder key; the caller wipes it. What opens the folder's own box is the key that its header is about. @throws
 * EremosError `damaged`; the key is wiped then
 */
function requireFitting(header: FolderHeader, folderKey: Buffer): Buffer {
  try {
    wipe(openFolderPrivateKey(header, folderKey));
    return folderKey;
  } catch (error) {
    wipe(folderKey);
    throw error;
  }
}

/** The slots that lead to the header's key. @throws EremosError `damaged` when there is none */
function usableSlots({ header, slots }: Head): readonly Slot[] {
  const usable = slots.filter(({ folder, epoch }) => folder === header.folder && epoch === header.epoch);
  if (usable.length === 0) throw damage(said("every-way-into-this-folder"));
  return usable;
}

/**
 * The folder key, from the owner's root key; the caller wipes it. The owner record used is the caller's own, so that a
 * newer master password works too. `folderKey`: it is known already, of a folder that has a password of its own.
 * @throws EremosError `needs-folder-password` | `wrong-password` (another owner's folder) | `damaged`
 */
export async function openHead(
  head: Head,
  { owner, rootKey, folderKey }: SignedIn & { readonly folderKey: Uint8Array | null },
): Promise<Buffer> {
  if (folderKey) return requireFitting(head.header, Buffer.from(folderKey));
  const slots = usableSlots(head);
  for (const slot of slots) {
    const opened = await openByRoot(slot, owner, rootKey);
    if (opened) return requireFitting(head.header, opened);
  }
  if (hasOwnPassword({ slots })) throw new EremosError("needs-folder-password", said("this-folder-has-password-its"));
  throw new EremosError("wrong-password", said("this-folder-was-locked-by-another"));
}

/**
 * The folder key of a folder with a password of its own; the caller wipes it. `most`: the work that one look at a
 * password may take.
 * @throws EremosError `wrong-password` | `wrong-code` | `wrong-share` | `too-few-shares` | `not-protected` (it has
 * none) | `damaged` | `costly`
 */
export async function openWithSecret(
  head: Head,
  rootKey: Uint8Array,
  secret: FolderSecret,
  most?: number,
): Promise<Buffer> {
  const { header } = head;
  const slots = usableSlots(head);
  const slotOf = (wanted: Slot["kind"]): Slot => {
    const slot = slots.find(({ kind }) => kind === wanted);
    if (slot) return slot;
    if (hasOwnPassword({ slots })) throw new EremosError("not-set-up", said("this-folder-was-last-opened"));
    throw new EremosError("not-protected", said("this-folder-has-no-password"));
  };
  if (secret.kind === "code")
    return requireFitting(header, await openByCode(slotOf("recovery"), header.owner.owner, secret.code));
  if (secret.kind === "shares")
    return requireFitting(header, await openByShares(slotOf("keyholders"), header.owner.owner, secret.shares));
  return requireFitting(header, await openTogether(slotOf("owner-and-password"), rootKey, secret.password, most));
}

/** The work that one look at the folder's own password takes by this header; 0 where it has none. */
export function workOfPassword({ slots }: Head): number {
  return Math.max(
    0,
    ...slots.map(({ kind, password }) =>
      kind === "owner-and-password" && password ? workOf(parsePasswordHashing(password.hashing)) : 0,
    ),
  );
}

/** What a header tells of the ways into it, without a key. */
export interface WaysIn {
  readonly hasPassword: boolean;
  /** The hint to the folder password. */
  readonly hint: string | null;
  /** It has the owner's present master password, recovery code and keyholders. */
  readonly isCurrent: boolean;
  /** It was locked before its owner made new keys, and has none of its own from after that. */
  readonly hasEarlierKeys: boolean;
  /** The number of its key. */
  readonly epoch: number;
  /** Its public key, base64url. */
  readonly publicKey: string;
  /** It has a password of its own, and without that opens with an earlier recovery code until it is opened. */
  readonly hasEarlierCode: boolean;
  /**
   * It has a password of its own, and without that opens with earlier keyholders' shares, or none, until it is opened.
   */
  readonly hasEarlierKeyholders: boolean;
  /** The shares of the keyholders that its owner has named open it now. */
  readonly hasKeyholders: boolean;
}

/** @throws EremosError `damaged` */
export function waysInto(bytes: Uint8Array, owner: OwnerEnvelope): WaysIn {
  const head = readHead(bytes);
  const isCurrent = head.header.owner.signature === owner.signature;
  const hasEarlier = hasEarlierKeyholders(head, owner);
  return {
    hasPassword: hasOwnPassword(head),
    hint: hintOf(head),
    isCurrent,
    hasEarlierKeys: isOfEarlierKeys(head, owner),
    epoch: head.header.epoch,
    publicKey: head.header.publicKey,
    hasEarlierCode: hasEarlierCode(head, owner),
    hasEarlierKeyholders: hasEarlier,
    hasKeyholders: owner.keyholders !== undefined && isCurrent && !hasEarlier,
  };
}

/** The hint to the folder's own password, readable. */
export function hintOf({ slots }: Pick<Head, "slots">): string | null {
  return slots.find(({ kind }) => kind === "owner-and-password")?.password?.hint ?? null;
}

/**
 * The sets of keyholders whose shares are asked for: the folder's own slot first, where it has a password of its own.
 */
export function keyholdersOf(head: Head): AskedKeyholders | null {
  if (hasOwnPassword(head)) return head.slots.find(({ kind }) => kind === "keyholders")?.keyholders ?? null;
  return head.header.owner.keyholders ?? null;
}

/**
 * The folder's X25519 private key, that of an epoch before with its key; the caller wipes it. @throws EremosError
 * `damaged`
 */
export function openFolderPrivateKey(header: FolderHeader, folderKey: Uint8Array, epoch = header.epoch): Buffer {
  const its = epoch === header.epoch ? header : header.earlier.find((one) => one.epoch === epoch);
  const key = its ? openBox(folderKey, pairPurpose(header.folder, epoch), fromBase64(its.privateKey)) : "damaged";
  if (typeof key === "string") throw damage(said("folders-private-key-is-damaged"));
  return key;
}

export function writeHeader(header: FolderHeader): Buffer {
  return writeRecord(header);
}

export function readHeader(bytes: Uint8Array): FolderHeader {
  return readRecord(bytes, headerSchema, say("folders-header"), MAX_HEADER_BYTES);
}

/** A header and what it names in one piece, a line each: as Eremos' own data keeps it. */
export function writeHead({ header, slots, members }: Head): Buffer {
  return Buffer.concat([
    writeHeader(header),
    ...[...slots.map(writeSlot), ...members.map(writeMember)].sort(Buffer.compare),
  ]);
}

/**
 * @throws EremosError `damaged` where the header is; a record of it that is damaged, or that it does not name, is left
 * out
 */
export function readHead(bytes: Uint8Array): Head {
  const [first = Buffer.alloc(0), ...rest] = linesOf(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length));
  return headFrom(readHeader(first), (digest) => rest.filter((line) => digestOf(line) === digest));
}

function linesOf(bytes: Buffer): Buffer[] {
  const lines: Buffer[] = [];
  for (let at = 0; at < bytes.length;) {
    const end = bytes.indexOf(0x0a, at);
    const next = end < 0 ? bytes.length : end + 1;
    lines.push(bytes.subarray(at, next));
    at = next;
  }
  return lines;
}

/**
 * A header with what it names; `candidates` gives what may be the record of a digest, of which the right one is taken.
 */
export function headFrom(
  header: FolderHeader,
  candidates: (digest: string, kind: "slots" | "members") => Iterable<Uint8Array>,
): Head {
  const recordsOf = <T>(kind: "slots" | "members", read: (bytes: Uint8Array) => T): T[] =>
    header[kind].flatMap((digest): T[] => {
      for (const bytes of candidates(digest, kind)) if (digestOf(bytes) === digest) return [read(bytes)];
      return [];
    });
  return { header, slots: recordsOf("slots", readSlot), members: recordsOf("members", readMember) };
}
