import { AsyncLocalStorage } from "node:async_hooks";
import type { ActivityEvent, Why } from "../calls/shapes/activity";

/** Through what something comes about; of what comes about by itself, why. */
export interface Cause {
  readonly from: ActivityEvent["from"];
  readonly why: Why | null;
}

const ITSELF: Cause = { from: "itself", why: null };
const present = new AsyncLocalStorage<Cause>();

/**
 * What is done in `work`, and in whatever it begins and does not wait for, came about through this. Said at the doors
 * (a request, a command, a timer), and written down by the ledger: nothing in between has to pass it on.
 */
export function causedBy<T>(cause: Partial<Cause>, work: () => T): T {
  return present.run({ ...presentCause(), ...cause }, work);
}

/** Where nobody said anything: by itself. */
export function presentCause(): Cause {
  return present.getStore() ?? ITSELF;
}
