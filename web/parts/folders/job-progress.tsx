"use client";
import type { ReactNode } from "react";
import type { JobView } from "@eremos/server/contract";
import { PHASE_WORDS, VERB_WORDS } from "./conditions";
import { Button } from "@/ui/button";
import { ProgressBar } from "@/ui/progress-bar";
import { api } from "@/lib/api";
import { duration, formatBytes } from "@/lib/format";
import { useVerb } from "@/lib/queries";
import { say } from "@eremos/words/page/folders";

/** Past these phases there is no way back, and none is needed: what remains is short. */
const STOPPABLE = new Set(["queued", "looking", "sealing", "making-durable", "moving", "restoring", "checking"]);

/** Writing over is stopped between two files, clearing between two traces; where either ends a lock, it is past that. */
function isStoppable({ phase, verb }: JobView): boolean {
  return (
    STOPPABLE.has(phase) ||
    (phase === "overwriting" && verb === "overwrite") ||
    (phase === "removing" && verb === "clear")
  );
}

export function JobProgress({ job }: { readonly job: JobView }): ReactNode {
  const speed = job.bytesPerSecond;
  const cancel = useVerb(() => api.cancelJob(job.id));
  const part = job.bytesTotal > 0 ? Math.min(1, job.bytes / job.bytesTotal) : null;
  const facts = [
    job.filesTotal > 0 ? say("files", { files: job.files, filesTotal: job.filesTotal }) : null,
    job.bytesTotal > 0 ? say("of", { bytes: formatBytes(job.bytes), bytesTotal: formatBytes(job.bytesTotal) }) : null,
    speed ? `${formatBytes(speed)}/s` : null,
    speed && part !== null && part < 1
      ? say("left", { bytesTotal: duration((job.bytesTotal - job.bytes) / speed) })
      : null,
  ].filter((fact) => fact !== null);
  return (
    <div
      role="group"
      aria-label={say("under-way-2", { verbWords: VERB_WORDS[job.verb] })}
      className="flex items-center gap-4"
    >
      <div className="min-w-0 flex-1">
        <p className="mb-1.5 flex justify-between gap-3 text-[13px]">
          <span className="font-medium">
            {VERB_WORDS[job.verb]}: {PHASE_WORDS[job.phase].toLowerCase()}
          </span>
          {part !== null && <span className="tabular-nums">{Math.floor(part * 100)} %</span>}
        </p>
        <ProgressBar part={part} label={VERB_WORDS[job.verb]} />
        <p className="mt-1.5 min-h-5 text-[13px] text-mute tabular-nums">{facts.join(" · ")}</p>
      </div>
      <Button size="small" disabled={!isStoppable(job) || cancel.pending} onClick={() => cancel.run()}>
        {say("cancel")}
      </Button>
    </div>
  );
}
