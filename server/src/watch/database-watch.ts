import { printable } from "@eremos/core";
import type { Eremos } from "../eremos";
import { say } from "@eremos/words/server/house";

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
    for (const topic of ["folders", "jobs", "gate", "session", "activity"] as const) eremos.announce({ topic });
  };
  const timer = setInterval(() => {
    if (busy) return;
    busy = true;
    look()
      .catch((error: unknown) =>
        process.stderr.write(
          say("eremos-could-not-look-at", { error: printable(error instanceof Error ? error.message : "unknown") }),
        ),
      )
      .finally(() => {
        busy = false;
      });
  }, LOOK_EVERY_MS);
  return () => clearInterval(timer);
}
