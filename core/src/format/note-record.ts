import * as z from "zod";
import { fromBase64 } from "../crypto/bytes";
import { openEnvelope, sealTo } from "../crypto/envelope";
import { EremosError } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { idSchema } from "./ids";
import type { OwnerEnvelope } from "./owner";
import { newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import { said, say } from "@eremos/words/core/format";

/**
 * A note to the owner: a guest opened the folder, or put something in. Only the owner reads what it says. FORMAT.md
 * §12.1.
 */
const text = z.string().max(4096);
const noteSchema = recordSchema("eremos-note", {
  folder: idSchema,
  id: idSchema,
  /** To the owner's sealing key: {@link NoteFacts}. */
  sealed: z.strictObject({ enc: text, ct: text }),
});
export type NoteRecord = z.output<typeof noteSchema>;
const MAX_NOTE_BYTES = 16 * 1024;

const factsSchema = z.strictObject({
  /** By the clock of whoever wrote it, milliseconds since 1970. */
  at: z.int().nonnegative(),
  what: z.enum(["opened", "dropped"]),
  /** The member, as they say; null: nobody says who. */
  member: z.union([idSchema, z.null()]),
});
export type NoteFacts = z.output<typeof factsSchema>;

function purpose({ folder, id }: Pick<NoteRecord, "folder" | "id">): string {
  return `note/${folder}/${id}`;
}

export async function newNote(
  of: Pick<NoteRecord, "folder" | "id">,
  facts: NoteFacts,
  { sealing }: Pick<OwnerEnvelope, "sealing">,
): Promise<NoteRecord> {
  return {
    ...newFrame("eremos-note"),
    ...of,
    sealed: await sealTo(fromBase64(sealing.publicKey, 32), purpose(of), canonicalJson(facts)),
  };
}

/** What it says, with the owner's private sealing key. @throws EremosError `damaged` */
export async function openNote(note: NoteRecord, sealingKey: Uint8Array): Promise<NoteFacts> {
  const opened = await openEnvelope(sealingKey, purpose(note), note.sealed);
  const parsed = opened ? factsSchema.safeParse(parseOrNull(opened)) : null;
  if (!parsed?.success) throw new EremosError("damaged", said("note-about-this-folder-cant"));
  return parsed.data;
}

function parseOrNull(bytes: Buffer): unknown {
  try {
    return JSON.parse(bytes.toString("utf8"));
  } catch {
    return null;
  }
}

export function writeNote(note: NoteRecord): Buffer {
  return writeRecord(note);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readNote(bytes: Uint8Array): NoteRecord {
  return readRecord(bytes, noteSchema, say("note-about-folder"), MAX_NOTE_BYTES);
}
