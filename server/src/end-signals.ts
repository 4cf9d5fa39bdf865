/**
 * By which a process is asked to end: from the keyboard, by the system, by a terminal or a session that closes. What
 * lies open is locked by its rules at each.
 */
const END_SIGNALS = ["SIGINT", "SIGTERM", "SIGHUP", "SIGQUIT"] as const;

/** What is said to a terminal that is gone is said to nobody; the work goes on. */
export function goOnWithoutTerminal(): void {
  for (const stream of [process.stdout, process.stderr])
    if (stream.listenerCount("error") === 0) stream.on("error", () => undefined);
}

/** Calls `end` at each of them, from now until what is returned is called. */
export function onEndSignals(end: () => void): () => void {
  goOnWithoutTerminal();
  for (const signal of END_SIGNALS) process.on(signal, end);
  return () => END_SIGNALS.forEach((signal) => process.off(signal, end));
}
