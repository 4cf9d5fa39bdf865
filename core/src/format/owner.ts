import { z } from "zod";
import { equalBytes, fromBase64, randomBytes, requireLiveKey, toBase64, wipe } from "../crypto/bytes";
import { openBox, sealBoxText } from "../crypto/box";
import { generateKeyPair, openEnvelope, sealTo } from "../crypto/envelope";
import {
  type PasswordCost,
  formatPasswordHashing,
  hashPassword,
  hkdf,
  hmac,
  newPasswordHashing,
  parsePasswordHashing,
  type Password,
} from "../crypto/kdf";
import { EremosError } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { nameGroups } from "./code-groups";
import { idSchema } from "./ids";
import { keyholdersShape, newKeyholders, openKeyholdersKey } from "./keyholders";
import { readRecord, writeRecord } from "./record-file";
import { parseRecoveryCode } from "./recovery-code";

/**
 * The owner envelope: everything that leads from the master password or the recovery code to the owner's root key.
 * It holds no secret in the clear and is copied into every folder's header. FORMAT.md §3.
 *
 *   master password → Argon2id → password box → root key
 *   recovery code → HKDF → recovery private key → root envelope → root key
 *   enough keyholders' shares → their secret → HKDF → keyholders' private key → their envelope → root key
 *   root key → owner's private key (opens what was locked while nobody was signed in)
 */
const text = z.string().max(4096);
const envelope = z.strictObject({ enc: text, ct: text });

