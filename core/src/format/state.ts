import { z } from "zod";
import { canonicalJson } from "./canonical-json";
import { idSchema, isFittingName, lockedNameSchema } from "./ids";
import { readRecord, writeRecord } from "./record-file";

/**
 * The state record: the one file that says, without any key, which copy is the true one. FORMAT.md §7. It holds no names.
 *
 *   lock     sealing → committed → staged → removing → sealed
 *   unlock   restoring → placing → open
 *   release  releasing → (nothing left)
 *
 * When space is short, file by file: sealing → mixed → committed → …, and sealed → mixed → placing → open. In `mixed` the sealed
 * copy and the plain remainder together are the folder, and where both have a file the plain one is true.
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
] as const;
export type FolderState = (typeof FOLDER_STATES)[number];

/** In view at its path; under a random name beside it; in a held area of the same file system. */
export const VISIBILITIES = ["view", "hidden", "tucked"] as const;
export type Visibility = (typeof VISIBILITIES)[number];

const text = z.string().max(512);
const whole = z.int().nonnegative();

export const stateSchema = z
  .strictObject({
    format: z.literal("eremos-state"),
    version: z.literal(1),
    folder: idSchema,
    state: z.enum(FOLDER_STATES),
    /** The generation that is true whenever the sealed copy is; 0 when none was ever committed. */
    generation: whole,
    /** The generation being made, or null. */
    next: z.union([whole, z.null()]),
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
    /** The folder's own times, to be set again when everything is back at its place; nanoseconds as decimal text. */
    times: z.union([z.strictObject({ atimeNs: text, mtimeNs: text }), z.null()]),
    /** SHA-256 of the page in the folder, or null when there is none. */
    page: z.union([text, z.null()]),
    /** SHA-256 of the file that gives the folder another icon, or null when there is none. */
    icon: z.union([text, z.null()]),
    /** By which the computer that wrote it knows it again; nobody else can check it. */
    proof: text.exactOptional(),
  })
  .refine(isFittingName);
export type StateRecord = z.output<typeof stateSchema>;

/** Whether the readable contents are the true ones, all of them. FORMAT.md §7.2. */
export function isPlainTrue({ state, mixed }: Pick<StateRecord, "state" | "mixed">): boolean {
  return !mixed && ["sealing", "committed", "staged", "placing", "open", "releasing"].includes(state);
}

/** What the proof is taken over. FORMAT.md §7.8. */
export function provenState({ proof: _proof, ...body }: StateRecord): Buffer {
  return Buffer.concat([Buffer.from("eremos/1/state\n", "utf8"), canonicalJson(body)]);
}

export function writeState(record: StateRecord): Buffer {
  return writeRecord(record);
}

export function readState(bytes: Uint8Array): StateRecord {
  return readRecord(bytes, stateSchema, "folder's state record");
}
