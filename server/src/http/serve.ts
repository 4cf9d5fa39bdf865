import { type IncomingMessage, type Server, type ServerResponse, createServer } from "node:http";
import * as path from "node:path";
import { EremosError, closeToOthers, isEremosError, locateFolder, randomBytes, systemCode } from "@eremos/core";
import { Eremos } from "../eremos";
import { MINUTE_MS } from "../locking-rules";
import { closeUp } from "../operations/close-up";
import { decodePath } from "../operations/paths";
import { recoverInterrupted } from "../operations/recover-interrupted";
import { signOutIdle } from "../operations/sign-in";
import { Sessions } from "../session/sessions";
import type { Settings } from "../settings";
import { CONTENTS } from "../visit/visits";
import { watchDatabase } from "../watch/database-watch";
import { watchMounts } from "../watch/mount-watch";
import { watchSleep } from "../watch/sleep-watch";
import { CheckWatch } from "../watch/check-watch";
import { PlaceWatch } from "../watch/place-watch";
import { answerApi, isSignedIn } from "./api";
import type { ApiContext } from "./route";
import { DROP, UPLOAD, passContents, passUpload, takeDrop } from "./contents";
import { streamEvents } from "./events";
import { RESCUE_FILES } from "../rescue-files";
import { sendRescueFile } from "./rescue-files";
import { refusalOf, setSecurityHeaders } from "./guard";

const HOST = "127.0.0.1";
/** A session that ends gives programs about this long. */
const LONGEST_STOP_MS = 4000;
/** So long a stop waits for locks to end before it cuts them off; what is left open then locks at the next start. */
const LONGEST_FINISH_MS = 6000;
const IDLE_LOOK_MS = 5000;

export interface RunningServer {
  readonly address: string;
  close(): Promise<void>;
}

/** Starts the server: the guard, the calls, the event stream and the pages, on loopback only. @throws EremosError `port-in-use` | `data-unwritable` */
export async function serve(settings: Settings, development = false): Promise<RunningServer> {
  const server = createServer();
  const port = await listen(server, settings.port);
  const eremos = Eremos.open({ ...settings, port });
  const sessions = new Sessions();
  const places = new PlaceWatch((changed) => eremos.announce({ topic: "place", path: changed }));
  const record = { port, secret: randomBytes(32).toString("hex") };
  const context: ApiContext = { eremos, sessions, secret: record.secret, cookieName: `eremos-${port}`, watchPlace: (place) => places.watch(place) };
  Object.assign(process.env, { NODE_ENV: development ? "development" : "production", NEXT_TELEMETRY_DISABLED: "1" });
  // Loaded here, because the command line needs it for this one command only.
  const { default: next } = await import("next");
  const pages = next({ dev: development, dir: path.join(settings.program, "web"), hostname: HOST, port, quiet: !development });
  await pages.prepare();
  const handlePage = pages.getRequestHandler();
  await recoverInterrupted(eremos);
  const stopWatching = watchDatabase(eremos);
  await eremos.keeper.start();
  const checks = new CheckWatch(eremos);
  checks.start();
  const stopMounts = watchMounts(eremos);
  const stopSleep = watchSleep(eremos, sessions);
  const stopIdling = signOutWhenIdle(eremos, sessions);

  server.on("request", (request: IncomingMessage, response: ServerResponse) => {
    const policy = setSecurityHeaders(response, development);
    const refusal = refusalOf(request, port);
    if (refusal !== null) {
      response.writeHead(403, { "Content-Type": "text/plain; charset=utf-8" }).end(refusal);
      return;
    }
    const { pathname } = new URL(request.url ?? "/", `http://${HOST}`);
    if (pathname === "/api/events") {
      if (!isSignedIn(context, request)) response.writeHead(401).end();
      else streamEvents(eremos, request, response);
    } else if (pathname.startsWith(CONTENTS)) {
      passContents(context, pathname, request, response);
    } else if (pathname.startsWith(RESCUE_FILES)) {
      sendRescueFile(settings.program, pathname, response);
    } else if (pathname === DROP) {
      void takeDrop(context, request, response);
    } else if (pathname === UPLOAD) {
      passUpload(context, request, response);
    } else if (pathname.startsWith("/api/")) {
      void answerApi(context, pathname.slice("/api/".length), request, response);
    } else {
      request.headers["content-security-policy"] = policy;
      request.headers["x-nonce"] = /'nonce-([^']+)'/.exec(policy)?.[1] ?? "";
      void handlePage(request, response);
    }
  });
  eremos.data.writeServer(record);
  if (development) server.on("upgrade", pages.getUpgradeHandler());

  return {
    address: `http://${HOST}:${port}`,
    close: async () => {
      stopWatching();
      stopIdling();
      stopSleep();
      stopMounts();
      places.close();
      eremos.keeper.stop();
      checks.stop();
      try {
        await finishWork(eremos);
        eremos.data.removeServer(record);
      } finally {
        // Also where the data directory is gone: what is stopped ends.
        server.closeAllConnections();
        await new Promise<void>((resolve) => server.close(() => resolve()));
        await pages.close();
        eremos.close();
      }
    },
  };
}

/** Puts back what can be put back, and locks what is to be locked at a stop; not for long. */
async function finishWork(eremos: Eremos): Promise<void> {
  await eremos.visits.endAll();
  await eremos.jobs.stop(LONGEST_STOP_MS);
  closeUp(eremos, false, ({ rules }) => rules.atStop);
  await eremos.jobs.drain(LONGEST_FINISH_MS);
  await eremos.jobs.stop(LONGEST_STOP_MS);
  closeWhatIsLeft(eremos);
}

/** What could not be locked in the time there was: other accounts are kept out of it until it locks at the next start. */
function closeWhatIsLeft(eremos: Eremos): void {
  for (const note of eremos.data.notes().filter(({ rules }) => rules.atStop)) {
    try {
      const located = locateFolder(eremos.disk, decodePath(note.path), note.id);
      if (located?.inspection.guard === "sealed" && located.inspection.state === "open") closeToOthers(eremos.disk, located.realPath);
    } catch (error) {
      if (!isEremosError(error)) throw error;
    }
  }
}

/** Nobody has touched the page for a while: signs out, as the button does. */
function signOutWhenIdle(eremos: Eremos, sessions: Sessions): () => void {
  const timer = setInterval(() => {
    const { idleSignOutMinutes } = eremos.preferences.get();
    if (!eremos.keys || idleSignOutMinutes === null || Date.now() - sessions.touchedAt < idleSignOutMinutes * MINUTE_MS) return;
    sessions.endAll();
    signOutIdle(eremos);
  }, IDLE_LOOK_MS);
  return () => clearInterval(timer);
}

function listen(server: Server, port: number): Promise<number> {
  return new Promise((resolve, reject) => {
    server.once("error", (error) => {
      const taken = systemCode(error) === "EADDRINUSE";
      reject(taken ? new EremosError("port-in-use", `Port ${port} is in use, perhaps by an Eremos that is running already. Open http://${HOST}:${port}, or choose another with EREMOS_PORT.`) : error);
    });
    server.listen(port, HOST, () => {
      const address = server.address();
      resolve(typeof address === "object" && address ? address.port : port);
    });
  });
}
