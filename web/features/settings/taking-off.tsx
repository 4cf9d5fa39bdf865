"use client";
import type { ReactNode } from "react";
import type { SettingsView } from "@eremos/server/contract";
import { actsOf } from "@/parts/folders/acts";
import { useActs } from "@/parts/folders/acts-provider";
import { useFolders } from "@/lib/queries";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/settings";

/** In which order Eremos goes, so that nothing stays locked that its owner still wants. */
export function TakingOff({ settings }: { readonly settings: SettingsView }): ReactNode {
  const { run } = useActs();
  const folders = useFolders() ?? [];
  const ready = folders.filter((folder) => actsOf(folder).includes("release"));
  const stuck = folders.filter((folder) => !ready.includes(folder));
  return (
    <section aria-labelledby="taking-off">
      <h2 id="taking-off" className="text-lg">
        {say("taking-eremos-off")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("in-this-order")}</p>
      <ol className="mt-2 list-decimal space-y-3 rounded-xl border border-line bg-sheet py-4 pr-4 pl-9 text-sm">
        <li>
          <p>{say("release-what-is-protected", { count: folders.length })}</p>
          {stuck.length > 0 && (
            <p className="mt-1 text-ochre">
              {say("would-stay-locked", { names: stuck.map(({ name }) => name).join(", ") })}
            </p>
          )}
          {ready.length > 0 && (
            <Button size="small" className="mt-2" onClick={() => run("release", ready)}>
              {say("release-so-many", { count: ready.length })}
            </Button>
          )}
        </li>
        <li>{say("take-it-off-the-desktop")}</li>
        <li>{say("stop-it-and-delete", { data: settings.dataDirectory })}</li>
        <li>{say("what-stays-then")}</li>
      </ol>
    </section>
  );
}
