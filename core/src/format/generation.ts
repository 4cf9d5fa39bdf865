import { z } from "zod";
import { equalBytes, fromBase64, sha256, toBase64, wipe } from "../crypto/bytes";
import { openBox, sealBoxText } from "../crypto/box";
import { type Envelope, openEnvelope, sealTo } from "../crypto/envelope";
import { hkdf, hmac } from "../crypto/kdf";
import { type SigningKey, isSignedBy, signWith } from "../crypto/signature";
import { EremosError } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { idSchema } from "./ids";
import { readRecord, writeRecord } from "./record-file";

/**
 * A generation: one committed state of a sealed folder. FORMAT.md §6. It names its index object, its parent's digest and, encrypted,
 * the folder's ordinary path. It is vouched for by the folder key (made or adopted while signed in) or signed by the device
 * (made while signed out).
 */
const text = z.string().max(16384);
const whole = z.int().nonnegative();

export const generationSchema = z.strictObject({
  format: z.literal("eremos-generation"),
  version: z.literal(1),
  folder: idSchema,
  generation: whole.min(1),
  parent: z.union([z.null(), z.strictObject({ generation: whole, digest: text })]),
  key: z.union([z.literal("folder"), idSchema]),
  index: z.strictObject({
    object: idSchema,
    digest: text,
    length: whole,
    record: z.strictObject({ offset: whole, length: whole }),
  }),
  place: text,
  made: z.enum(["signed-in", "signed-out"]),
  device: text.optional(),
  signature: text.optional(),
  vouch: text.optional(),
});
export type Generation = z.output<typeof generationSchema>;
export type GenerationBody = Omit<Generation, "signature" | "vouch">;

/** The key named "folder" is the folder key itself; others are generation keys kept under `keys/`. */
export const FOLDER_KEY_NAME = "folder";

function bodyOf(record: Generation | GenerationBody): Buffer {
  const { signature: _signature, vouch: _vouch, ...body } = record as Generation;
  return canonicalJson(body);
}

export function generationDigest(record: Generation): string {
  return toBase64(sha256(bodyOf(record)));
}

export function vouchFor(record: Generation | GenerationBody, folderKey: Uint8Array): Generation {
  return { ...record, vouch: voucher(record, folderKey) };
}

function voucher(record: Generation | GenerationBody, folderKey: Uint8Array): string {
  const key = hkdf(folderKey, fromBase64(record.folder, 16), "eremos/1/generation");
  try {
    return toBase64(hmac(key, bodyOf(record)));
  } finally {
    wipe(key);
  }
}

function signedMessage(record: Generation | GenerationBody): Buffer {
  return Buffer.concat([Buffer.from("eremos/1/generation\n", "utf8"), bodyOf(record)]);
}

export function signGeneration(record: GenerationBody, device: SigningKey): Generation {
  const body = { ...record, device: toBase64(device.publicKey) };
  return { ...body, signature: toBase64(signWith(device, signedMessage(body))) };
}

export type Vouching = "vouched" | "signed" | "unvouched";

/** Who stands behind a generation: the folder key, a known device, or nobody we know. @throws EremosError `damaged` when its voucher is false */
export function vouchingOf(record: Generation, folderKey: Uint8Array, devices: readonly Uint8Array[]): Vouching {
  if (record.vouch !== undefined) {
    if (equalBytes(Buffer.from(record.vouch), Buffer.from(voucher(record, folderKey)))) return "vouched";
    throw new EremosError(
      "damaged",
      `Generation ${record.generation} of this folder was changed after it was written.`,
    );
  }
  const { device, signature } = record;
  if (!device || !signature) return "unvouched";
  const known = devices.some((candidate) => toBase64(candidate) === device);
  return known && isSignedBy(fromBase64(device, 32), signedMessage(record), fromBase64(signature))
    ? "signed"
    : "unvouched";
}

function placePurpose(folder: string): string {
  return `folder/${folder}/place`;
}

export function sealPlace(path: Uint8Array, key: Uint8Array, folder: string): string {
  return sealBoxText(key, placePurpose(folder), path);
}

/** The folder's ordinary path, as bytes. @throws EremosError `damaged` */
export function openPlace(record: Generation, key: Uint8Array): Buffer {
  const path = openBox(key, placePurpose(record.folder), fromBase64(record.place));
  if (typeof path === "string")
    throw new EremosError("damaged", "The folder's ordinary path can't be read from its header.");
  return path;
}

/** The generations that these names of records, and of copies, are of. FORMAT.md §1. */
export function generationNumbers(names: readonly string[]): number[] {
  return [...new Set(names.flatMap((name) => /^(\d{10})(?:\.copy)?\.json$/.exec(name)?.[1] ?? []))].map(Number);
}

export function writeGeneration(record: Generation): Buffer {
  return writeRecord(record);
}

export function readGeneration(bytes: Uint8Array): Generation {
  return readRecord(bytes, generationSchema, "folder's generation record", 64 * 1024);
}

/** A generation key: made for a lock while signed out, sealed to the folder's public key; boxed under the folder key once adopted. FORMAT.md §6.2. */
export const keyRecordSchema = z.strictObject({
  format: z.literal("eremos-key"),
  version: z.literal(1),
  folder: idSchema,
  key: idSchema,
  sealed: z.strictObject({ enc: text, ct: text }).optional(),
  box: text.optional(),
});
export type KeyRecord = z.output<typeof keyRecordSchema>;

function keyPurpose(folder: string, key: string): string {
  return `folder/${folder}/generation-key/${key}`;
}

export async function sealGenerationKey(
  folder: string,
  name: string,
  key: Uint8Array,
  folderPublicKey: Uint8Array,
): Promise<KeyRecord> {
  const sealed: Envelope = await sealTo(folderPublicKey, keyPurpose(folder, name), key);
  return { format: "eremos-key", version: 1, folder, key: name, sealed };
}

export function boxGenerationKey(folder: string, name: string, key: Uint8Array, folderKey: Uint8Array): KeyRecord {
  return {
    format: "eremos-key",
    version: 1,
    folder,
    key: name,
    box: sealBoxText(folderKey, keyPurpose(folder, name), key),
  };
}

/** @throws EremosError `damaged` */
export async function openGenerationKey(
  record: KeyRecord,
  folderKey: Uint8Array,
  folderPrivateKey: Uint8Array,
): Promise<Buffer> {
  const boxed =
    record.box === undefined ? null : openBox(folderKey, keyPurpose(record.folder, record.key), fromBase64(record.box));
  if (boxed && typeof boxed !== "string") return boxed;
  const opened = record.sealed
    ? await openEnvelope(folderPrivateKey, keyPurpose(record.folder, record.key), record.sealed)
    : null;
  if (!opened)
    throw new EremosError("damaged", "A key of this folder is damaged, so what was locked with it can't be read.");
  return opened;
}

export function writeKeyRecord(record: KeyRecord): Buffer {
  return writeRecord(record);
}
