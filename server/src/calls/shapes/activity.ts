/** What is written down of what happens, and how it is asked for. Pure: the pages read it too. */
import * as z from "zod";
import { textSchema } from "./rules";

/** Everything that is written down, by what a person looks for. */
export const ACTIVITY_GROUPS = {
  locking: ["locked", "recovered", "released", "reguarded", "protection", "rules"],
  opening: [
    "opened",
    "visited",
    "visit-ended",
    "changed",
    "dropped",
    "taken-back",
    "put-back",
    "handed-over",
    "received",
  ],
  tries: ["wrong", "stranger"],
  entrance: ["signed-in", "signed-out"],
  secrets: ["password", "folder-password", "code", "keyholders", "new-keys", "pin", "stay", "practised"],
  care: ["checked", "damaged", "repaired", "mended", "insured", "taken-in"],
  removing: ["cleared", "traces-back", "removed", "out-of-trash", "erased", "overwritten"],
  settings: ["settings", "history-off", "history-on", "history-cleared", "exported"],
} as const;
export type ActivityGroup = keyof typeof ACTIVITY_GROUPS;
const GROUPS = Object.keys(ACTIVITY_GROUPS) as [ActivityGroup, ...ActivityGroup[]];

export const activityKindSchema = z.enum(Object.values(ACTIVITY_GROUPS).flat());
export type ActivityKind = z.output<typeof activityKindSchema>;

/** Through what it came about. */
export const causeSchema = z.enum(["page", "command-line", "menu", "drive", "itself"]);

/** Why it came about by itself, or as a part of something else. */
export const whySchema = z.enum([
  "time",
  "idle",
  "let-go",
  "signed-out",
  "stopped",
  "after-stop",
  "asleep",
  "in-turn",
  "by-rule",
  "cut-off",
]);
export type Why = z.output<typeof whySchema>;

/** By what somebody got in, tried to, or proved that they can. */
export const waySchema = z.enum(["password", "pin", "stay", "code", "shares", "folder-password", "drive"]);
export type Way = z.output<typeof waySchema>;

/** Of an encrypted folder, as it was locked. */
const sizeSchema = z.strictObject({ generation: z.number(), files: z.number(), bytes: z.number() });

export const eventSchema = z.strictObject({
  /** Milliseconds since 1970. */
  at: z.number(),
  /** The day as Eremos counts them, for what is kept so many of them. */
  day: z.number().default(0),
  /** Its id; empty: it is about no folder. */
  folder: z.string(),
  kind: activityKindSchema,
  /** Whether its owner was signed in. */
  signedIn: z.boolean(),
  from: causeSchema.default("itself"),
  why: whySchema.nullable().default(null),
  way: waySchema.nullable().default(null),
  /** Of this computer, whose program it was. */
  account: z.strictObject({ uid: z.number(), name: z.string() }).nullable().default(null),
  /** When what ended with it had begun. */
  since: z.number().nullable().default(null),
  /** How many: files looked at or put in, wrong tries, entries. */
  count: z.number().nullable().default(null),
  size: sizeSchema.nullable().default(null),
  /** The folder's, then: it is still told when the folder is not in the list any more. */
  name: z.string().default(""),
});
export type ActivityEvent = z.output<typeof eventSchema>;

const whoSchema = z.enum([...causeSchema.options, "signed-out", "others"]);
export type ActivityWho = z.output<typeof whoSchema>;

const time = z.number().nullable().default(null);

/** Which entries; without anything, all. */
export const activityFilterSchema = z.strictObject({
  folder: textSchema.nullable().default(null),
  groups: z.array(z.enum(GROUPS)).max(GROUPS.length).readonly().default([]),
  who: whoSchema.nullable().default(null),
  /** From then on, and before then: milliseconds since 1970. */
  from: time,
  until: time,
  /** In the words of an entry. */
  find: textSchema.default(""),
});
export type ActivityFilter = z.output<typeof activityFilterSchema>;

export const activityAskedSchema = z.strictObject({
  filter: activityFilterSchema,
  skip: z.int().nonnegative().default(0),
  limit: z.int().min(1).max(500).default(200),
});

export const activityViewSchema = z
  .object({
    ...eventSchema.omit({ day: true }).shape,
    /** What happened, and how it came about, in words. */
    what: z.string(),
    how: z.string(),
  })
  .readonly();
export type ActivityView = z.output<typeof activityViewSchema>;

/** The newest first. */
export const activityPageSchema = z
  .object({
    events: z.array(activityViewSchema).readonly(),
    /** That match, and that there are. */
    total: z.number(),
    all: z.number(),
    /** Every folder that is told of, by the name it had last. */
    folders: z.array(z.object({ id: z.string(), name: z.string() })).readonly(),
  })
  .readonly();
export type ActivityPage = z.output<typeof activityPageSchema>;

const perDay = z.array(z.number()).readonly();
const named = { id: z.string(), name: z.string() };

/** What the charts show; each list of numbers has one for each day, oldest first. */
export const chartsViewSchema = z
  .object({
    /** When each day begins: milliseconds since 1970. */
    days: perDay,
    /** Hours that folders lay open: by day, at night (22 to 6), and on how many nights at all. */
    open: z.array(z.object({ ...named, day: perDay, night: perDay, nights: z.number() })).readonly(),
    /** Wrong tries: of the ways in, of folders' own passwords, of drives; and other accounts that were sent away. */
    wrong: z.object({ gate: perDay, folder: perDay, drive: perDay, strangers: perDay }),
    sizes: z
      .array(
        z.object({
          ...named,
          states: z.array(z.object({ at: z.number(), ...sizeSchema.shape })).readonly(),
        }),
      )
      .readonly(),
    /** When each way back was seen to work, the oldest first. */
    proofs: z.array(z.object({ way: z.enum(["password", "code", "shares", "check"]), at: perDay })).readonly(),
  })
  .readonly();
export type ChartsView = z.output<typeof chartsViewSchema>;

/** What matters of what happened since somebody was last here. */
export const sinceViewSchema = z
  .object({
    /** Null: this is the first time. */
    since: z.number().nullable(),
    lines: z
      .array(
        z.object({
          text: z.string(),
          /** Something to look into. */
          isWarning: z.boolean(),
          folder: z.string(),
        }),
      )
      .readonly(),
  })
  .readonly();
export type SinceView = z.output<typeof sinceViewSchema>;

export const exportFormatSchema = z.enum(["csv", "json"]);
export type ExportFormat = z.output<typeof exportFormatSchema>;
