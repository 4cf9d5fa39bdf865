"use client";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import type { JobView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS, showError, useJobs } from "@/lib/queries";

/** Says how work ended, in words that say what is true now. Work that ended before this page was opened is not told again. */
export function JobToasts(): ReactNode {
  const jobs = useJobs();
  const client = useQueryClient();
  const [openedAt] = useState(() => Date.now());
  const told = useRef(new Set<string>());
  useEffect(() => {
    for (const job of jobs.filter(({ endedAt }) => endedAt !== null && endedAt >= openedAt)) {
      if (told.current.has(job.id)) continue;
      told.current.add(job.id);
      tell(job);
      for (const queryKey of [KEYS.folders, ["place"], ["onlooker"], ["reach"], KEYS.activity]) void client.invalidateQueries({ queryKey });
    }
  }, [jobs, client, openedAt]);
  return null;
}

function tell(job: JobView): void {
  if (job.state === "done") {
    if (job.summary !== null) toast(job.summary, { duration: 9000 });
    return;
  }
  const message = job.error?.message ?? "It was cut off. Nothing is lost.";
  if (job.state === "cancelled") {
    toast(message, { duration: 9000 });
    return;
  }
  const code = job.error?.code;
  const mayAccept = code === "unvouched" || code === "rolled-back";
  toast.error(message, {
    duration: 20_000,
    ...(mayAccept && (job.verb === "unlock" || job.verb === "release") ? { action: { label: "Open all the same", onClick: () => void (job.verb === "unlock" ? api.unlock(job.folder, { kind: "usual" }, null, true) : api.release(job.folder, null, true)).catch(showError) } } : {}),
  });
}
