import { z } from "zod";
import { fromBase64, randomBytes, toBase64, wipe } from "../crypto/bytes";
import { openBox, sealBoxText } from "../crypto/box";
import { generateKeyPair, openEnvelope, sealTo } from "../crypto/envelope";
import { type PasswordCost, formatPasswordHashing, hashPassword, hkdf, newPasswordHashing, parsePasswordHashing } from "../crypto/kdf";
import { EremosError } from "../errors/eremos-error";
import { idSchema } from "./ids";
import { readRecord, writeRecord } from "./record-file";
import { parseRecoveryCode } from "./recovery-code";

/**
 * The owner envelope: everything that leads from the master password or the recovery code to the owner's root key.
 * It holds no secret in the clear and is copied into every folder's header. FORMAT.md §3.
 *
 *   master password → Argon2id → password box → root key
 *   recovery code → HKDF → recovery private key → root envelope → root key
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
  if ("wrongGroups" in parsed) {
    const groups = parsed.wrongGroups.map((group) => String(group + 1));
    const where = groups.length === 1 ? `group ${groups.join("")}` : `groups ${groups.join(", ")}`;
    throw new EremosError("wrong-code", `The recovery code is mistyped in ${where}. Nothing was changed; look at the sheet again.`, { groups });
  }
  try {
    return hkdf(parsed.secret, Buffer.from(owner, "utf8"), "eremos/1/recovery-code");
  } finally {
    wipe(parsed.secret);
  }
}

/** Makes a new owner. The caller shows the code once and wipes the root key. */
export async function createOwner(password: string, code: string, cost: PasswordCost): Promise<{ envelope: OwnerEnvelope; rootKey: Buffer }> {
  const owner = toBase64(randomBytes(16));
  const rootKey = randomBytes(32);
  const recovery = await generateKeyPair();
  const sealing = await generateKeyPair();
  const codeKey = keyOfCode(code, owner);
  try {
    const record: OwnerEnvelope = {
      format: "eremos-owner",
      version: 1,
      owner,
      password: await passwordSlot(password, rootKey, owner, cost),
      recovery: {
        publicKey: toBase64(recovery.publicKey),
        privateKey: sealBoxText(codeKey, purpose("recovery", owner), recovery.privateKey),
        root: await sealTo(recovery.publicKey, purpose("root", owner), rootKey),
      },
      sealing: {
        publicKey: toBase64(sealing.publicKey),
        privateKey: sealBoxText(rootKey, purpose("sealing", owner), sealing.privateKey),
      },
    };
    return { envelope: record, rootKey };
  } finally {
    wipe(codeKey, recovery.privateKey, sealing.privateKey);
  }
}

async function passwordSlot(password: string, rootKey: Uint8Array, owner: string, cost: PasswordCost): Promise<OwnerEnvelope["password"]> {
  const hashing = newPasswordHashing(cost);
  const key = await hashPassword(password, hashing);
  try {
    return { hashing: formatPasswordHashing(hashing), root: sealBoxText(key, purpose("password", owner), rootKey) };
  } finally {
    wipe(key);
  }
}

/** The same owner under another master password: only the password slot is written anew. */
export async function withPassword(record: OwnerEnvelope, rootKey: Uint8Array, password: string, cost: PasswordCost): Promise<OwnerEnvelope> {
  return { ...record, password: await passwordSlot(password, rootKey, record.owner, cost) };
}

/** @throws EremosError `wrong-password` | `damaged` */
export async function openWithPassword(record: OwnerEnvelope, password: string): Promise<OwnerKeys> {
  const key = await hashPassword(password, parsePasswordHashing(record.password.hashing));
  try {
    const rootKey = openBox(key, purpose("password", record.owner), fromBase64(record.password.root));
    if (rootKey === "another-key") throw new EremosError("wrong-password", "That is not the master password. Nothing was changed; try again.");
    if (rootKey === "damaged") throw new EremosError("damaged", "The password slot is damaged. The recovery code still opens everything.");
    return { rootKey };
  } finally {
    wipe(key);
  }
}

/** @throws EremosError `wrong-code` | `damaged` */
export async function openWithCode(record: OwnerEnvelope, code: string): Promise<OwnerKeys> {
  const codeKey = keyOfCode(code, record.owner);
  try {
    const privateKey = openBox(codeKey, purpose("recovery", record.owner), fromBase64(record.recovery.privateKey));
    if (privateKey === "another-key") throw new EremosError("wrong-code", "That is a recovery code, but not the one for this. Nothing was changed; look for the newer sheet.");
    if (privateKey === "damaged") throw new EremosError("damaged", "The recovery slot is damaged. The master password still opens everything.");
    const rootKey = await openEnvelope(privateKey, purpose("root", record.owner), record.recovery.root);
    wipe(privateKey);
    if (!rootKey) throw new EremosError("damaged", "The recovery slot is damaged. The master password still opens everything.");
    return { rootKey };
  } finally {
    wipe(codeKey);
  }
}

/** The owner's private key for what was sealed while signed out; the caller wipes it. @throws EremosError `damaged` */
export function openSealingKey(record: OwnerEnvelope, rootKey: Uint8Array): Buffer {
  const key = openBox(rootKey, purpose("sealing", record.owner), fromBase64(record.sealing.privateKey));
  if (typeof key === "string") throw new EremosError("damaged", "The owner's sealing key is damaged. Folders sealed while signed in still open.");
  return key;
}

export function writeOwner(record: OwnerEnvelope): Buffer {
  return writeRecord(record);
}

export function readOwner(bytes: Uint8Array): OwnerEnvelope {
  return readRecord(bytes, ownerSchema, "owner record", 64 * 1024);
}
