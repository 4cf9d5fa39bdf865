/** The owner, the session and what is set for everything, as they go over the wire. Pure: the pages read it too. */
import * as z from "zod";
import { chosenSchema } from "./folders";
import {
  deskSchema,
  effortSchema,
  keepHistorySchema,
  lockingRulesSchema,
  noticesSchema,
  offLimitsViewSchema,
} from "./rules";

export const stateViewSchema = z
  .object({
    setUp: z.boolean(),
    signedIn: z.boolean(),
    hint: z.string().nullable(),
    failedTries: z.number(),
    waitMs: z.number(),
    /** Signed out by itself, and a PIN leads back in. */
    pin: z.boolean(),
    /** Of keyholders, where there are some: how many of how many open. */
    keyholders: z
      .object({
        threshold: z.number(),
        count: z.number(),
      })
      .readonly()
      .nullable(),
    /** The owner chose to stay signed in, and this is a program of the owner's account: no password is needed. */
    stays: z.boolean(),
    /** How many folders lie open; which ones, only who is signed in hears. */
    open: z.number(),
    /** What is wrong with Eremos' own data, or null. */
    ownDataTrouble: z.string().nullable(),
  })
  .readonly();
export type StateView = z.output<typeof stateViewSchema>;

export const strengthViewSchema = z
  .object({
    /** 0 (guessed at once) to 4 (very hard to guess). */
    score: z.number(),
    guessTime: z.string(),
    warning: z.string().nullable(),
    suggestions: z.array(z.string()).readonly(),
    /** Why it can't be taken, or null. */
    refusal: z.string().nullable(),
  })
  .readonly();
export type StrengthView = z.output<typeof strengthViewSchema>;

/** A recovery code that was shown and waits for proof that it was kept. */
export const shownCodeSchema = z
  .object({
    id: z.string(),
    recoveryCode: z.string(),
    /** Which groups (0 to 7) are to be typed back. */
    ask: z.array(z.number()).readonly(),
    /** One that was shown before, and never proven, is void now. */
    isAnother: z.boolean(),
  })
  .readonly();
export type ShownCode = z.output<typeof shownCodeSchema>;

export const signedInSchema = z
  .object({
    /** For this tab only. */
    tab: z.string(),
    /** Wrong passwords since the last sign-in. */
    failedTries: z.number(),
  })
  .readonly();
export type SignedIn = z.output<typeof signedInSchema>;

/** A folder as messages and lists name it. */
export const namedFolderSchema = z
  .object({
    id: z.string(),
    name: z.string(),
    path: z.string(),
  })
  .readonly();
export type NamedFolder = z.output<typeof namedFolderSchema>;

/**
 * Folders out of reach when the master password or the recovery code changed: they open with the old one until they
 * return.
 */
export const passwordChangedSchema = z
  .object({
    left: z.array(namedFolderSchema).readonly(),
  })
  .readonly();
export type PasswordChanged = z.output<typeof passwordChangedSchema>;

/** How far it is since the owner made new keys. */
export const newKeysViewSchema = z
  .object({
    /** Milliseconds since 1970. */
    at: z.number(),
    /** So many folders are sealed anew throughout. */
    anew: z.number(),
    /** The others, and why. `hasKey`: nothing new in it opens with an earlier secret, and its contents still do. */
    waiting: z
      .array(
        namedFolderSchema
          .unwrap()
          .extend({
            why: z.enum(["working", "away", "open", "password", "refused"]),
            refusal: z.string().nullable(),
            hasKey: z.boolean(),
          })
          .readonly(),
      )
      .readonly(),
    /** Of those that are sealed anew, the ones of which so many earlier states are kept that an earlier key opens. */
    older: z
      .array(
        namedFolderSchema
          .unwrap()
          .extend({
            states: z.number(),
          })
          .readonly(),
      )
      .readonly(),
  })
  .readonly();
export type NewKeysView = z.output<typeof newKeysViewSchema>;

export const effortsViewSchema = z
  .object({
    chosen: effortSchema,
    /** What one try of a password takes on this machine. */
    seconds: z.record(effortSchema, z.number()).readonly(),
  })
  .readonly();
