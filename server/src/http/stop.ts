import { closeToOthers, isEncrypting, isEremosError } from "@eremos/core";
import type { Eremos } from "../eremos";
import { causedBy } from "../ledger/cause";
import { whereIs } from "../look/where-is";
import { closeUp } from "../operations/locking/close-up";

/** A session that ends gives programs about this long. */
const LONGEST_STOP_MS = 4000;
/** So long a stop waits for locks to end before it cuts them off; what is left open then locks at the next start. */
const LONGEST_FINISH_MS = 6000;

/** Puts back what can be put back, and locks what is to be locked at a stop; not for long. */
export async function finishWork(eremos: Eremos): Promise<void> {
  await eremos.visits.endAll();
  await eremos.jobs.stop(LONGEST_STOP_MS);
  await causedBy({ from: "itself", why: "stopped" }, () => closeUp(eremos, false, ({ rules }) => rules.atStop));
  await eremos.jobs.drain(LONGEST_FINISH_MS);
  await eremos.jobs.stop(LONGEST_STOP_MS);
  closeWhatIsLeft(eremos);
}

/**
 * What could not be locked in the time there was: other accounts are kept out of it until it locks at the next start.
 */
function closeWhatIsLeft(eremos: Eremos): void {
  for (const note of eremos.data.notes().filter(({ rules }) => rules.atStop)) {
    try {
      const located = whereIs(eremos, note);
      if (located && isEncrypting(located.inspection) && located.inspection.state === "open")
        closeToOthers(eremos.disk, located.realPath);
    } catch (error) {
      if (!isEremosError(error)) throw error;
    }
  }
}
