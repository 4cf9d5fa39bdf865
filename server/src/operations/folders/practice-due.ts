import { isEncrypting } from "@eremos/core";
import type { Eremos } from "../../eremos";

const DAY_MS = 24 * 3600 * 1000;
/** A code that nobody has tried for so long may be lost, or written down wrong. */
const LONGEST_UNPROVEN_MS = 180 * DAY_MS;

/** Whether it is time to practise a way back; whoever is signed out is not told. */
export function isPracticeDue(eremos: Eremos, now = Date.now()): boolean {
  if (!eremos.keys) return false;
  return eremos.registry
    .list(eremos.keys)
    .filter(isEncrypting)
    .some(
      (record) =>
        now - Math.max(record.codeProvenAt ?? 0, record.sharesProvenAt ?? 0, record.protectedAt) > LONGEST_UNPROVEN_MS,
    );
}
