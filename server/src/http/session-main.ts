import type { Socket } from "node:net";
import { closeMemory, fromSystemError, isEremosError } from "@eremos/core";
import { onEndSignals } from "../end-signals";
import { type SessionServer, openSession } from "./session-server";
import type { FromSession, ToSession } from "./session-protocol";

/**
 * The process of one session. The one that holds the doors tells it what to do; a signal to the whole group is for that
 * one.
 */
closeMemory();
onEndSignals(() => undefined);

let session: SessionServer | null = null;

function tell(message: FromSession): void {
  if (process.connected) process.send?.(message, undefined, undefined, () => undefined);
}

function fail(caught: unknown, doing: string): void {
  const error = isEremosError(caught) ? caught : fromSystemError(caught, doing);
  process.exitCode = 1;
  process.send?.(
    { kind: "failed", code: error.code, message: error.message } satisfies FromSession,
    undefined,
    undefined,
    () => process.exit(),
  );
}

async function begin(message: Extract<ToSession, { readonly kind: "begin" }>): Promise<void> {
  try {
    session = await openSession(message, {
      over: (carried) => tell({ kind: "over", carried }),
      cancel: (job) => tell({ kind: "cancel", job }),
      drives: (drives) => tell({ kind: "drives", drives }),
    });
    tell({ kind: "ready" });
  } catch (error) {
    fail(error, "starting");
  }
}

process.on("message", (message: ToSession, connection: Socket | undefined) => {
  if (message.kind === "begin") void begin(message);
  else if (message.kind === "cancel") session?.cancel(message.job);
  else if (message.kind === "connection") {
    if (session && connection) session.receive(connection);
    else connection?.destroy();
  } else if (message.kind === "retire")
    void session?.retire().then(
      () => process.exit(),
      (error: unknown) => fail(error, "ending the session"),
    );
  else stop();
});
// Whoever held the doors is gone, and they with it.
process.on("disconnect", () => {
  session?.disconnect();
  stop();
});

let isStopping = false;
function stop(): void {
  if (isStopping) return;
  isStopping = true;
  (session?.stop() ?? Promise.resolve()).then(
    () => process.exit(),
    (error: unknown) => (process.connected ? fail(error, "stopping") : process.exit(1)),
  );
}
