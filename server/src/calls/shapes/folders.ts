/** Folders, work and places, as they go over the wire. Pure: the pages read it too. */
import * as z from "zod";
import { GUARDS, barsSchema } from "@eremos/core/guards";
import { REACH_KINDS, TRACE_GIVES, TRACE_KINDS, VISIBILITIES } from "@eremos/core/choices";
import { atSignOutSchema, lockingRulesSchema } from "./rules";
import { visitViewSchema } from "./visits";

export type { Bars, GuardName, Level } from "@eremos/core/guards";
export const guardSchema = z.enum(GUARDS);
export const visibilitySchema = z.enum(VISIBILITIES);
export type Visibility = z.output<typeof visibilitySchema>;

/** Icons by their names in the desktop's own themes. Source: freedesktop.org Icon Naming Specification. */
export const iconSchema = z.enum([
  "x-office-document",
  "x-office-spreadsheet",
  "x-office-calendar",
  "x-office-address-book",
  "text-x-generic",
  "image-x-generic",
  "audio-x-generic",
  "video-x-generic",
  "package-x-generic",
  "applications-games",
  "user-trash",
]);
export type Icon = z.output<typeof iconSchema>;

/** How a folder is locked. */
export const protectionSchema = z
  .strictObject({
    guard: guardSchema,
    visibility: visibilitySchema,
    /** In view: the name it shows while it is locked; null: its own. Whether it is fit to be one is said in words. */
    cover: z.string().max(4096).nullable(),
    /** Sealed and in view: the icon it shows while it is locked; null: the usual one. */
    icon: iconSchema.nullable(),
    /** For a barred folder. */
    bars: barsSchema.nullable(),
  })
  .readonly();
export type Protection = z.output<typeof protectionSchema>;

/** What of it is remembered, to be offered first the next time. */
export const chosenSchema = protectionSchema.unwrap().pick({ guard: true, visibility: true }).readonly();
export type Chosen = z.output<typeof chosenSchema>;

/** What a folder is protected with where nobody says otherwise, or ever did: on the page, in menus, on the command line. */
export const USUAL_CHOICE: Chosen = { guard: "sealed", visibility: "hidden" };

/** What is protected: a folder, a single file, or all that is on a drive. */
export const folderKindSchema = z.enum(["folder", "file", "drive"]);
export type FolderKind = z.output<typeof folderKindSchema>;

export const folderConditionSchema = z.enum([
  "locked",
  "open",
  "working",
  "partly",
  "interrupted",
  "missing",
  "away",
  "damaged",
]);
export type FolderCondition = z.output<typeof folderConditionSchema>;

export const JOB_VERBS = [
  "lock",
  "unlock",
  "release",
  "check",
  "reguard",
  "put-back",
  "insure",
  "repair",
  "merge",
  "renew",
  "clear",
  "overwrite",
  "remove",
  "hand-over",
  "receive",
] as const;
export const jobVerbSchema = z.enum(JOB_VERBS);
export type JobVerb = z.output<typeof jobVerbSchema>;
/** Of whose end the owner is asked, where it was cut off; what else is cut off goes on, or is begun again, by itself. */
export const interruptedVerbSchema = jobVerbSchema.exclude([
  "renew",
  "clear",
  "remove",
  "overwrite",
  "hand-over",
  "receive",
]);

export const JOB_STATES = ["queued", "running", "done", "failed", "cancelled", "interrupted"] as const;
export const jobStateSchema = z.enum(JOB_STATES);
export type JobState = z.output<typeof jobStateSchema>;

export const jobPhaseSchema = z.enum([
  "queued",
  "looking",
  "sealing",
  "making-durable",
  "moving",
  "overwriting",
  "removing",
  "restoring",
  "checking",
]);
export type JobPhase = z.output<typeof jobPhaseSchema>;

