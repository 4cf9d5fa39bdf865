"use client";
import { type ReactNode, useState } from "react";
import type { JobView } from "@eremos/server/contract";
import { JobProgress } from "@/parts/folders/job-progress";
import { type Overwriting, useSelection } from "@/parts/folders/selection";
import { MediumTruth } from "@/parts/overwriting/medium-truth";
import { Passes } from "@/parts/overwriting/overwrites-choice";
import { Button } from "@/ui/button";
import { Dialog, DialogEnd } from "@/ui/dialog";
import { Tick } from "@/ui/tick";
import { api } from "@/lib/api";
import { baseName, parentOf } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { isRunning, useJobs } from "@/lib/queries";
import { say } from "@eremos/words/page/removing";

/** Files and folders that are written over and removed, or the free space of a disk. */
export function OverwriteDialog(): ReactNode {
  const { overwriting, overwrite } = useSelection();
  const count = overwriting?.paths.length ?? 0;
  const name = baseName(overwriting?.paths[0] ?? "");
  return (
    <Dialog
      open={overwriting !== null}
      onOpenChange={(open) => !open && overwrite(null)}
      title={overwriting?.isFree ? say("free-title") : say("overwrite-title", { count, name })}
      description={overwriting?.isFree ? say("free-is") : say("overwrite-is-final", { count })}
    >
      {overwriting !== null && <OverwriteForm key={overwriting.paths.join("\0")} start={overwriting} />}
    </Dialog>
  );
}

function OverwriteForm({ start: { paths, isFree } }: { readonly start: Overwriting }): ReactNode {
  const { overwrite } = useSelection();
  const [passes, setPasses] = useState<1 | 3>(1);
  const [allNames, setAllNames] = useState(false);
  const [begun, setBegun] = useState<string | null>(null);
  const job = useJobs().find(({ id }) => id === begun);
  const [first = ""] = paths;
  const begin = useGuarded(
    () => (isFree ? api.overwriteFree(first) : api.overwrite(paths, passes, allNames)),
    ({ job: id }) => setBegun(id),
  );
  if (begun !== null && job && !isRunning(job)) return <Ended job={job} onEnd={() => overwrite(null)} />;
  return (
    <form
      className="mt-5 space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        begin.run(undefined);
      }}
    >
      {isFree ? (
        <p className="text-[15px] font-medium break-words">{say("free-place", { place: first })}</p>
      ) : (
        <WhatGoes paths={paths} />
      )}
      <MediumTruth path={first} />
      {!isFree && begun === null && (
        <>
          <Passes passes={passes} onPasses={setPasses} />
          <Tick label={say("all-names")} value={allNames} onChange={setAllNames} />
        </>
      )}
      {job ? (
        <>
          <JobProgress job={job} />
          <p className="text-[13px] text-mute">{say("goes-on-by-itself")}</p>
        </>
      ) : (
        <p className="min-h-5 text-sm text-oxblood" role="alert">
          {begin.problem}
        </p>
      )}
      <DialogEnd>
        <Button onClick={() => overwrite(null)}>{job ? say("close") : say("not-now")}</Button>
        {begun === null && (
          <Button tone={isFree ? "dusk" : "oxblood"} type="submit" disabled={begin.isBlocked}>
            {begin.label(isFree ? say("free-it") : say("overwrite-it", { count: paths.length }))}
          </Button>
        )}
      </DialogEnd>
    </form>
  );
}

function Ended({ job, onEnd }: { readonly job: JobView; readonly onEnd: () => void }): ReactNode {
  return (
    <div className="mt-5 space-y-5">
      <p className="text-[15px] font-medium break-words" role="status">
        {job.summary ?? job.error?.message}
      </p>
      <DialogEnd>
        <Button autoFocus onClick={onEnd}>
          {say("close")}
        </Button>
      </DialogEnd>
    </div>
  );
}

function WhatGoes({ paths }: { readonly paths: readonly string[] }): ReactNode {
  return (
    <ul
      aria-label={say("what-goes")}
      className="max-h-40 divide-y divide-line/70 overflow-y-auto rounded-xl border border-line bg-sheet"
    >
      {paths.map((path) => (
        <li key={path} className="truncate px-4 py-2 text-sm" title={path}>
          <span className="font-medium">{baseName(path)}</span> <span className="text-mute">{parentOf(path)}</span>
        </li>
      ))}
    </ul>
  );
}
