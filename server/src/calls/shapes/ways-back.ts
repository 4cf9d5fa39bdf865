/** Getting back in, and damage, as they go over the wire. Pure: the pages read it too. */
import * as z from "zod";
import { guardSchema, interruptedVerbSchema, leftOutSchema, protectionSchema, visibilitySchema } from "./folders";
import { namedFolderSchema } from "./owner";

export const INSURANCES = ["light", "standard", "strong"] as const;
export const insuranceSchema = z.enum(INSURANCES);
export type Insurance = z.output<typeof insuranceSchema>;

/** The keyholders, and where their shares are. */
export const keyholdersViewSchema = z
  .object({
    threshold: z.number(),
    count: z.number(),
    /**
     * Whose folders they open, as the sheets say. Null, like the next two and the holders: they were named on another
     * computer.
     */
    of: z.string().nullable(),
    madeAt: z.number().nullable(),
    provenAt: z.number().nullable(),
    holders: z
      .array(
        z
          .object({
            number: z.number(),
            name: z.string(),
            mail: z.string().nullable(),
            handedAt: z.number().nullable(),
            by: z.enum(["sheet", "mail"]).nullable(),
          })
          .readonly(),
      )
      .readonly()
      .nullable(),
    /** The host of the mail server, where there is one. */
    mailServer: z.string().nullable(),
    /** Folders with a password of their own, which these shares do not open until they are opened. */
    withEarlier: z.array(namedFolderSchema).readonly(),
  })
  .readonly();
export type KeyholdersView = z.output<typeof keyholdersViewSchema>;

export const mailServerViewSchema = z
  .object({
    host: z.string(),
    port: z.number(),
    security: z.enum(["tls", "starttls", "none"]),
    user: z.string(),
    from: z.string(),
  })
  .readonly();
export type MailServerView = z.output<typeof mailServerViewSchema>;

/** Shares that are being collected: each by itself. */
export const sharesLookSchema = z
  .object({
    threshold: z.number(),
    count: z.number(),
    shares: z
      .array(
        z
          .object({
            number: z.number().nullable(),
            problem: z.string().nullable(),
          })
          .readonly(),
      )
      .readonly(),
  })
  .readonly();
export type SharesLook = z.output<typeof sharesLookSchema>;

/** Work that was cut off, how far it had come, and what is true now. */
export const interruptionViewSchema = z
  .object({
    folder: z.string(),
    name: z.string(),
    path: z.string(),
    verb: interruptedVerbSchema,
    files: z.number(),
    filesTotal: z.number(),
    now: z.enum(["ordinary", "open", "partly", "locked"]),
    /** As it was to be locked. */
    protection: protectionSchema,
    at: z.number(),
  })
  .readonly();
export type InterruptionView = z.output<typeof interruptionViewSchema>;

/** How much a folder is insured, what that costs, and what it survives. */
export const insuranceViewSchema = z
  .object({
    chosen: z.union([insuranceSchema, z.enum(["other"])]).nullable(),
    /**
     * What it is now. Bytes; `burst`: damage up to so much in one place of one file; `scattered`: so many places of up to
     * 4 KB, wherever they are.
     */
    now: z
      .object({
        costs: z.number(),
        burst: z.number(),
        scattered: z.number(),
        uncovered: z.number(),
      })
      .readonly()
      .nullable(),
    choices: z
      .array(
        z
          .object({
            insurance: insuranceSchema,
            costs: z.number(),
            burst: z.number(),
            scattered: z.number(),
          })
          .readonly(),
      )
      .readonly(),
  })
  .readonly();
export type InsuranceView = z.output<typeof insuranceViewSchema>;

/** A protected folder that was found by what is on disk, and how it stands to what this Eremos knows. */
export const foundFolderSchema = z
  .object({
    path: z.string(),
    /** Its ordinary path, where it is in the list. */
    listedAs: z.string().nullable(),
    folder: z.string().nullable(),
    guard: guardSchema.nullable(),
    visibility: visibilitySchema.nullable(),
    isOpen: z.boolean().nullable(),
    owner: z.string().nullable(),
    hasPassword: z.boolean(),
    hint: z.string().nullable(),
    generation: z.number().nullable(),
    lockedAt: z.number().nullable(),
    problems: z.array(z.string()).readonly(),
    /**
     * In the list, there; in the list, elsewhere; a second copy of one that is in the list and at its place; this
     * owner's, and not in the list; another owner's; its records can't be read.
     */
    relation: z.enum(["listed", "moved", "copy", "lost", "another-owner", "damaged"]),
  })
  .readonly();
export type FoundFolder = z.output<typeof foundFolderSchema>;