export const folderViewSchema = z
  .object({
    id: z.string(),
    path: z.string(),
    realPath: z.string(),
    name: z.string(),
    kind: folderKindSchema,
    guard: guardSchema,
    /** Of a barred folder. */
    bars: barsSchema.nullable(),
    visibility: visibilitySchema,
    cover: z.string().nullable(),
    icon: iconSchema.nullable(),
    /** The full path of the drive it lies on; null: on a disk that doesn't leave. */
    drive: z.string().nullable(),
    state: folderConditionSchema,
    files: z.number(),
    bytes: z.number(),
    protectedAt: z.number(),
    lockedAt: z.number().nullable(),
    openedAt: z.number().nullable(),
    /** While it is open: when it locks by itself. */
    locksAt: z.number().nullable(),
    locksWhenIdle: z.boolean(),
    /** Its time is up, and these programs still hold files of it. */
    waitingFor: z.array(z.string()).readonly(),
    /** No program uses it any more, and its owner wanted to be asked then. */
    isLetGo: z.boolean(),
    /** Its own rules, or null where the general ones hold. */
    rules: lockingRulesSchema.nullable(),
    /** A password of its own is needed on top of the master password; with its hint, or null. */
    hasPassword: z.boolean(),
    passwordHint: z.string().nullable(),
    /** While it is open: what happens to it at a sign-out. */
    atSignOut: atSignOutSchema.nullable(),
    /** Plain entries that appeared in the locked folder. */
    arrivals: z.number(),
    /** Files that wait in its drop slot, encrypted. */
    drops: z.number(),
    /** Of them, what was moved in: it can go back to where it was. */
    returnable: z.number(),
    /**
     * When its encrypted copy was last looked through, whether a sample of it or all, and whether it was whole; null:
     * never.
     */
    lastCheck: z
      .object({
        at: z.number(),
        ok: z.boolean(),
        sample: z.boolean(),
      })
      .readonly()
      .nullable(),
    /** Sealed: parity beside it repairs damage. */
    isInsured: z.boolean(),
    /** States that another computer locked at the same time, where a program keeps both in step. */
    forks: z
      .array(
        z
          .object({
            name: z.string(),
            generation: z.number(),
            /** Made from the present one, which it takes the place of at the next opening. */
            isNewer: z.boolean(),
            arrival: z
              .object({
                pieces: z.number(),
                arrived: z.number(),
              })
              .readonly(),
          })
          .readonly(),
      )
      .readonly(),
    /** Locked, and too large for the room there is: opening goes file by file. */
    isCramped: z.boolean(),
    /** Sealed: what opens it, and when the code and the shares were last seen to; null: not yet. */
    waysBack: z
      .object({
        count: z.number(),
        codeProvenAt: z.number().nullable(),
        sharesProvenAt: z.number().nullable(),
        hasKeyholders: z.boolean(),
      })
      .readonly()
      .nullable(),
    /** In Eremos' trash: since when, and for how many days it can still come back; null: it is not. */
    removed: z.object({ at: z.number(), daysLeft: z.number() }).readonly().nullable(),
    /** What needs the owner, in one sentence, or null. */
    attention: z.string().nullable(),
    visit: visitViewSchema.nullable(),
  })
  .readonly();
export type RemovedAs = NonNullable<z.output<typeof folderViewSchema>["removed"]>;
export type FolderView = z.output<typeof folderViewSchema>;

export const errorViewSchema = z
  .object({
    code: z.string(),
    message: z.string(),
    /** Which message of the catalogue it is, and what that was filled with: for a page in another language. */
    said: z
      .object({ id: z.string(), values: z.record(z.string(), z.unknown()).readonly() })
      .readonly()
      .exactOptional(),
    data: z.record(z.string(), z.unknown()).readonly().exactOptional(),
  })
  .readonly();
export type ErrorView = z.output<typeof errorViewSchema>;

