import type { Said } from "@eremos/words";

/** A sentence of a test's own. */
export function saidOf(text: string): Said {
  return { id: "test", values: {}, text };
}
