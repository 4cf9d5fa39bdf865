/** Visits, and what differs between two states, as they go over the wire. Pure: the pages read it too. */
import * as z from "zod";

/** A file that was opened off the drive. */
const openedFileSchema = z
  .object({
    name: z.string(),
    /** `starting`: it may yet hand it on; `unknown`: to a program that was running, whose end can't be told. */
    program: z.enum(["starting", "running", "unknown"]),
  })
  .readonly();
export type OpenedFile = z.output<typeof openedFileSchema>;

/** A sealed folder that is looked into, with nothing decrypted on disk. */
export const visitViewSchema = z
  .object({
    folder: z.string(),
    /** Where it is served as a drive, and the name and password for that. */
    url: z.string(),
    user: z.string(),
    password: z.string(),
    /** Under which this server passes its files to the page. */
    contents: z.string(),
    /** By which a desktop's file manager reaches the drive. */
    address: z.string(),
    /** Whether Eremos can mount the drive by itself, and whether it did. */
    mount: z.enum(["no", "can", "mounted"]),
    startedAt: z.number(),
    /** Milliseconds since 1970; null: when nobody has used it for a while. */
    endsAt: z.number().nullable(),
    undoable: z.number(),
    /** In the desktop's programs. */
    opened: z.array(openedFileSchema).readonly(),
    /** It ends when the programs have let go of what is opened. */
    endsWithPrograms: z.boolean(),
  })
  .readonly();
export type VisitView = z.output<typeof visitViewSchema>;

export const visitEntrySchema = z
  .object({
    name: z.string(),
    href: z.string(),
    kind: z.enum(["file", "dir", "link"]),
    size: z.number(),
    modifiedAt: z.number(),
    /** Of a link. */
    leadsTo: z.string().nullable(),
    /** Of what differs between two states. */
    change: z.enum(["added", "changed", "removed"]).exactOptional(),
  })
  .readonly();
export type VisitEntry = z.output<typeof visitEntrySchema>;

/** A state the folder was in before. */
export const earlierViewSchema = z
  .object({
    generation: z.number(),
    at: z.number(),
    files: z.number(),
    bytes: z.number(),
    /** What it takes on disk besides what is needed anyway. */
    ownBytes: z.number(),
  })
  .readonly();
export type EarlierView = z.output<typeof earlierViewSchema>;

/** What changed in a folder that lies open since its last lock. */
export const lastLockViewSchema = z
  .object({
    /** The state it was locked in. */
    generation: z.number(),
    entries: z.array(visitEntrySchema).readonly(),
    /** There are more. */
    isCut: z.boolean(),
  })
  .readonly();
export type LastLockView = z.output<typeof lastLockViewSchema>;

export const visitReplySchema = z
  .object({
    entries: z.array(visitEntrySchema).readonly(),
    /** Asked for `earlier`. */
    earlier: z.array(earlierViewSchema).readonly().exactOptional(),
    /** There are more. */
    isCut: z.boolean(),
  })
  .readonly();
export type VisitReply = z.output<typeof visitReplySchema>;
