import type { Eremos } from "@eremos/server";
import { onEndSignals } from "@eremos/server";
import { endProgress } from "./progress";

/** Waits for a job; an interrupt asks it to stop and put everything back. */
export async function finish<T>(
  eremos: Eremos,
  job: { readonly id: string; readonly outcome: Promise<T> },
): Promise<T> {
  const stop = (): void => void eremos.jobs.cancel(job.id);
  const goOn = onEndSignals(stop);
  try {
    return await job.outcome;
  } finally {
    goOn();
    endProgress();
  }
}

export const summaryOf = (eremos: Eremos, id: string): string =>
  eremos.jobs.list().find((job) => job.id === id)?.summary ?? "Done.";