export const jobViewSchema = z
  .object({
    id: z.string(),
    folder: z.string(),
    verb: jobVerbSchema,
    state: jobStateSchema,
    phase: jobPhaseSchema,
    files: z.number(),
    filesTotal: z.number(),
    bytes: z.number(),
    bytesTotal: z.number(),
    /** Over the phase so far; null before it can be told. */
    bytesPerSecond: z.number().nullable(),
    startedAt: z.number(),
    endedAt: z.number().nullable(),
    error: errorViewSchema.nullable(),
    /** How it ended, in words that say what is true now. */
    summary: z.string().nullable(),
  })
  .readonly();
export type JobView = z.output<typeof jobViewSchema>;

export const placeEntrySchema = z
  .object({
    name: z.string(),
    path: z.string(),
    type: z.enum(["dir", "file"]),
    hidden: z.boolean(),
    expandable: z.boolean(),
    /** The protected folder at this path, if any. */
    folder: z.string().nullable(),
  })
  .readonly();
export type PlaceEntry = z.output<typeof placeEntrySchema>;

export const placeListingSchema = z
  .object({
    path: z.string(),
    entries: z.array(placeEntrySchema).readonly(),
    /** Files that are not among the entries. */
    more: z.number(),
  })
  .readonly();
export type PlaceListing = z.output<typeof placeListingSchema>;

export const droppedFoundSchema = z
  .object({
    paths: z.array(z.string()).readonly(),
    /** Everything was looked through. */
    complete: z.boolean(),
  })
  .readonly();
export type DroppedFound = z.output<typeof droppedFoundSchema>;

export const planViewSchema = z
  .object({
    kind: folderKindSchema,
    path: z.string(),
    name: z.string(),
    refusal: errorViewSchema.nullable(),
    files: z.number(),
    bytes: z.number(),
    outsideLinks: z.array(z.string()).readonly(),
    /** What in it belongs to other accounts. */
    foreign: z.array(z.string()).readonly(),
    /** `file-by-file` when there is no room for the encrypted copy beside the readable one. */
    strategy: z.enum(["whole", "file-by-file"]),
    holders: z.array(z.string()).readonly(),
    /**
     * The file system tells of each file whether anybody writes to it; else only programs that can be listed are seen.
     */
    tellsWriters: z.boolean(),
  })
  .readonly();
export type PlanView = z.output<typeof planViewSchema>;

const leftThereSchema = z.array(z.object({ path: z.string(), reason: z.string() }).readonly()).readonly();
/** So many files are in, and what stays where it is, and why. */
export const movedInSchema = z
  .object({
    files: z.number(),
    left: leftThereSchema,
  })
  .readonly();
export type MovedInView = z.output<typeof movedInSchema>;
/** So many files are back. */
export const movedBackSchema = z.object({ files: z.number() }).readonly();

export const onlookerKindSchema = z.enum(["keyboard", "keyboard-hidden-shown", "disk"]);
export type OnlookerKind = z.output<typeof onlookerKindSchema>;

export const onlookViewSchema = z
  .object({
    place: z.string(),
    kinds: z
      .array(
        z
          .object({
            kind: onlookerKindSchema,
            entries: z
              .array(
                z
                  .object({
                    name: z.string(),
                    type: z.enum(["file", "dir", "link", "other"]),
                    size: z.number().nullable(),
                  })
                  .readonly(),
              )
              .readonly(),
            more: z.number(),
            verdict: z.string(),
            brief: z.string(),
            facts: z.array(z.string()).readonly(),
            sample: z
              .object({
                name: z.string(),
                hex: z.string(),
                text: z.string(),
              })
              .readonly()
              .nullable(),
          })
          .readonly(),
      )
      .readonly(),
  })
  .readonly();
export type OnlookView = z.output<typeof onlookViewSchema>;

export const reachKindSchema = z.enum(REACH_KINDS);
export type ReachKind = z.output<typeof reachKindSchema>;

export const reachCellSchema = z
  .object({
    answer: z.enum(["yes", "partly", "no"]),
    reason: z.string(),
  })
  .readonly();
export type ReachCell = z.output<typeof reachCellSchema>;

