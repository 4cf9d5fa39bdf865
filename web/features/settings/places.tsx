"use client";
import type { ReactNode } from "react";
import type { SettingsView } from "@eremos/server/contract";
import { NamedPaths } from "./named-paths";
import { api } from "@/lib/api";
import { say } from "@eremos/words/page/settings";

/** Where Eremos may protect. */
export function Places({ settings }: { readonly settings: SettingsView }): ReactNode {
  return (
    <NamedPaths
      id="places"
      title={say("places")}
      about={say("it-protects-in-these-places")}
      label={say("another-place")}
      action={say("add-it")}
      before={settings.placesBefore}
      beforeNote={say("always-or-as-started")}
      own={settings.preferences.places}
      save={(places) => api.setPreferences({ places })}
    />
  );
}

/**
 * Directories that another program uploads: the Onlooker tells what their provider sees, and nothing is tucked away
 * into them.
 */
export function Synced({ settings }: { readonly settings: SettingsView }): ReactNode {
  return (
    <NamedPaths
      id="synced"
      title={say("synced-directories")}
      about={say("directories-that-another-program-uploads")}
      label={say("another-synced-directory")}
      action={say("name-it")}
      before={settings.syncedBefore}
      beforeNote={say("named-where-eremos-is-started")}
      own={settings.preferences.synced}
      save={(synced) => api.setPreferences({ synced })}
    />
  );
}
