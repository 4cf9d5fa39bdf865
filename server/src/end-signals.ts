/**
 * By which a process is asked to end: from the keyboard, by the system, by a terminal or a session that closes. What
 * lies open is locked by its rules at each.
 */
const END_SIGNALS = ["SIGINT", "SIGTERM", "SIGHUP", "SIGQUIT"] as const;

/** Calls `end` at each of them, from now until what is returned is called. */
export function onEndSignals(end: () => void): () => void {
  for (const signal of END_SIGNALS) process.on(signal, end);
  return () => END_SIGNALS.forEach((signal) => process.off(signal, end));
}
