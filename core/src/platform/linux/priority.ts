import * as os from "node:os";

/** A nice value, of -20 to 19; what answers a page has 0. Somebody waits for a search, too: others must not starve it. */
const BEHIND_OTHERS = 4;

/** Linux keeps it for each thread: of the process it is the calling one's alone (setpriority(2)). */
export function giveWay(): void {
  try {
    os.setPriority(Math.max(BEHIND_OTHERS, os.getPriority()));
  } catch {
    // Where that is not allowed, it runs beside them.
  }
}