export const scanViewSchema = z
  .object({
    isRunning: z.boolean(),
    isStopped: z.boolean(),
    endedAt: z.number().nullable(),
    directories: z.number(),
    at: z.string(),
    /** The first of them: those that are the owner's own before others'. */
    found: z.array(foundFolderSchema).readonly(),
    /** How many there are beyond those. */
    more: z.number(),
    unreadable: z.array(z.string()).readonly(),
    error: z.string().nullable(),
  })
  .readonly();
export type ScanView = z.output<typeof scanViewSchema>;

/** Whether this account gets at a folder, and what of its permissions is not as it was recorded. */
export const permissionsViewSchema = z
  .object({
    access: z
      .array(
        z
          .object({
            path: z.string(),
            kind: z.enum(["another-account", "refused"]),
            reason: z.string(),
          })
          .readonly(),
      )
      .readonly(),
    /** A command for an administrator, where one is needed. */
    advice: z.string().nullable(),
    /** It lies open, and its contents were compared with the last lock. */
    compared: z.boolean(),
    entries: z.number(),
    repaired: z.number(),
    changes: z
      .array(
        z
          .object({
            path: z.string(),
            was: z.string(),
            is: z.string(),
            /** Why it could not be set back. */
            refusal: z.string().nullable(),
          })
          .readonly(),
      )
      .readonly(),
  })
  .readonly();
export type PermissionsView = z.output<typeof permissionsViewSchema>;

/** A second copy of a folder in the list, and what it has that the folder has not, or has otherwise. */
export const copyViewSchema = z
  .object({
    folder: z.string(),
    name: z.string(),
    path: z.string(),
    /** How often each was locked; null where that can't be read. */
    generation: z.number().nullable(),
    ofOriginal: z.number().nullable(),
    problems: z.array(z.string()).readonly(),
    differences: z
      .array(
        z
          .object({
            id: z.string(),
            shown: z.string(),
            kind: z.enum(["only-here", "differs"]),
            size: z.number(),
            modifiedAt: z.number(),
          })
          .readonly(),
      )
      .readonly(),
    /** There are more. */
    isCut: z.boolean(),
  })
  .readonly();
export type CopyView = z.output<typeof copyViewSchema>;

export const hidingMeansSchema = z.enum([
  "dot",
  "list",
  "blank",
  "class-id",
  "no-read",
  "immutable",
  "attributes",
  "icon",
]);
export type HidingMeans = z.output<typeof hidingMeansSchema>;

/** What is hidden by other means than Eremos, as a search found it, and what was brought back. */
export const hiddenViewSchema = scanViewSchema
  .unwrap()
  .omit({ found: true, more: true })
  .extend({
    found: z
      .array(
        z
          .object({
            id: z.string(),
            path: z.string(),
            /** With what can't be seen in its name told. */
            shown: z.string(),
            means: z.array(hidingMeansSchema).readonly(),
            type: z.enum(["dir", "file"]),
            files: z.number(),
            bytes: z.number(),
            probably: z.enum(["yours", "a program's", "unknown"]),
            /** The name it would get. */
            name: z.string(),
          })
          .readonly(),
      )
      .readonly(),
    /** Home-made locks. */
    scripts: z
      .array(
        z
          .object({
            id: z.string(),
            shown: z.string(),
            does: z.array(z.string()).readonly(),
            hasPassword: z.boolean(),
            /** What it hides, where that was found. */
            target: z.string().nullable(),
          })
          .readonly(),
      )
      .readonly(),
    brought: z
      .array(
        z
          .object({
            id: z.string(),
            at: z.number(),
            shown: z.string(),
            now: z.string(),
          })
          .readonly(),
      )
      .readonly(),
  })
  .readonly();
export type HiddenView = z.output<typeof hiddenViewSchema>;

/** Whether the recovery code opens each sealed folder, tried now. */
export const practiceViewSchema = z
  .object({
    at: z.number(),
    /** Why not, or null where it does. */
    folders: z
      .array(
        z
          .object({
            id: z.string(),
            name: z.string(),
            path: z.string(),
            problem: z.string().nullable(),
          })
          .readonly(),
      )
      .readonly(),
  })
  .readonly();
export type PracticeView = z.output<typeof practiceViewSchema>;

/** A reader that opens locked folders without Eremos. */
export const rescueFileSchema = z
  .object({
    name: z.string(),
    href: z.string(),
    bytes: z.number(),
    /** Hexadecimal. */
    sha256: z.string(),
  })
  .readonly();
export type RescueFile = z.output<typeof rescueFileSchema>;

/** What was taken in, by name, and what was not, with the reason. */
export const takenInSchema = z
  .object({
    taken: z.array(z.string()).readonly(),
    left: z.array(leftOutSchema).readonly(),
  })
  .readonly();
export type TakenIn = z.output<typeof takenInSchema>;
