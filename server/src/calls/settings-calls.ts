import * as z from "zod";
import { nothing, owner } from "./call";
import {
  desktopViewSchema,
  effortsViewSchema,
  newKeysViewSchema,
  passwordChangedSchema,
  settingsViewSchema,
  shortcutViewSchema,
  shownCodeSchema,
} from "./shapes/owner";
import { effortSchema, offLimitsViewSchema, preferencesChangeSchema, textSchema as text } from "./shapes/rules";
import { secretSchema, secretText } from "./shapes/secrets";

const current = z.strictObject({ current: secretText });
const newKeys = z.strictObject({ view: newKeysViewSchema.nullable() });

/** What is set for everything, and new keys. */
export const SETTINGS_CALLS = {
  settings: owner("Everything that the Settings show.", nothing, settingsViewSchema),
  preferences: owner("Changes what is set for all folders and for the page.", preferencesChangeSchema, nothing),
  "off-limits": owner("Edits the list of places that can't be locked.", offLimitsViewSchema, nothing),
  efforts: owner("How long one try of a password takes on this machine.", nothing, effortsViewSchema),
  "efforts/set": owner(
    "How much work each try of the master password is.",
    current.extend({ effort: effortSchema }),
    passwordChangedSchema,
  ),
  desktop: owner("What of Eremos is on the desktop.", nothing, desktopViewSchema),
  shortcut: owner("Whether the desktop gives keys for closing up, and which it gave.", nothing, shortcutViewSchema),
  "desktop/set": owner(
    "Puts a part of Eremos on the desktop, or takes it away.",
    z.strictObject({ part: desktopViewSchema.unwrap().keyof(), on: z.boolean() }),
    desktopViewSchema,
  ),
  "new-keys": owner("How far it is since the owner made new keys; null: they never did.", nothing, newKeys),
  "new-keys/begin": owner("Somebody knows it: begins new keys with another recovery code.", current, shownCodeSchema),
  "new-keys/finish": owner(
    "Makes new keys, with what was typed back and another master password.",
    z.strictObject({ id: text, typed: z.array(text).max(8), password: secretText, hint: text.nullable() }),
    newKeysViewSchema,
  ),
  "new-keys/folder": owner(
    "Gives a key to one folder that waits for it.",
    z.strictObject({ folder: text, secret: secretSchema.nullable(), accept: z.array(z.literal("unvouched")).max(1) }),
    newKeys,
  ),
} as const;
