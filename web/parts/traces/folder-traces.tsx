"use client";
import { isEncrypting } from "@eremos/core/guards";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { FolderView, LockingRules } from "@eremos/server/contract";
import { JobProgress } from "@/parts/folders/job-progress";
import { api } from "@/lib/api";
import { KEYS, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/trouble";
import { ClearsChoice } from "./clears-choice";
import { FoundTraces } from "./found-traces";
import { KeptTraces } from "./kept-traces";
import { type Traces, useTraces } from "./use-traces";
import { say } from "@eremos/words/page/traces";

/** On the folder's page: what lies elsewhere and goes on telling of it while it is locked. */
export function FolderTraces({ folder }: { readonly folder: FolderView }): ReactNode {
  const traces = useTraces(folder.id);
  return (
    <section id="traces" aria-labelledby="traces-heading">
      <h2 id="traces-heading" className="text-lg">
        {say("traces-elsewhere")}
      </h2>
      <div className="mt-1 mb-2 flex flex-wrap items-center justify-between gap-3">
        <p className="min-w-0 flex-1 text-sm text-mute">{say("traces-are")}</p>
        <LookButton traces={traces} />
      </div>
      {traces.found?.traces.length === 0 && (
        <p className="text-[15px] font-medium" aria-live="polite">
          {say("no-traces-were-found")}
        </p>
      )}
      <TracesNow traces={traces} folder={folder} />
      <div className="mt-3 space-y-3">
        <KeptTraces of={folder.id} />
        <FolderClears folder={folder} />
      </div>
    </section>
  );
}

export function LookButton({ traces: { found, isLooking, look } }: { readonly traces: Traces }): ReactNode {
  return (
    <Button size="small" disabled={isLooking} onClick={look}>
      {found ? say("look-again") : say("look-for-traces")}
    </Button>
  );
}

/** What was found, what is being cleared, and what came back. */
export function TracesNow({ traces, folder }: { readonly traces: Traces; readonly folder: FolderView }): ReactNode {
  const { found, error, isLooking, job, clear, looksAgain, cameBack } = traces;
  const isThere = found && found.traces.length + found.troubles.length > 0;
  return (
    <div className="space-y-3 not-empty:mt-2">
      {isLooking && <p className="text-[13px] text-mute">{say("looking-takes-a-while")}</p>}
      {error && <Trouble words={error.message} />}
      {job && <JobProgress job={job} />}
      {cameBack > 0 && <Trouble words={say("came-back", { traces: cameBack })} />}
      {isThere && <FoundTraces found={found} isBusy={job !== null} onClear={clear} />}
      {found && !isEncrypting(folder) && <p className="text-[13px] text-mute">{say("not-by-contents")}</p>}
      {looksAgain && <p className="text-[13px] text-mute">{say("looks-again-soon")}</p>}
    </div>
  );
}

function FolderClears({ folder }: { readonly folder: FolderView }): ReactNode {
  const settings = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data;
  const set = useVerb((rules: LockingRules) => api.setRules(folder.id, rules));
  if (!settings) return null;
  const rules = folder.rules ?? settings.preferences.rules;
  return (
    <ClearsChoice
      chosen={rules.clears}
      disabled={set.pending}
      text={say("clear-by-itself-one", { isOwn: Boolean(folder.rules) })}
      onChange={(clears) => set.run({ ...rules, clears: [...clears] })}
    />
  );
}
