import { Since } from "../steady-clock";
import type { Server } from "node:http";
import { parentPort, workerData } from "node:worker_threads";
import { Visit, diskOf, failureOf, reviveBytes, wipe } from "@eremos/core";
import { answerCall } from "./calls";
import { serveDav } from "./dav/dav-server";
import type { FromWorker, ToWorker, VisitEnd, VisitStart } from "./protocol";
import { VisitedFolder } from "./visited-folder";
import { said } from "@eremos/words/server/visit";

/** One visit: the folder, its keys and its drive live in this thread, and end with it. */
const LOOK_EVERY_MS = 1000;
/** So long requests that are under way may still take when the visit ends. */
const DRAIN_MS = 1500;

const tell = (message: FromWorker): void => parentPort?.postMessage(message);

async function run(): Promise<void> {
  const { input, identity, user, password, idleMs, endsAt } = reviveBytes(workerData as VisitStart);
  const visit = await Visit.open(diskOf(identity), input);
  wipe(input.access.rootKey, input.access.folderKey);
  const wrong = new Map<number | null, number>();
  const folder = new VisitedFolder(visit, (committed, undoable) => tell({ kind: "committed", committed, undoable }));
  const { server, port } = await serveDav(folder, { user, password }, (account) =>
    wrong.set(account, (wrong.get(account) ?? 0) + 1),
  );
  /** Whoever tries again and again is told of once in a while. */
  const tellOfWrong = (): void => {
    for (const [account, count] of wrong) tell({ kind: "wrong", account, count });
    wrong.clear();
  };
  let isEnding = false;
  const end = async (why: VisitEnd): Promise<void> => {
    if (isEnding) return;
    isEnding = true;
    clearInterval(timer);
    await drain(server);
    tellOfWrong();
    const before = folder.committed;
    try {
      tell({ kind: "ended", committed: folder.close(), why, looked: folder.looked });
    } catch {
      // What could not be tidied up is at the next visit; the changes themselves are committed.
      tell({ kind: "ended", committed: before, why, looked: folder.looked });
    }
    parentPort?.close();
  };
  const begun = new Since();
  const longestMs = endsAt === null ? Infinity : endsAt - Date.now();
  const timer = setInterval(() => {
    tellOfWrong();
    if (begun.ms >= longestMs) void end("time");
    else if (folder.unused.ms >= idleMs) void end("idle");
  }, LOOK_EVERY_MS);
  parentPort?.on("message", (message: ToWorker) => {
    if (message.kind === "end") return void end(message.why);
    answerCall(folder, message.call).then(
      (reply) => tell({ kind: "answer", id: message.id, reply }),
      (error: unknown) =>
        tell({ kind: "refused", id: message.id, failure: failureOf(error, said("answering-nothing-was-changed")) }),
    );
  });
  tell({ kind: "ready", port });
}

/** No new requests; those under way may end, for a moment. */
function drain(server: Server): Promise<void> {
  return new Promise((resolve) => {
    const timer = setTimeout(() => server.closeAllConnections(), DRAIN_MS);
    server.close(() => {
      clearTimeout(timer);
      resolve();
    });
    server.closeIdleConnections();
  });
}

run().catch((error: unknown) => {
  tell({ kind: "failed", failure: failureOf(error, said("beginning-visit-nothing-was-touched")) });
  parentPort?.close();
});
