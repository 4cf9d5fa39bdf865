"use client";
import { isEncrypting } from "@eremos/core/guards";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { FolderView, LockingRules } from "@eremos/server/contract";
import { MediumTruth } from "@/parts/overwriting/medium-truth";
import { RulesForm } from "@/parts/folders/rules-form";
import { api } from "@/lib/api";
import { KEYS, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/folder";

/** What happens to this folder when it is left open: its own rules, or those set for all. */
export function LeftOpen({ folder }: { readonly folder: FolderView }): ReactNode {
  const settings = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data;
  const set = useVerb((rules: LockingRules | null) => api.setRules(folder.id, rules));
  if (!settings) return null;
  const rules = folder.rules ?? settings.preferences.rules;
  return (
    <section aria-labelledby="left-open">
      <h2 id="left-open" className="text-lg">
        {say("when-it-is-left-open")}
      </h2>
      <p className="mt-1 mb-2 text-sm text-mute">{say("it-locks-by-itself-by", { isRules: Boolean(folder.rules) })}</p>
      <RulesForm rules={rules} disabled={set.pending} onChange={set.run} />
      {rules.overwrites > 0 && isEncrypting(folder) && (
        <div className="mt-2">
          <MediumTruth path={folder.path} />
        </div>
      )}
      {folder.rules && (
        <Button size="small" className="mt-2" disabled={set.pending} onClick={() => set.run(null)}>
          {say("as-for-all-folders")}
        </Button>
      )}
    </section>
  );
}
