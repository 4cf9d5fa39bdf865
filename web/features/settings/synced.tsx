"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { SettingsView } from "@eremos/server/contract";
import { PathList } from "./path-list";
import { ApiError, api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { PathField } from "@/parts/folders/path-field";
import { say } from "@eremos/words/page/settings";

/**
 * Directories that another program uploads: the Onlooker tells what their provider sees, and nothing is tucked away
 * into them.
 */
export function Synced({ settings }: { readonly settings: SettingsView }): ReactNode {
  const client = useQueryClient();
  const [typed, setTyped] = useState("");
  const own = settings.preferences.synced;
  const save = useMutation({
    mutationFn: (synced: readonly string[]) => api.setPreferences({ synced }),
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  const path = typed.trim().replace(/(?<=.)\/+$/, "");
  const isPath = path.startsWith("/");
  const isKnown = [...settings.syncedBefore, ...own].includes(path);
  const entries = [
    ...settings.syncedBefore.map((known) => ({
      path: known,
      note: say("named-where-eremos-is-started"),
      removable: false,
    })),
    ...own.map((known) => ({ path: known, note: "", removable: true })),
  ];
  return (
    <section aria-labelledby="synced">
      <h2 id="synced" className="text-lg">
        {say("synced-directories")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("directories-that-another-program-uploads")}</p>
      {entries.length > 0 && (
        <PathList
          entries={entries}
          pending={save.isPending}
          onTakeOff={(off) => save.mutate(own.filter((known) => known !== off))}
        />
      )}
      <form
        className="mt-3 flex flex-wrap items-start gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate([...own, path], { onSuccess: () => setTyped("") });
        }}
      >
        <PathField
          className="min-w-56 flex-1"
          label={say("another-synced-directory")}
          wants="folder"
          path={typed}
          onPath={setTyped}
          note={say("full-path")}
          problem={
            save.error
              ? save.error instanceof ApiError
                ? save.error.message
                : say("that-did-not-work-nothing")
              : path !== "" && !isPath
                ? say("it-must-begin-with-slash")
                : null
          }
        />
        <Button type="submit" className="mt-7 h-11" disabled={!isPath || isKnown || save.isPending}>
          {say("name-it")}
        </Button>
      </form>
    </section>
  );
}
