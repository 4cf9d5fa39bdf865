import * as z from "zod";
import { VISIBILITIES } from "./choices";
import { canonicalJson } from "./canonical-json";
import { batchSchema, digestSchema, idSchema, isFittingName, lockedNameSchema } from "./ids";
import { readRecord, recordSchema, writeRecord } from "./record-file";
import { say } from "@eremos/words/core/format";

/**
 * The state record: the one file that says, without any key, which copy is the true one. FORMAT.md §7. It holds no
 * names.
 *
 *   lock     sealing → committed → staged → removing → sealed
 *   unlock   restoring → placing → open
 *   release  releasing → (nothing left)
 *   remove   erasing → (nothing left, not even the folder)
 *
 * When space is short, file by file: sealing → mixed → committed → …, and sealed → mixed → placing → open. In `mixed`
 * the sealed copy and the plain remainder together are the folder, and where both have a file the plain one is true.
 */
export const FOLDER_STATES = [
  "sealing",
  "committed",
  "staged",
  "removing",
  "sealed",
  "restoring",
  "placing",
  "open",
  "mixed",
  "releasing",
  "erasing",
] as const;
export type FolderState = (typeof FOLDER_STATES)[number];

const text = z.string().max(512);
const whole = z.int().nonnegative();

const stateSchema = recordSchema("eremos-state", {
  folder: idSchema,
  /** The computer that wrote it, by the name under which it knows its records. */
  by: idSchema,
  /** One more than the largest of those that lay here when it was written. */
  sequence: whole.min(1),
  /** System, inode and birth of Eremos' directory, by which a copy is told; null where inode numbers don't last. */
  place: z.union([text, z.null()]),
  state: z.enum(FOLDER_STATES),
  /** The generation that is true whenever the sealed copy is; null when none was ever committed. */
  generation: z.union([z.strictObject({ number: whole.min(1), digest: digestSchema }), z.null()]),
  /** The work that makes another one, or null. */
  next: z.union([z.strictObject({ number: whole.min(1), batch: batchSchema }), z.null()]),
  visibility: z.enum(VISIBILITIES),
  /** The name it has while it is locked: random where it hides, a cover name in view; null: its own. */
  lockedName: z.union([lockedNameSchema, z.null()]),
  /** Tucked away: how many levels above the directory it lies in the held area is; else null. */
  held: z.union([whole, z.null()]),
  /** The directory beside this record through which plain entries come and go, or null. */
  staging: z.union([text, z.null()]),
  /** A part of the folder is sealed and no longer plain: undoing what is under way leads to `mixed`. */
  mixed: z.boolean(),
  /** Entries whose mode was widened to read or move them, by identity. */
  modes: z.array(z.strictObject({ dev: text, ino: text, mode: whole })),
  /** So often the readable copy is written over before it goes; absent: it is not. */
  overwrites: whole.min(1).max(3).exactOptional(),
  /** The folder's own times, to be set again when everything is back at its place; nanoseconds as decimal text. */
  times: z.union([z.strictObject({ atimeNs: text, mtimeNs: text }), z.null()]),
  /** What the folder shows while it is locked, by names and contents: readable files that Eremos put there. */
  shows: z.array(z.strictObject({ name: text, digest: digestSchema })).max(16),
  /** By which the computer that wrote it knows it again; nobody else can check it. */
  proof: text.exactOptional(),
}).refine(isFittingName);
export type StateRecord = z.output<typeof stateSchema>;
/** What is true of the folder, without who says so, when and where. */
export type StateBody = Omit<StateRecord, "by" | "sequence" | "place" | "proof">;

/** The same of a folder whose readable copy has gone, or that is not about to lose it. */
export function withoutOverwriting<S extends Pick<StateBody, "overwrites">>({
  overwrites: _,
  ...state
}: S): Omit<S, "overwrites"> {
  return state;
}

/**
 * What stands readable in a locked folder that stays in view, the same in every language: the page that says what this
 * is, the small file by which a computer with Eremos opens it, and the desktop's own file for another icon. FORMAT.md
 * §1.
 */
export const PAGE = "Locked with Eremos.html";
export const ITEM = "Open with Eremos";
export const ICON = ".directory";

export const SIGN_NAMES: ReadonlySet<string> = new Set([PAGE, ITEM, ICON]);

const NAME = /^state-([0-9a-f]{32})(?:\.twin)?\.json$/;

export function stateName(writer: string): Buffer {
  return Buffer.from(`state-${writer}.json`, "latin1");
}

/** Whose state record has this name, or whose twin; null: it is none. */
export function stateWriterOf(name: string): string | null {
  return NAME.exec(name)?.[1] ?? null;
}

/** Whether this is the name of a state record or its twin. */
export function isStateName(name: Buffer): boolean {
  return stateWriterOf(name.toString("latin1")) !== null;
}

export const MAX_STATE_BYTES = 16 * 1024 * 1024;

/** Whether the readable contents are the true ones, all of them. FORMAT.md §7.2. */
export function isPlainTrue({ state, mixed }: Pick<StateRecord, "state" | "mixed">): boolean {
  return !mixed && ["sealing", "committed", "staged", "placing", "open", "releasing"].includes(state);
}

/** What the proof is taken over. FORMAT.md §7.8. */
export function provenState({
  proof: _proof,
  ...body
}: Omit<StateRecord, "proof"> & { readonly proof?: string }): Buffer {
  return Buffer.concat([Buffer.from("eremos/2/state\n", "utf8"), canonicalJson(body)]);
}

export function writeState(record: StateRecord): Buffer {
  return writeRecord(record);
}

export function readState(bytes: Uint8Array): StateRecord {
  return readRecord(bytes, stateSchema, say("folders-state-record"), MAX_STATE_BYTES);
}