export type EffortsView = z.output<typeof effortsViewSchema>;

export const preferencesViewSchema = z
  .object({
    /** How the page looks; `system`: as the desktop. */
    theme: z.enum(["light", "dark", "system"]),
    /** How much work each try of the master password is. */
    effort: effortSchema,
    /** For folders without rules of their own. */
    rules: lockingRulesSchema,
    /** Minutes without a touch of the page until it signs out; null: never. */
    idleSignOutMinutes: z.number().nullable(),
    /** Full paths of directories that another program uploads, besides those it was started with. */
    synced: z.array(z.string()).readonly(),
    /** Full paths of places that it may protect in, besides those it was started with, or the usual ones. */
    places: z.array(z.string()).readonly(),
    /** How many earlier states of a sealed folder are kept. */
    keepEarlier: z.number(),
    /** So often a sample of each sealed folder is looked at, while somebody is signed in; 0: never. */
    checkEveryDays: z.number(),
    keepHistory: keepHistorySchema,
    desk: deskSchema,
    /** What the desktop's notifications tell of, when, and with which names. */
    notices: noticesSchema,
    /** The desktop has keys for *Close up*. */
    shortcut: z.boolean(),
    /** What was chosen for the last folder that was protected: it is offered first. */
    chosen: chosenSchema,
  })
  .readonly();
export type PreferencesView = z.output<typeof preferencesViewSchema>;

/** Keys for *Close up*, from anywhere on the desktop. */
export const shortcutViewSchema = z
  .object({
    /** The desktop gives keys to programs. */
    isOffered: z.boolean(),
    /** As the desktop says them; null: none yet. */
    keys: z.string().nullable(),
  })
  .readonly();

/** What of Eremos is on the desktop. */
export const desktopViewSchema = z
  .object({
    applications: z.boolean(),
    start: z.boolean(),
    menu: z.boolean(),
    marks: z.boolean(),
  })
  .readonly();
export type DesktopView = z.output<typeof desktopViewSchema>;

/** How Eremos came to this computer: by its system's packages, as a directory that runs anywhere, or as its sources. */
export const installationKindSchema = z.enum(["system", "portable", "sources"]);

export const settingsViewSchema = z
  .object({
    dataDirectory: z.string(),
    program: z
      .object({
        version: z.string(),
        kind: installationKindSchema,
        /** The runtime's version, and the day until which its makers mend it. */
        node: z.string(),
        supportedUntil: z.string().nullable(),
      })
      .readonly(),
    /** Places it may protect in that it was started with, or the usual ones. */
    placesBefore: z.array(z.string()).readonly(),
    hashing: z
      .object({
        memoryKiB: z.number(),
        passes: z.number(),
        lanes: z.number(),
      })
      .readonly(),
    offLimits: z
      .array(
        z
          .object({
            path: z.string(),
            reason: z.string(),
            removable: z.boolean(),
          })
          .readonly(),
      )
      .readonly(),
    offLimitsEdits: offLimitsViewSchema,
    /** Directories that another program uploads, that it was started with. */
    syncedBefore: z.array(z.string()).readonly(),
    hint: z.string().nullable(),
    preferences: preferencesViewSchema,
    hasPin: z.boolean(),
    /** The key is kept in a file of this account. */
    stays: z.boolean(),
    /** Folders that still open with an earlier master password or recovery code. */
    behind: z.array(namedFolderSchema).readonly(),
    /** Folders with a password of their own, which an earlier recovery code still opens until they are opened. */
    withEarlierCode: z.array(namedFolderSchema).readonly(),
  })
  .readonly();
export type SettingsView = z.output<typeof settingsViewSchema>;

/** What the event stream names when it has changed. */
export const topicSchema = z.enum(["scan", "folders", "jobs", "gate", "place", "session", "activity"]);
export type Topic = z.output<typeof topicSchema>;

export const changeEventSchema = z
  .object({
    topic: topicSchema,
    path: z.string().exactOptional(),
  })
  .readonly();
export type ChangeEvent = z.output<typeof changeEventSchema>;
