import * as z from "zod";
import { openBox, sealBoxText } from "../crypto/box";
import { fromBase64 } from "../crypto/bytes";
import { openEnvelope, sealTo } from "../crypto/envelope";
import { damage } from "../errors/eremos-error";
import { batchSchema, idSchema } from "./ids";
import { newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import { said, say } from "@eremos/words/core/format";

/**
 * A generation key: made for a lock while signed out, sealed to the folder's public key; boxed under the folder key
 * once its owner opened it. FORMAT.md §6.2.
 */
const text = z.string().max(16384);
const keySchema = recordSchema("eremos-key", {
  folder: idSchema,
  key: idSchema,
  /** Of the folder key that opens it. */
  epoch: z.int().min(1),
  /** Of the work it was made in. */
  batch: batchSchema,
  sealed: z.union([z.strictObject({ enc: text, ct: text }), z.null()]),
  box: z.union([text, z.null()]),
});
export type KeyRecord = z.output<typeof keySchema>;
export const MAX_KEY_BYTES = 64 * 1024;

function keyPurpose({ folder, key, epoch }: Pick<KeyRecord, "folder" | "key" | "epoch">): string {
  return `folder/${folder}/generation-key/${key}/${epoch}`;
}

/** Seals a content key to the folder's public key: of a generation, or of a file that was put in. */
function sealContentKey(
  of: Pick<KeyRecord, "folder" | "key" | "epoch">,
  secret: Uint8Array,
  folderPublicKey: Uint8Array,
): Promise<NonNullable<KeyRecord["sealed"]>> {
  return sealTo(folderPublicKey, keyPurpose(of), secret);
}

export async function newKeyRecord(
  of: Pick<KeyRecord, "folder" | "key" | "epoch" | "batch">,
  secret: Uint8Array,
  folderPublicKey: Uint8Array,
): Promise<KeyRecord> {
  return { ...newFrame("eremos-key"), ...of, sealed: await sealContentKey(of, secret, folderPublicKey), box: null };
}

/** The same key under the folder key. */
export function boxedKeyRecord(record: KeyRecord, secret: Uint8Array, folderKey: Uint8Array): KeyRecord {
  return { ...record, sealed: null, box: sealBoxText(folderKey, keyPurpose(record), secret) };
}

/** The caller wipes it. @throws EremosError `damaged` */
export async function openContentKey(
  record: Pick<KeyRecord, "folder" | "key" | "epoch" | "sealed" | "box">,
  folderKey: Uint8Array,
  folderPrivateKey: Uint8Array,
): Promise<Buffer> {
  const boxed = record.box === null ? null : openBox(folderKey, keyPurpose(record), fromBase64(record.box));
  if (boxed && typeof boxed !== "string") return boxed;
  const opened = record.sealed ? await openEnvelope(folderPrivateKey, keyPurpose(record), record.sealed) : null;
  if (!opened) throw damage(said("key-this-folder-is-damaged"));
  return opened;
}

export function writeKeyRecord(record: KeyRecord): Buffer {
  return writeRecord(record);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readKeyRecord(bytes: Uint8Array): KeyRecord {
  return readRecord(bytes, keySchema, say("folders-key-record"), MAX_KEY_BYTES);
}