export const ownerSchema = z.strictObject({
  format: z.literal("eremos-owner"),
  version: z.literal(1),
  owner: idSchema,
  password: z.strictObject({ hashing: text, root: text }),
  recovery: z.strictObject({ publicKey: text, privateKey: text, root: envelope }),
  sealing: z.strictObject({ publicKey: text, privateKey: text }),
  keyholders: z.strictObject({ ...keyholdersShape, root: envelope }).exactOptional(),
  /** Ed25519 public keys of the owner's computers, by which locks made while signed out are known. */
  devices: z.array(text).max(64),
  mac: text,
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
    throw new EremosError(
      "wrong-code",
      "That is a recovery code, but not the one for this. Nothing was changed; look for the newer sheet.",
    );
  if ("wrongGroups" in parsed) {
    throw new EremosError(
      "wrong-code",
      `The recovery code is mistyped in ${nameGroups(parsed.wrongGroups)}. Nothing was changed; look at the sheet again.`,
      { groups: parsed.wrongGroups.map((group) => String(group + 1)) },
    );
  }
  try {
    return hkdf(parsed.secret, Buffer.from(owner, "utf8"), "eremos/1/recovery-code");
  } finally {
    wipe(parsed.secret);
  }
}

/** Vouches for the whole envelope, so that a public key that somebody swapped in a copy of it shows. */
function authenticated(body: Omit<OwnerEnvelope, "mac">, rootKey: Uint8Array): OwnerEnvelope {
  return { ...body, mac: ownerMac(body, rootKey) };
}

function ownerMac(body: Omit<OwnerEnvelope, "mac">, rootKey: Uint8Array): string {
  const key = hkdf(rootKey, Buffer.from(body.owner, "utf8"), "eremos/1/owner");
  try {
    return toBase64(hmac(key, canonicalJson(body)));
  } finally {
    wipe(key);
  }
}

export function isRootKeyOf({ mac, ...body }: OwnerEnvelope, rootKey: Uint8Array): boolean {
  return equalBytes(Buffer.from(ownerMac(body, rootKey)), Buffer.from(mac));
}

/** @throws EremosError `damaged`; the root key is wiped then */
function requireAuthentic(record: OwnerEnvelope, rootKey: Uint8Array): void {
  if (isRootKeyOf(record, rootKey)) return;
  wipe(rootKey);
  throw new EremosError(
    "damaged",
    "The owner record was changed after it was written, so it is not used. Nothing was changed; every locked folder holds a copy of it that may be whole.",
  );
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

/** Makes a new owner, of whose computers these are known. The caller shows the code once and wipes the root key. */
export async function createOwner(
  password: Password,
  code: string,
  cost: PasswordCost,
  devices: readonly Uint8Array[] = [],
): Promise<{ envelope: OwnerEnvelope; rootKey: Buffer }> {
  const owner = toBase64(randomBytes(16));
  const rootKey = randomBytes(32);
  const sealing = await generateKeyPair();
  try {
    const body = {
      format: "eremos-owner" as const,
      version: 1 as const,
      owner,
      password: await passwordSlot(password, rootKey, owner, cost),
      recovery: await recoverySlot(code, rootKey, owner),
      sealing: {
        publicKey: toBase64(sealing.publicKey),
        privateKey: sealBoxText(rootKey, purpose("sealing", owner), sealing.privateKey),
      },
      devices: devices.map(toBase64),
    };
    return { envelope: authenticated(body, rootKey), rootKey };
  } finally {
    wipe(sealing.privateKey);
  }
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
  { mac: _old, ...record }: OwnerEnvelope,
  rootKey: Uint8Array,
  password: Password,
  cost: PasswordCost,
): Promise<OwnerEnvelope> {
  return authenticated({ ...record, password: await passwordSlot(password, rootKey, record.owner, cost) }, rootKey);
}

const MOST_DEVICES = 64;

/** The same owner, with one more computer that is known as theirs; the same object where it is already. The one known longest goes beyond the limit. */
export function withDevice(envelope: OwnerEnvelope, rootKey: Uint8Array, device: Uint8Array): OwnerEnvelope {
  const { mac: _old, ...record } = envelope;
  const name = toBase64(device);
  if (record.devices.includes(name)) return envelope;
  return authenticated({ ...record, devices: [...record.devices, name].slice(-MOST_DEVICES) }, rootKey);
}

/** The same owner with another recovery code, and a key pair of its own behind it. */
export async function withCode(
  { mac: _old, ...record }: OwnerEnvelope,
  rootKey: Uint8Array,
  code: string,
): Promise<OwnerEnvelope> {
  return authenticated({ ...record, recovery: await recoverySlot(code, rootKey, record.owner) }, rootKey);
}

/** The same owner with other keyholders, or (null) none. The shares are handed out; nothing keeps them. @throws RangeError as {@link newKeyholders} */
export async function withKeyholders(
  { mac: _old, keyholders: _before, ...record }: OwnerEnvelope,
  rootKey: Uint8Array,
  of: { readonly threshold: number; readonly count: number } | null,
): Promise<{ readonly envelope: OwnerEnvelope; readonly shares: readonly string[] }> {
  if (!of) return { envelope: authenticated(record, rootKey), shares: [] };
  const { keyholders, shares } = await newKeyholders(record.owner, of.threshold, of.count);
  const root = await sealTo(fromBase64(keyholders.publicKey, 32), purpose("keyholders-root", record.owner), rootKey);
  return { envelope: authenticated({ ...record, keyholders: { ...keyholders, root } }, rootKey), shares };
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
    if (rootKey === "another-key")
      throw new EremosError("wrong-password", "That is not the master password. Nothing was changed; try again.");
    if (rootKey === "damaged")
      throw new EremosError("damaged", "The password slot is damaged. The recovery code still opens everything.");
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
    if (!rootKey)
      throw new EremosError("damaged", "The recovery slot is damaged. The master password still opens everything.");
    requireAuthentic(record, rootKey);
    return { rootKey };
  } finally {
    wipe(privateKey);
  }
}

/** @throws EremosError `wrong-share` | `too-few-shares` | `not-set-up` (there are no keyholders) | `damaged` */
export async function openWithShares(record: OwnerEnvelope, shares: readonly string[]): Promise<OwnerKeys> {
  const { keyholders } = record;
  if (!keyholders)
    throw new EremosError(
      "not-set-up",
      "No keyholders were named when this was written, so shares do not open it. The master password and the recovery code do.",
    );
  const privateKey = await openKeyholdersKey(record.owner, keyholders, shares);
  try {
    const rootKey = await openEnvelope(privateKey, purpose("keyholders-root", record.owner), keyholders.root);
    if (!rootKey)
      throw new EremosError(
        "damaged",
        "The keyholders\u2019 slot is damaged. The master password and the recovery code still open everything.",
      );
    requireAuthentic(record, rootKey);
    return { rootKey };
  } finally {
    wipe(privateKey);
  }
}

/** The private half of a recovery key pair, from the box that only the code opens; the caller wipes it. @throws EremosError `wrong-code` | `damaged` */
export function openRecoveryKey(owner: string, box: string, code: string): Buffer {
  const codeKey = keyOfCode(code, owner);
  try {
    const privateKey = openBox(codeKey, purpose("recovery", owner), fromBase64(box));
    if (privateKey === "another-key")
      throw new EremosError(
        "wrong-code",
        "That is a recovery code, but not the one for this. Nothing was changed; look for the newer sheet.",
      );
    if (privateKey === "damaged")
      throw new EremosError("damaged", "The recovery slot is damaged. The master password still opens everything.");
    return privateKey;
  } finally {
    wipe(codeKey);
  }
}

/** The owner's private key for what was sealed while signed out; the caller wipes it. @throws EremosError `damaged` */
export function openSealingKey(record: OwnerEnvelope, rootKey: Uint8Array): Buffer {
  const key = openBox(rootKey, purpose("sealing", record.owner), fromBase64(record.sealing.privateKey));
  if (typeof key === "string")
    throw new EremosError("damaged", "The owner's sealing key is damaged. Folders sealed while signed in still open.");
  return key;
}

/**
 * An owner record that was opened, as it will be written, by everything that is new in it, and vouched for by the root key it leads to. Nothing else
 * is ever written as the owner's: one that opens by nothing would be the loss of everything.
 */
export class ProvenOwner {
  private constructor(readonly envelope: OwnerEnvelope) {}

  /** `secrets`: each new way in. @throws EremosError `damaged` where one does not lead to the root key; TypeError for a root key that was wiped */
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
  return new EremosError(
    "damaged",
    "The new owner record did not open when it was tried, so it was not written. Nothing was changed; what opened before goes on opening. Try again.",
  );
}

export function writeOwner({ envelope }: ProvenOwner): Buffer {
  return writeRecord(envelope);
}

export function readOwner(bytes: Uint8Array): OwnerEnvelope {
  return readRecord(bytes, ownerSchema, "owner record", 64 * 1024);
}
