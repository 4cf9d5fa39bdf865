/** What an owner chooses, checked as it comes in. Pure: the pages read it too. */
import * as z from "zod";
import { CLEARED_BY_ITSELF } from "@eremos/core/choices";

/** Of names, hints, codes and paths. */
export const textSchema = z.string().max(4096);

const minutes = z
  .int()
  .min(1)
  .max(7 * 24 * 60);

/** So often what goes is written over with random bytes first. */
export const passesSchema = z.union([z.literal(1), z.literal(3)]);

/** What happens at a sign-out to a folder that lies open. */
export const atSignOutSchema = z.enum(["lock", "ask", "leave"]);
export type AtSignOut = z.output<typeof atSignOutSchema>;

/** When a folder that lies open locks by itself, and what is done then. */
export const lockingRulesSchema = z
  .strictObject({
    /** After so long, used or not; null: not for that. */
    afterMinutes: minutes.nullable(),
    /** After so long without a change and without a program holding its files; null: not for that. */
    idleMinutes: minutes.nullable(),
    /** So many seconds after the last program that held files of it let go of them; null: not for that. */
    letGoSeconds: z.int().min(1).max(3600).nullable().default(null),
    /** Whether it locks then, or its owner is asked. */
    atLetGo: z.enum(["lock", "ask"]).default("lock"),
    atSignOut: atSignOutSchema,
    /** When Eremos stops, and at its next start where it could not. */
    atStop: z.boolean(),
    /** When the computer goes to sleep or the screen is locked, where the system tells. */
    atSleep: z.boolean().default(true),
    /** Kinds of traces that are cleared by themselves each time it has locked. */
    clears: z.array(z.enum(CLEARED_BY_ITSELF)).max(CLEARED_BY_ITSELF.length).readonly().default([]),
    /** Sealed: so often the readable copy is written over before it goes; 0: it is not. */
    overwrites: z.union([z.literal(0), passesSchema]).default(0),
  })
  .readonly();
export type LockingRules = z.output<typeof lockingRulesSchema>;

/** How a folder is opened this time. */
export const openingModeSchema = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.enum(["usual", "until-locked", "leaving", "programs", "programs-ask"]) }),
  z.strictObject({ kind: z.literal("while"), minutes }),
]);
export type OpeningMode = z.output<typeof openingModeSchema>;

const path = z
  .string()
  .trim()
  .min(1)
  .max(4096)
  .refine((value) => value.startsWith("/") && !value.includes("\0"), "a full path");

/** What the owner changed about the off-limits list. */
export const offLimitsViewSchema = z.strictObject({
  /** Paths, or patterns with `*`, `**` and `?`. */
  added: z
    .array(z.strictObject({ path, reason: z.string().trim().max(200) }))
    .max(200)
    .readonly(),
  removed: z.array(textSchema).max(200).readonly(),
});
export type OffLimitsView = z.output<typeof offLimitsViewSchema>;

/** How much work each try of the master password is. */
export const effortSchema = z.enum(["light", "standard", "heavy"]);
export type Effort = z.output<typeof effortSchema>;

export const themeSchema = z.enum(["light", "dark", "system"]);
/** Of directories that the owner names. */
export const namedSchema = z.array(path).max(50).readonly();
/** As they are typed. */
const typedNamesSchema = z.array(textSchema).max(50).readonly();
export const keepEarlierSchema = z.int().min(0).max(20);
export const checkEveryDaysSchema = z.int().min(0).max(365);
/** How long what happened stays written down: so many days, for good, or nothing is. */
export const keepHistorySchema = z.union([z.int().min(1).max(3650), z.enum(["for-good", "off"])]);
export type KeepHistory = z.output<typeof keepHistorySchema>;
/** How the Desk lists folders. */
export const deskSchema = z
  .strictObject({
    sort: z.enum(["state", "name", "size", "opened", "place"]),
    isDescending: z.boolean(),
    isTable: z.boolean(),
  })
  .readonly();
export type DeskView = z.output<typeof deskSchema>;
export const idleSignOutMinutesSchema = z
  .int()
  .min(1)
  .max(24 * 60)
  .nullable();
/** A change names only what it changes, so that two at once do not undo one another. */
/** What the desktop's notifications tell of. */
export const noticeKindSchema = z.enum(["waiting", "locked", "tries", "damaged", "practice"]);
export type NoticeKind = z.output<typeof noticeKindSchema>;
/** Of the day, in this computer's own time. */
const minuteOfDay = z.int().min(0).max(1439);
export const noticesSchema = z.strictObject({
  kinds: z.array(noticeKindSchema).max(noticeKindSchema.options.length).readonly(),
  /** Between these nothing is shown; where `from` is later than `until`, over midnight. */
  quiet: z.strictObject({ from: minuteOfDay, until: minuteOfDay }).nullable(),
  /** Whether a folder's name stands in them: never, only while the screen is known not to be locked, or always. */
  names: z.enum(["never", "unlocked", "always"]),
});
export type NoticesPreference = z.output<typeof noticesSchema>;

export const preferencesChangeSchema = z.strictObject({
  theme: themeSchema.exactOptional(),
  rules: lockingRulesSchema.exactOptional(),
  idleSignOutMinutes: idleSignOutMinutesSchema.exactOptional(),
  synced: typedNamesSchema.exactOptional(),
  places: typedNamesSchema.exactOptional(),
  keepEarlier: keepEarlierSchema.exactOptional(),
  checkEveryDays: checkEveryDaysSchema.exactOptional(),
  desk: deskSchema.exactOptional(),
  notices: noticesSchema.exactOptional(),
  shortcut: z.boolean().exactOptional(),
});
