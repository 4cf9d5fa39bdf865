import { printable } from "@eremos/core";
import type { Eremos } from "../eremos";

const LOOK_EVERY_MS = 400;

/** Notices what other processes (the command line) wrote or left cut off (`recover`), and lets the page follow. */
export function watchDatabase(eremos: Eremos, recover: () => Promise<unknown>): () => void {
  let seen = eremos.database.version();
  let busy = false;
  const look = async (): Promise<void> => {
    if (eremos.jobs.markInterrupted()) await recover();
    const now = eremos.database.version();
    if (now === seen) return;
    seen = now;
    if (eremos.keys) await eremos.registry.takeIn(eremos.keys);
    for (const topic of ["folders", "jobs", "gate", "session"] as const) eremos.announce({ topic });
  };
  const timer = setInterval(() => {
    if (busy) return;
    busy = true;
    look()
      .catch((error: unknown) =>
        process.stderr.write(
          `Eremos could not look at its database: ${printable(error instanceof Error ? error.message : "unknown")}\n`,
        ),
      )
      .finally(() => {
        busy = false;
      });
  }, LOOK_EVERY_MS);
  return () => clearInterval(timer);
}
