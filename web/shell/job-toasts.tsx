"use client";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import type { Consent, JobView } from "@eremos/server/contract";
import { askConsent, isConsent } from "@/parts/folders/consent";
import { useBatch } from "@/parts/folders/batch";
import { api } from "@/lib/api";
import { KEYS, useJobs } from "@/lib/queries";
import { say } from "@eremos/words/page/shell";

/**
 * Says how work ended, in words that say what is true now. Work that ended before this page was opened is not told
 * again.
 */
export function JobToasts(): ReactNode {
  const jobs = useJobs();
  const client = useQueryClient();
  const { tells } = useBatch();
  const [openedAt] = useState(() => Date.now());
  const told = useRef(new Set<string>());
  useEffect(() => {
    for (const job of jobs.filter(({ endedAt }) => endedAt !== null && endedAt >= openedAt)) {
      const isOneOfMany = tells(job);
      if (isOneOfMany === null || told.current.has(job.id)) continue;
      told.current.add(job.id);
      if (!isOneOfMany || needsConsent(job)) tell(job);
      for (const queryKey of [KEYS.folders, ["place"], ["onlooker"], ["reach"]])
        void client.invalidateQueries({ queryKey });
    }
  }, [jobs, client, openedAt, tells]);
  return null;
}

/** Where its own page tells it, with what is to be done next. */
function isToldThere({ verb, state }: JobView): boolean {
  if (window.location.pathname !== "/hand-over") return false;
  return verb === "receive" || (verb === "hand-over" && state === "done");
}

function tell(job: JobView): void {
  if (isToldThere(job)) return;
  if (job.state === "done") {
    if (job.summary !== null) toast(job.summary, { duration: 9000 });
    return;
  }
  const message = job.error?.message ?? say("it-was-cut-off-nothing");
  if (job.state === "cancelled") {
    toast(message, { duration: 9000 });
    return;
  }
  const code = job.error?.code;
  if (isConsent(code) && needsConsent(job)) return ask(job, code, message);
  toast.error(message, { duration: 20_000 });
}

/** It is not as its owner left it: they are asked, whatever else is going on. */
function needsConsent({ state, error, verb }: JobView): boolean {
  return state === "failed" && isConsent(error?.code) && (verb === "unlock" || verb === "release");
}

/** What was agreed to, by the job that was begun with it. */
const accepted = new Map<string, readonly Consent[]>();

function ask(job: JobView, code: Consent, message: string): void {
  askConsent({
    folder: job.folder,
    code,
    message,
    accepted: accepted.get(job.id) ?? [],
    goOn: async (accept, secret) => {
      const begun =
        job.verb === "unlock"
          ? await api.unlock(job.folder, { kind: "usual" }, secret, accept)
          : await api.release(job.folder, secret, accept);
      if (begun.job !== null) accepted.set(begun.job, accept);
    },
  });
}
