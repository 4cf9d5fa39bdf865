import { offersShortcuts } from "../../desktop/shortcut";
import type { SETTINGS_CALLS } from "../../calls/settings-calls";
import { changeEffort, efforts } from "../../operations/entrance/change-password";
import { settingsOf } from "../../operations/folders/about";
import { desktopParts, setDesktopPart } from "../../desktop/integrate";
import { setOffLimits, setPreferences } from "../../operations/folders/preferences";
import { beginNewKeys, finishNewKeys } from "../../operations/ways-back/new-keys";
import { newKeysView, renewNamed } from "../../operations/ways-back/renew-folders";
import type { Answers } from "./answer";

export const SETTINGS: Answers<typeof SETTINGS_CALLS> = {
  settings: ({ context }) => settingsOf(context.eremos),
  preferences: async ({ context }, change) => {
    await setPreferences(context.eremos, change);
    return {};
  },
  "off-limits": async ({ context }, edits) => {
    await setOffLimits(context.eremos, edits);
    return {};
  },
  efforts: ({ context }) => efforts(context.eremos),
  "efforts/set": ({ context }, asked) => changeEffort(context.eremos, asked),
  desktop: ({ context }) => desktopParts(context.eremos.settings),
  shortcut: async ({ context: { eremos } }) => ({ isOffered: await offersShortcuts(), keys: eremos.shortcutKeys }),
  "desktop/set": ({ context: { eremos } }, { part, on }) => {
    setDesktopPart(eremos.settings, part, on);
    return desktopParts(eremos.settings);
  },
  "new-keys": ({ context }) => ({ view: newKeysView(context.eremos) }),
  "new-keys/begin": ({ context }, { current }) => beginNewKeys(context.eremos, current),
  "new-keys/finish": ({ context }, asked) => finishNewKeys(context.eremos, asked),
  "new-keys/folder": async ({ context }, { folder, secret, accept }) => ({
    view: await renewNamed(context.eremos, folder, secret, accept),
  }),
};
