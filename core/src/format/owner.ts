import * as z from "zod";
import { equalBytes, fromBase64, randomBytes, requireLiveKey, sha256, toBase64, wipe } from "../crypto/bytes";
import { openBox, sealBoxText } from "../crypto/box";
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
import { type SigningKey, generateSigningKey, isSignedBy, seedOf, signWith, signingKeyFrom } from "../crypto/signature";
import { EremosError, isEremosError } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { nameGroups } from "./codes/code-groups";
import { idSchema, newId } from "./ids";
import { keyholdersShape, newKeyholders, openKeyholdersKey } from "./keyholders";
import { newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import { parseRecoveryCode } from "./codes/recovery-code";
import { said, say } from "@eremos/words/core/format";

/**
 * The owner envelope: everything that leads from the master password or the recovery code to the owner's root key. It
 * holds no secret in the clear and is copied into every folder's header. FORMAT.md §3.
 *
 *   master password → Argon2id → password box → root key
 *   recovery code → HKDF → recovery private key → root envelope → root key
 *   enough keyholders' shares → their secret → HKDF → keyholders' private key → their envelope → root key
 *   root key → owner's private key (opens what was locked while nobody was signed in)
 *   root key → owner's signing key (says to everybody who knows its public half what is the owner's)
 */
const text = z.string().max(4096);
const envelope = z.strictObject({ enc: text, ct: text });

/** One of the owner's computers. */
const deviceSchema = z.strictObject({
  id: idSchema,
  /** Ed25519. */
  publicKey: text,
  /** A box under the root key. */
  name: text,
  /**
   * Milliseconds since 1970; what it signs counts as the owner's from `since` on, and no more once `until` is there.
   */
  since: z.int().nonnegative(),
  until: z.union([z.int().nonnegative(), z.null()]),
});
export type OwnerDevice = z.output<typeof deviceSchema>;
const MOST_DEVICES = 64;

/**
 * Keys that the owner had before, and that somebody may know: by them folders that were away open still, and nothing
 * else.
 */
const earlierSchema = z.strictObject({
  /**
   * Public halves, of the signing key and of the sealing key; the private half of the latter as it was, under the root
   * key of then.
   */
  signing: text,
  sealing: z.strictObject({ publicKey: text, privateKey: text }),
  /** That root key, in a box under the present one. */
  root: text,
  /** Milliseconds since 1970. */
  until: z.int().nonnegative(),
});
/** So often new keys can be made. */
export const MOST_EARLIER = 32;

export const ownerSchema = recordSchema("eremos-owner", {
  owner: idSchema,
  /** One more with each change: of two records the one with the larger is the later. */
  counter: z.int().min(1),
  password: z.strictObject({ hashing: text, root: text }),
  recovery: z.strictObject({ publicKey: text, privateKey: text, root: envelope }),
  sealing: z.strictObject({ publicKey: text, privateKey: text }),
  signing: z.strictObject({ publicKey: text, privateKey: text }),
  keyholders: z.strictObject({ ...keyholdersShape, root: envelope }).exactOptional(),
  /** By whom locks made while signed out are known. */
  devices: z.array(deviceSchema).max(MOST_DEVICES),
  /** The newest last. */
  earlier: z.array(earlierSchema).max(MOST_EARLIER),
  /** By the signing key, over everything else. */
  signature: text,
});
export type OwnerEnvelope = z.output<typeof ownerSchema>;

export interface OwnerKeys {
  /** 32 bytes; whoever opened the envelope wipes it. */
  readonly rootKey: Buffer;
}

function purpose(kind: string, owner: string): string {
  return `owner/${owner}/${kind}`;
}

function keyOfCode(code: string, owner: string): Buffer {
  const parsed = parseRecoveryCode(code);
  if (!("wrongGroups" in parsed) && parsed.secret.every((byte) => byte === 0))
    throw new EremosError("wrong-code", said("that-is-recovery-code-but"));
  if ("wrongGroups" in parsed) {
    throw new EremosError(
      "wrong-code",
      said("recovery-code-is-mistyped-in", { groups: nameGroups(parsed.wrongGroups) }),
      { groups: parsed.wrongGroups.map((group) => String(group + 1)) },
    );
  }
  try {
    return hkdf(parsed.secret, Buffer.from(owner, "utf8"), "eremos/2/recovery-code");
  } finally {
    wipe(parsed.secret);
  }
}

type Unsigned = Omit<OwnerEnvelope, "signature">;

function signedMessage(body: Unsigned): Buffer {
  return Buffer.concat([Buffer.from("eremos/2/owner\n", "utf8"), canonicalJson(body)]);
}

/** Signs the whole record, so that a public key that somebody exchanged in a copy of it shows. */
function signed(body: Unsigned, key: SigningKey): OwnerEnvelope {
  return { ...body, signature: toBase64(signWith(key, signedMessage(body))) };
}

/** The record as it is after a change, signed anew. @throws EremosError `damaged` where the root key is another's */
function changed(
  { signature: _before, ...record }: OwnerEnvelope,
  rootKey: Uint8Array,
  change: Partial<Unsigned>,
): OwnerEnvelope {
  const key = openSigningKey(record, rootKey);
  try {
    return signed({ ...record, ...change, counter: record.counter + 1 }, key);
  } finally {
    wipe(key.privateKey);
  }
}

/**
 * The owner's signing pair; the caller wipes its private half. @throws EremosError `damaged` where the root key does
 * not lead to it
 */
export function openSigningKey(record: Pick<OwnerEnvelope, "owner" | "signing">, rootKey: Uint8Array): SigningKey {
  requireLiveKey(rootKey);
  const seed = openBox(rootKey, purpose("signing", record.owner), fromBase64(record.signing.privateKey));
  if (typeof seed === "string") throw new EremosError("damaged", said("owner-record-does-not-belong-key"));
  try {
    const key = signingKeyFrom(seed);
    if (toBase64(key.publicKey) === record.signing.publicKey) return key;
    wipe(key.privateKey);
    throw new EremosError("damaged", said("owner-record-was-changed-after"));
  } finally {
    wipe(seed);
  }
}

/**
 * Whether the root key leads to the record's signing key, and that signed the record: then every key in it is the
 * owner's.
 */
export function isRootKeyOf({ signature, ...body }: OwnerEnvelope, rootKey: Uint8Array): boolean {
  try {
    wipe(openSigningKey(body, rootKey).privateKey);
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
  return isSignedBy(fromBase64(body.signing.publicKey), signedMessage(body), fromBase64(signature));
}

/** @throws EremosError `damaged`; the root key is wiped then */
function requireAuthentic(record: OwnerEnvelope, rootKey: Uint8Array): void {
  if (isRootKeyOf(record, rootKey)) return;
  wipe(rootKey);
  throw new EremosError("damaged", said("owner-record-was-changed-after"));
}

type RecoverySlot = OwnerEnvelope["recovery"];

async function recoverySlot(code: string, rootKey: Uint8Array, owner: string): Promise<RecoverySlot> {
  const pair = await generateKeyPair();
  const codeKey = keyOfCode(code, owner);
  try {
    return {
      publicKey: toBase64(pair.publicKey),
      privateKey: sealBoxText(codeKey, purpose("recovery", owner), pair.privateKey),
      root: await sealTo(pair.publicKey, purpose("root", owner), rootKey),
    };
  } finally {
    wipe(codeKey, pair.privateKey);
  }
}

/** A computer of the owner's, as it is to be known. */
export interface NewDevice {
  /** 32 bytes, Ed25519. */
  readonly publicKey: Uint8Array;
  /** For people. */
  readonly name: string;
  /** Milliseconds since 1970. */
  readonly since: number;
}

/** Makes a new owner, of whose computers these are known. The caller shows the code once and wipes the root key. */
export async function createOwner(
  password: Password,
  code: string,
  cost: PasswordCost,
  devices: readonly NewDevice[] = [],
): Promise<{ envelope: OwnerEnvelope; rootKey: Buffer }> {
  const owner = newId();
  const rootKey = randomBytes(32);
  const sealing = await generateKeyPair();
  const signing = generateSigningKey();
  try {
    const body = {
      ...newFrame("eremos-owner"),
      owner,
      counter: 1,
      password: await passwordSlot(password, rootKey, owner, cost),
      recovery: await recoverySlot(code, rootKey, owner),
      sealing: {
        publicKey: toBase64(sealing.publicKey),
        privateKey: sealBoxText(rootKey, purpose("sealing", owner), sealing.privateKey),
      },
      signing: {
        publicKey: toBase64(signing.publicKey),
        privateKey: sealBoxText(rootKey, purpose("signing", owner), seedOf(signing)),
      },
      devices: devices.map((device) => listed(device, owner, rootKey)),
      earlier: [],
    };
    return { envelope: signed(body, signing), rootKey };
  } finally {
    wipe(sealing.privateKey, signing.privateKey);
  }
}

/** What somebody knows opens nothing that is written from now on. */
export interface NewKeys {
  readonly password: Password;
  readonly code: string;
  readonly cost: PasswordCost;
  /** Milliseconds since 1970. */
  readonly at: number;
}

/**
 * The same owner with another root key, other pairs, another master password and another recovery code. Keyholders'
 * shares go on opening. The root key before is kept in a box under the new one. The caller wipes both. @throws
 * EremosError `unsupported` after {@link MOST_EARLIER} times | `damaged`
 */
export async function withNewKeys(
  before: OwnerEnvelope,
  rootBefore: Uint8Array,
  { password, code, cost, at }: NewKeys,
): Promise<{ envelope: OwnerEnvelope; rootKey: Buffer }> {
  if (before.earlier.length >= MOST_EARLIER)
    throw new EremosError("unsupported", said("new-keys-were-made-times", { mostEarlier: MOST_EARLIER }));
  const { owner, signature: _signature, keyholders, ...record } = before;
  const rootKey = randomBytes(32);
  const roots = earlierRoots(before, rootBefore);
  const sealing = await generateKeyPair();
  const signing = generateSigningKey();
  try {
    const names = before.devices.map((device) => deviceName(before, device, rootBefore));
    const body: Unsigned = {
      ...record,
      owner,
      counter: before.counter + 1,
      password: await passwordSlot(password, rootKey, owner, cost),
      recovery: await recoverySlot(code, rootKey, owner),
      sealing: {
        publicKey: toBase64(sealing.publicKey),
        privateKey: sealBoxText(rootKey, purpose("sealing", owner), sealing.privateKey),
      },
      signing: {
        publicKey: toBase64(signing.publicKey),
        privateKey: sealBoxText(rootKey, purpose("signing", owner), seedOf(signing)),
      },
      ...(keyholders
        ? {
            keyholders: {
              ...keyholders,
              root: await sealTo(fromBase64(keyholders.publicKey, 32), purpose("keyholders-root", owner), rootKey),
            },
          }
        : {}),
      devices: before.devices.map((device, i) => ({
        ...device,
        name: boxedName(device.id, names[i] ?? "", owner, rootKey),
      })),
      earlier: [
        ...before.earlier.map((one, i) => ({
          ...one,
          root: boxedRoot(rootKey, owner, one.signing, roots[i] ?? Buffer.alloc(0)),
        })),
        {
          signing: before.signing.publicKey,
          sealing: before.sealing,
          root: boxedRoot(rootKey, owner, before.signing.publicKey, rootBefore),
          until: at,
        },
      ],
    };
    return { envelope: signed(body, signing), rootKey };
  } finally {
    wipe(sealing.privateKey, signing.privateKey, ...roots);
  }
}

function boxedRoot(rootKey: Uint8Array, owner: string, signing: string, before: Uint8Array): string {
  requireLiveKey(before);
  return sealBoxText(rootKey, purpose(`earlier/${signing}`, owner), before);
}

/**
 * The root keys that the owner had before, in the order of the list; the caller wipes them. @throws EremosError
 * `damaged`
 */
export function earlierRoots(
  { owner, earlier }: Pick<OwnerEnvelope, "owner" | "earlier">,
  rootKey: Uint8Array,
): Buffer[] {
  return earlier.map(({ signing, root }) => {
    const opened = openBox(rootKey, purpose(`earlier/${signing}`, owner), fromBase64(root));
    if (typeof opened === "string") throw new EremosError("damaged", said("earlier-key-yours-cant-be"));
    return opened;
  });
}

/**
 * The keys by which the owner opened, before, what was sealed to them while nobody was signed in; the caller wipes
 * them. @throws EremosError `damaged`
 */
export function earlierSealingKeys(record: OwnerEnvelope, rootKey: Uint8Array): Buffer[] {
  const roots = earlierRoots(record, rootKey);
  try {
    return record.earlier.map(({ sealing }, i) =>
      openSealingKey({ owner: record.owner, sealing }, roots[i] ?? Buffer.alloc(0)),
    );
  } finally {
    wipe(...roots);
  }
}

/** By what a computer is named: it follows from its public key. */
export function deviceId(publicKey: Uint8Array): string {
  return sha256(publicKey).subarray(0, 16).toString("hex");
}

function listed({ publicKey, name, since }: NewDevice, owner: string, rootKey: Uint8Array): OwnerDevice {
  const id = deviceId(publicKey);
  return { id, publicKey: toBase64(publicKey), name: boxedName(id, name, owner, rootKey), since, until: null };
}

function boxedName(id: string, name: string, owner: string, rootKey: Uint8Array): string {
  return sealBoxText(rootKey, purpose(`device-name/${id}`, owner), Buffer.from(name, "utf8"));
}

/** What the owner calls one of their computers. @throws EremosError `damaged` */
export function deviceName(
  { owner }: Pick<OwnerEnvelope, "owner">,
  { id, name }: OwnerDevice,
  rootKey: Uint8Array,
): string {
  const opened = openBox(rootKey, purpose(`device-name/${id}`, owner), fromBase64(name));
  if (typeof opened === "string") throw new EremosError("damaged", said("name-one-your-computers-cant"));
  return opened.toString("utf8");
}

async function passwordSlot(
  password: Password,
  rootKey: Uint8Array,
  owner: string,
  cost: PasswordCost,
): Promise<OwnerEnvelope["password"]> {
  const hashing = newPasswordHashing(cost);
  const key = await hashPassword(password, hashing);
  try {
    return { hashing: formatPasswordHashing(hashing), root: sealBoxText(key, purpose("password", owner), rootKey) };
  } finally {
    wipe(key);
  }
}

/** The same owner under another master password: only the password slot is written anew. */
export async function withPassword(
  record: OwnerEnvelope,
  rootKey: Uint8Array,
  password: Password,
  cost: PasswordCost,
): Promise<OwnerEnvelope> {
  return changed(record, rootKey, { password: await passwordSlot(password, rootKey, record.owner, cost) });
}

/**
 * The same owner, with one more computer that is known as theirs; the same object where it is already. Beyond the limit
 * the one that ended longest ago goes, else the oldest.
 */
export function withDevice(record: OwnerEnvelope, rootKey: Uint8Array, device: NewDevice): OwnerEnvelope {
  const id = deviceId(device.publicKey);
  if (record.devices.some((known) => known.id === id && known.until === null)) return record;
  const others = record.devices.filter((known) => known.id !== id);
  const order = (one: OwnerDevice): number => one.until ?? Number.MAX_SAFE_INTEGER;
  const kept =
    others.length < MOST_DEVICES
      ? others
      : [...others].sort((a, b) => order(a) - order(b) || a.since - b.since).slice(1);
  return changed(record, rootKey, { devices: [...kept, listed(device, record.owner, rootKey)] });
}

/**
 * The same owner, for whom one computer no longer counts as theirs from now on (milliseconds since 1970). @throws
 * RangeError where it is not in the list
 */
export function withoutDevice(record: OwnerEnvelope, rootKey: Uint8Array, id: string, until: number): OwnerEnvelope {
  if (!record.devices.some((known) => known.id === id)) throw new RangeError("the computer is not in the list");
  return changed(record, rootKey, {
    devices: record.devices.map((known) => (known.id === id ? { ...known, until } : known)),
  });
}

/** The same owner with another recovery code, and a key pair of its own behind it. */
export async function withCode(record: OwnerEnvelope, rootKey: Uint8Array, code: string): Promise<OwnerEnvelope> {
  return changed(record, rootKey, { recovery: await recoverySlot(code, rootKey, record.owner) });
}

/**
 * The same owner with other keyholders, or (null) none. The shares are handed out; nothing keeps them. @throws
 * RangeError as {@link newKeyholders}
 */
export async function withKeyholders(
  before: OwnerEnvelope,
  rootKey: Uint8Array,
  of: { readonly threshold: number; readonly count: number } | null,
): Promise<{ readonly envelope: OwnerEnvelope; readonly shares: readonly string[] }> {
  const { keyholders: _before, ...record } = before;
  if (!of) return { envelope: changed(record, rootKey, {}), shares: [] };
  const { keyholders, shares } = await newKeyholders(record.owner, of.threshold, of.count);
  const root = await sealTo(fromBase64(keyholders.publicKey, 32), purpose("keyholders-root", record.owner), rootKey);
  return { envelope: changed(record, rootKey, { keyholders: { ...keyholders, root } }), shares };
}

/** What opens an owner envelope. */
export type OwnerSecret =
  | { readonly kind: "password"; readonly password: Password }
  | { readonly kind: "code"; readonly code: string }
  | { readonly kind: "shares"; readonly shares: readonly string[] };

/** @throws EremosError as the three below */
export function openOwner(record: OwnerEnvelope, secret: OwnerSecret, most?: number): Promise<OwnerKeys> {
  if (secret.kind === "password") return openWithPassword(record, secret.password, most);
  return secret.kind === "code" ? openWithCode(record, secret.code) : openWithShares(record, secret.shares);
}

/** `most`: the work that one look may take. @throws EremosError `wrong-password` | `damaged` | `costly` */
export async function openWithPassword(record: OwnerEnvelope, password: Password, most?: number): Promise<OwnerKeys> {
  const key = await hashPassword(password, parsePasswordHashing(record.password.hashing, most));
  try {
    const rootKey = openBox(key, purpose("password", record.owner), fromBase64(record.password.root));
    if (rootKey === "another-key") throw new EremosError("wrong-password", said("that-is-not-master-password"));
    if (rootKey === "damaged") throw new EremosError("damaged", said("password-slot-is-damaged-recovery"));
    requireAuthentic(record, rootKey);
    return { rootKey };
  } finally {
    wipe(key);
  }
}

/** @throws EremosError `wrong-code` | `damaged` */
export async function openWithCode(record: OwnerEnvelope, code: string): Promise<OwnerKeys> {
  const privateKey = openRecoveryKey(record.owner, record.recovery.privateKey, code);
  try {
    const rootKey = await openEnvelope(privateKey, purpose("root", record.owner), record.recovery.root);
    if (!rootKey) throw new EremosError("damaged", said("recovery-slot-is-damaged-master"));
    requireAuthentic(record, rootKey);
    return { rootKey };
  } finally {
    wipe(privateKey);
  }
}

/** @throws EremosError `wrong-share` | `too-few-shares` | `not-set-up` (there are no keyholders) | `damaged` */
export async function openWithShares(record: OwnerEnvelope, shares: readonly string[]): Promise<OwnerKeys> {
  const { keyholders } = record;
  if (!keyholders) throw new EremosError("not-set-up", said("no-keyholders-were-named-when"));
  const privateKey = await openKeyholdersKey(record.owner, keyholders, shares);
  try {
    const rootKey = await openEnvelope(privateKey, purpose("keyholders-root", record.owner), keyholders.root);
    if (!rootKey) throw new EremosError("damaged", said("keyholders-slot-is-damaged-master"));
    requireAuthentic(record, rootKey);
    return { rootKey };
  } finally {
    wipe(privateKey);
  }
}

/**
 * The private half of a recovery key pair, from the box that only the code opens; the caller wipes it. @throws
 * EremosError `wrong-code` | `damaged`
 */
export function openRecoveryKey(owner: string, box: string, code: string): Buffer {
  const codeKey = keyOfCode(code, owner);
  try {
    const privateKey = openBox(codeKey, purpose("recovery", owner), fromBase64(box));
    if (privateKey === "another-key") throw new EremosError("wrong-code", said("that-is-recovery-code-but"));
    if (privateKey === "damaged") throw new EremosError("damaged", said("recovery-slot-is-damaged-master"));
    return privateKey;
  } finally {
    wipe(codeKey);
  }
}

/** The owner's private key for what was sealed while signed out; the caller wipes it. @throws EremosError `damaged` */
export function openSealingKey(record: Pick<OwnerEnvelope, "owner" | "sealing">, rootKey: Uint8Array): Buffer {
  const key = openBox(rootKey, purpose("sealing", record.owner), fromBase64(record.sealing.privateKey));
  if (typeof key === "string") throw new EremosError("damaged", said("owners-sealing-key-is-damaged"));
  return key;
}

/**
 * An owner record that was opened, as it will be written, by everything that is new in it, and vouched for by the root
 * key it leads to. Nothing else is ever written as the owner's: one that opens by nothing would be the loss of
 * everything.
 */
export class ProvenOwner {
  private constructor(readonly envelope: OwnerEnvelope) {}

  /**
   * `secrets`: each new way in. @throws EremosError `damaged` where one does not lead to the root key; TypeError for a
   * root key that was wiped
   */
  static async prove(
    envelope: OwnerEnvelope,
    rootKey: Uint8Array,
    secrets: readonly OwnerSecret[],
  ): Promise<ProvenOwner> {
    requireLiveKey(rootKey);
    const record = readOwner(writeRecord(envelope));
    if (!isRootKeyOf(record, rootKey)) throw unproven();
    for (const secret of secrets) {
      const opened = await openOwner(record, secret).catch(() => null);
      const leads = opened !== null && equalBytes(opened.rootKey, rootKey);
      wipe(opened?.rootKey);
      if (!leads) throw unproven();
    }
    wipe(openSealingKey(record, rootKey));
    return new ProvenOwner(record);
  }
}

function unproven(): EremosError {
  return new EremosError("damaged", said("new-owner-record-did-not"));
}

export function writeOwner({ envelope }: ProvenOwner): Buffer {
  return writeRecord(envelope);
}

export function readOwner(bytes: Uint8Array): OwnerEnvelope {
  return readRecord(bytes, ownerSchema, say("owner-record"), 64 * 1024);
}
