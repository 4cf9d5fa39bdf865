import * as z from "zod";
import { type SigningKey, isSignedBy, signWith } from "../crypto/signature";
import { fromBase64, toBase64 } from "../crypto/bytes";
import { openEnvelope, sealTo } from "../crypto/envelope";
import { damage } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { idSchema } from "./ids";
import type { KeyName } from "./object";
import { readRecord, recordSchema, writeRecord } from "./record-file";
import { said, say } from "@eremos/words/core/format";

/** One file that was put into a locked folder by somebody who can't open it. FORMAT.md §12. */
const text = z.string().max(16_384);
const dropSchema = recordSchema("eremos-drop", {
  folder: idSchema,
  /** Of its content key, which is sealed to the folder's public key; and of the record. */
  key: idSchema,
  sealed: z.strictObject({ enc: text, ct: text }),
  object: idSchema,
  /** Of the object's plaintext, in bytes. */
  length: z.int().nonnegative(),
  /** When it arrived, by the clock of whoever put it there; milliseconds since 1970. */
  at: z.int().nonnegative(),
  /** A computer of the owner's, or a member, that says so by its signature; null: nobody says who. */
  author: z.union([idSchema, z.null()]),
  /** It was moved: its original went when it was in. */
  moved: z.boolean(),
  /** The content key once more, sealed to a key of whoever put it in: they can have it back until it is taken in. */
  undo: z.union([z.strictObject({ publicKey: text, enc: text, ct: text }), z.null()]),
  /** By the author, over everything else. */
  signature: z.union([text, z.null()]),
});
export type DropRecord = z.output<typeof dropSchema>;
export const MAX_DROP_BYTES = 64 * 1024;

function signedMessage({ signature: _signature, ...body }: DropRecord): Buffer {
  return Buffer.concat([Buffer.from("eremos/2/drop\n", "utf8"), canonicalJson(body)]);
}

export function signDrop(record: DropRecord, author: string, key: SigningKey): DropRecord {
  const named = { ...record, author };
  return { ...named, signature: toBase64(signWith(key, signedMessage(named))) };
}

/** Whether the author that the record names, whose public key this is, wrote it. */
export function isDropOf(record: DropRecord, publicKey: Uint8Array): boolean {
  return record.signature !== null && isSignedBy(publicKey, signedMessage(record), fromBase64(record.signature));
}

function keyPurpose({ folder, key }: Pick<DropRecord, "folder" | "key">): string {
  return `drop/${folder}/${key}`;
}

/** Seals a content key to the folder's public key. */
export function sealDropKey(
  of: Pick<DropRecord, "folder" | "key">,
  secret: Uint8Array,
  folderPublicKey: Uint8Array,
): Promise<DropRecord["sealed"]> {
  return sealTo(folderPublicKey, keyPurpose(of), secret);
}

/** The content key; the caller wipes it. @throws EremosError `damaged` */
export async function openDropKey(record: DropRecord, folderPrivateKey: Uint8Array): Promise<Buffer> {
  const secret = await openEnvelope(folderPrivateKey, keyPurpose(record), record.sealed);
  if (!secret) throw damage(said("file-that-was-put-in"));
  return secret;
}

/**
 * The same record with its content key sealed to a pair of the writer's, too, so that they can have it back until it is
 * taken in. Whoever has that pair reads it: a computer writes none for itself, whose own keys lie readable in its data.
 */
export async function withUndo(record: DropRecord, secret: Uint8Array, publicKey: Uint8Array): Promise<DropRecord> {
  return {
    ...record,
    signature: null,
    author: null,
    undo: { publicKey: toBase64(publicKey), ...(await sealTo(publicKey, `${keyPurpose(record)}/undo`, secret)) },
  };
}

/** The content key, with the private half of that pair; the caller wipes it. @throws EremosError `damaged` */
export async function openUndo(record: DropRecord, privateKey: Uint8Array): Promise<Buffer> {
  const secret =
    record.undo &&
    (await openEnvelope(privateKey, `${keyPurpose(record)}/undo`, { enc: record.undo.enc, ct: record.undo.ct }));
  if (!secret) throw damage(said("file-that-was-put-in-cant"));
  return secret;
}

/** In `extensions`: where a file lay that was moved in, sealed to the folder's public key. */
const MOVED_FROM = "moved-from";
const fromSchema = z.strictObject({ enc: text, ct: text });
/** What is sealed is filled up, so that its length tells little of the path's. */
const FILLED_BYTES = 512;

/** The record with where its file lay, for whoever opens the folder. */
export async function withMovedFrom<R extends Pick<DropRecord, "folder" | "key">>(
  record: R,
  path: Buffer,
  folderPublicKey: Uint8Array,
): Promise<R & Pick<DropRecord, "extensions">> {
  const filled = Buffer.alloc(Math.ceil((path.length + 1) / FILLED_BYTES) * FILLED_BYTES);
  path.copy(filled);
  const { enc, ct } = await sealTo(folderPublicKey, `${keyPurpose(record)}/from`, filled);
  return { ...record, extensions: { [MOVED_FROM]: { enc, ct } } };
}

export function isMovedIn(record: DropRecord): boolean {
  return record.moved && fromSchema.safeParse(record.extensions[MOVED_FROM]).success;
}

/** Where the file lay; null where that is not told. Only as true as whoever signed the record. */
export async function openMovedFrom(record: DropRecord, folderPrivateKey: Uint8Array): Promise<Buffer | null> {
  const sealed = fromSchema.safeParse(record.extensions[MOVED_FROM]).data;
  const filled = sealed && (await openEnvelope(folderPrivateKey, `${keyPurpose(record)}/from`, sealed));
  const path = filled?.subarray(0, filled.indexOf(0)) ?? null;
  return path?.[0] === 0x2f ? path : null;
}

/** Under which key the content of a file that was put in is: not the folder's, so its number says nothing. */
export function dropKeyName({ key }: Pick<DropRecord, "key">): KeyName {
  return { epoch: 1, key };
}

export function writeDrop(record: DropRecord): Buffer {
  return writeRecord(record);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readDrop(bytes: Uint8Array): DropRecord {
  return readRecord(bytes, dropSchema, say("record-file-that-was-put"), MAX_DROP_BYTES);
}
