import type { KeepHistory } from "../../contract";
import type { Eremos } from "../../eremos";

/**
 * How long what happened stays written down. What is older goes at once; with "off" nothing more is written, and what
 * there is stays until it is cleared.
 */
export async function keepHistory(eremos: Eremos, keep: KeepHistory): Promise<void> {
  eremos.requireKeys();
  const before = eremos.preferences.get().keepHistory;
  if (before === keep) return;
  // Both are written down: that it ended is, before nothing more is.
  if (keep === "off") await eremos.ledger.happened("", "history-off");
  eremos.preferences.set({ keepHistory: keep });
  if (keep !== "off") await eremos.ledger.happened("", before === "off" ? "history-on" : "settings");
  sweepHistory(eremos);
  eremos.announce({ topic: "session" });
}

/**
 * What was written down goes, of one folder or all of it, from the database's free pages and its log, too; returns how
 * many entries. That it was cleared is written down, and not of which folder.
 */
export async function clearHistory(eremos: Eremos, folder: string | null): Promise<{ readonly cleared: number }> {
  const keys = eremos.requireKeys();
  const cleared = eremos.ledger.forget(keys, folder === null ? null : (event) => event.folder === folder);
  await eremos.ledger.happened("", "history-cleared", { count: cleared });
  eremos.database.compact();
  return { cleared };
}

/** What is older than its owner keeps it goes, by days that no clock makes fewer. */
export function sweepHistory(eremos: Eremos): void {
  const { keys } = eremos;
  const { keepHistory: keep } = eremos.preferences.get();
  if (!keys) return;
  eremos.registry.log.pack(keys);
  if (typeof keep !== "number") return;
  const oldest = eremos.days.now() - keep;
  if (eremos.ledger.forget(keys, ({ day }) => day < oldest) === 0) return;
  eremos.database.compact();
  eremos.announce({ topic: "activity" });
}