/** Who could get how far at a folder now; a row for each kind of somebody. */
export const reachViewSchema = z
  .object({
    kind: reachKindSchema,
    exists: reachCellSchema,
    names: reachCellSchema,
    reads: reachCellSchema,
    changes: reachCellSchema,
    deletes: reachCellSchema,
  })
  .readonly();
export type ReachView = z.output<typeof reachViewSchema>;

/** What was left as it was, and why. */
export const leftOutSchema = z.object({ path: z.string(), reason: z.string() }).readonly();

/** What closing up left open, and why. */
export const closedUpSchema = z
  .object({
    jobs: z.array(z.string()).readonly(),
    left: z.array(leftOutSchema).readonly(),
  })
  .readonly();
export type ClosedUp = z.output<typeof closedUpSchema>;

export const traceKindSchema = z.enum(TRACE_KINDS);
export type TraceKind = z.output<typeof traceKindSchema>;

/** What lies elsewhere and tells of a folder. */
export const tracesViewSchema = z
  .object({
    traces: z
      .array(
        z
          .object({
            id: z.string(),
            kind: traceKindSchema,
            /** The file it stands in, or that it is. */
            where: z.string(),
            /** What it says: a path, an address, a line. */
            what: z.string(),
            gives: z.enum(TRACE_GIVES),
            /** It names the folder's path; else it is only called or holds the same as something in it. */
            isSure: z.boolean(),
            /** Whether Eremos can clear it. */
            clearable: z.boolean(),
          })
          .readonly(),
      )
      .readonly(),
    /** Where it could not be looked, and why. */
    troubles: z.array(z.object({ kind: traceKindSchema, where: z.string(), reason: z.string() }).readonly()).readonly(),
    /** Programs that run now and may write back what is cleared when they end. */
    writers: z.array(z.object({ kind: traceKindSchema, program: z.string() }).readonly()).readonly(),
  })
  .readonly();
export type TracesView = z.output<typeof tracesViewSchema>;

/** What overwriting reaches on a disk, in words. */
export const mediumViewSchema = z
  .object({
    contents: z.enum(["reached", "drive-may-keep", "stay", "unknown", "on-no-disk"]),
    verdict: z.string(),
    because: z.array(z.string()).readonly(),
    /** What does help. */
    helps: z.array(z.string()).readonly(),
  })
  .readonly();
export type MediumView = z.output<typeof mediumViewSchema>;

/** What stayed where it was, and why. */
export const leftTracesSchema = z.array(z.object({ where: z.string(), reason: z.string() }).readonly()).readonly();

/** Traces that were cleared together and can be put back. */
export const keptTracesSchema = z
  .object({
    id: z.string(),
    folder: z.string(),
    /** Milliseconds since 1970. */
    at: z.number(),
    traces: z.number(),
    daysLeft: z.number(),
  })
  .readonly();
export type KeptTraces = z.output<typeof keptTracesSchema>;

export const clearedViewSchema = z
  .object({ cleared: z.number(), left: leftTracesSchema, kept: z.string().nullable() })
  .readonly();
export type ClearedView = z.output<typeof clearedViewSchema>;

export const tracesBackSchema = z.object({ back: z.number(), left: leftTracesSchema }).readonly();
export type TracesBackView = z.output<typeof tracesBackSchema>;

/** What the menu of a file manager leaves to the page, which asks. */
export const ASKED_ACTS = [
  "lock-own",
  "put-in",
  "move-in",
  "hand-over",
  "open",
  "visit",
  "release",
  "remove",
  "overwrite",
] as const;
export type AskedAct = (typeof ASKED_ACTS)[number];
/** What is done with one selected thing at a time. */
export const ONE_AT_A_TIME: readonly AskedAct[] = ["lock-own", "visit", "hand-over"];

export const askedSchema = z
  .strictObject({ act: z.enum(ASKED_ACTS), paths: z.array(z.string()).min(1).max(1000).readonly() })
  .readonly();
export type AskedFor = z.output<typeof askedSchema>;
