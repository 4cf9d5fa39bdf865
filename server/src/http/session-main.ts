import type { Socket } from "node:net";
import { closeMemory, failureOf } from "@eremos/core";
import type { Said } from "@eremos/words";
import { onEndSignals } from "../end-signals";
import { type SessionServer, openSession } from "./session-server";
import type { FromSession, ToSession } from "./session-protocol";
import { said } from "@eremos/words/server/house";

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

function fail(caught: unknown, doing: Said): void {
  process.exitCode = 1;
  process.send?.(
    { kind: "failed", failure: failureOf(caught, doing) } satisfies FromSession,
    undefined,
    undefined,
    () => process.exit(),
  );
}

const untilHeld: (() => void)[] = [];

/** Until whoever holds the doors holds the ports of these drives, too. */
function heldAtDoors(drives: Extract<FromSession, { readonly kind: "drives" }>["drives"]): Promise<void> {
  if (!process.connected) return Promise.resolve();
  return new Promise((resolve) => {
    untilHeld.push(resolve);
    tell({ kind: "drives", drives });
  });
}

async function begin(message: Extract<ToSession, { readonly kind: "begin" }>): Promise<void> {
  try {
    session = await openSession(message, {
      over: (carried) => tell({ kind: "over", carried }),
      cancel: (job) => tell({ kind: "cancel", job }),
      drives: heldAtDoors,
    });
    tell({ kind: "ready" });
  } catch (error) {
    fail(error, said("starting"));
  }
}

process.on("message", (message: ToSession, connection: Socket | undefined) => {
  if (message.kind === "begin") void begin(message);
  else if (message.kind === "cancel") session?.cancel(message.job);
  else if (message.kind === "stranger") session?.stranger(message.account, message.count);
  else if (message.kind === "drives-held") untilHeld.shift()?.();
  else if (message.kind === "connection") {
    if (session && connection) session.receive(connection);
    else connection?.destroy();
  } else if (message.kind === "retire")
    void session?.retire().then(
      () => process.exit(),
      (error: unknown) => fail(error, said("ending-session")),
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
    (error: unknown) => (process.connected ? fail(error, said("stopping")) : process.exit(1)),
  );
}
