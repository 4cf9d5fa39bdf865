import { type IncomingMessage, type ServerResponse, createServer } from "node:http";
import * as path from "node:path";
import { EremosError, closeMemory, closeToOthers, isEremosError, locateFolder, randomBytes } from "@eremos/core";
import { DataDirectory } from "../data-directory";
import { addressOf, runningServer } from "../desktop/launcher";
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
import { EventStreams } from "./events";
import { RESCUE_FILES } from "../rescue-files";
import { sendRescueFile } from "./rescue-files";
import { openDoors } from "./doors";
import { answerElsewhere, isForUs, refusalOf, setSecurityHeaders } from "./guard";

/** A session that ends gives programs about this long. */
const LONGEST_STOP_MS = 4000;
/** So long a stop waits for locks to end before it cuts them off; what is left open then locks at the next start. */
const LONGEST_FINISH_MS = 6000;
const IDLE_LOOK_MS = 5000;
/** So long a request may take to arrive, headers first; a file for a visit or a drop may take longer as long as it keeps coming. */
const LONGEST_HEADERS_MS = 10_000;
const LOOK_AT_CONNECTIONS_MS = 2000;
const MOST_HEADER_BYTES = 16 * 1024;

export interface RunningServer {
  readonly address: string;
  close(): Promise<void>;
}

/** Starts the server: the guard, the calls, the event stream and the pages, on loopback only. @throws EremosError `port-in-use` | `data-unwritable` */
export async function serve(settings: Settings, development = false): Promise<RunningServer> {
  closeMemory();
  const data = DataDirectory.open(settings.dataDirectory);
  if (await isRunning(data)) throw new EremosError("port-in-use", "Your Eremos is running already. Nothing was touched; `eremos page` opens it in your browser.");
  const server = createServer({ connectionsCheckingInterval: LOOK_AT_CONNECTIONS_MS, headersTimeout: LONGEST_HEADERS_MS, requestTimeout: 0, maxHeaderSize: MOST_HEADER_BYTES });
  // Its connections come from the doors; by this it counts them all the same, ends those that send no request in time, and closes them at a stop.
  server.emit("listening");
  // Every other account is shut out here, by the kernel's word, before anything of a request is read.
  const doors = await openDoors({ wanted: settings.plainAddress ? 0 : settings.port, kept: data.keptPort(), account: process.geteuid?.() ?? -1, receive: (socket) => void server.emit("connection", socket) });
  const { port } = doors;
  if (settings.port === null && !settings.plainAddress) data.keepPort(port);
  const host = `${settings.plainAddress ? "127.0.0.1" : `eremos-${randomBytes(10).toString("hex")}.localhost`}:${port}`;
  const eremos = Eremos.open(settings);
  const sessions = new Sessions();
  const places = new PlaceWatch((changed) => eremos.announce({ topic: "place", path: changed }));
  const record = { port, host, secret: randomBytes(32).toString("hex") };
  const streams = new EventStreams(eremos, (request) => isSignedIn(context, request));
  const context: ApiContext = { eremos, sessions, secret: record.secret, cookieName: "eremos", watchPlace: (place) => places.watch(place) };
  Object.assign(process.env, { NODE_ENV: development ? "development" : "production", NEXT_TELEMETRY_DISABLED: "1" });
  // Loaded here, because the command line needs it for this one command only.
  const { default: next } = await import("next");
  const pages = next({ dev: development, dir: path.join(settings.program, "web"), hostname: host.slice(0, host.lastIndexOf(":")), port, quiet: !development });
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
    response.on("error", () => request.socket.destroy());
    if (!isForUs(request, host)) return answerElsewhere(response);
    const policy = setSecurityHeaders(response, development);
    const refusal = refusalOf(request);
    const pathname = pathOf(request);
    if (refusal !== null || pathname === null) {
      response.writeHead(refusal === null ? 400 : 403, { "Content-Type": "text/plain; charset=utf-8", Connection: "close" }).end(refusal ?? "This is no address of Eremos.");
      return;
    }
    if (pathname === "/api/events") {
      streams.follow(request, response);
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
      request.headers["x-eremos-theme"] = eremos.preferences.get().theme;
      request.headers["content-security-policy"] = policy;
      request.headers["x-nonce"] = /'nonce-([^']+)'/.exec(policy)?.[1] ?? "";
      handlePage(request, response).catch(() => response.destroy());
    }
  });
  server.on("clientError", (_error, socket) => void (socket.writable ? socket.end("HTTP/1.1 400 Bad Request\r\nConnection: close\r\n\r\n") : socket.destroy()));
  const upgrade = development ? pages.getUpgradeHandler() : null;
  server.on("upgrade", (request: IncomingMessage, socket, head: Buffer) => {
    if (upgrade && isForUs(request, host) && refusalOf(request) === null) void upgrade(request, socket, head);
    else socket.destroy();
  });
  eremos.data.writeServer(record);

  return {
    address: addressOf(record),
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
        doors.close();
        server.closeAllConnections();
        server.close();
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

/** The path that is asked for, as its parts are written; null for what is none. */
function pathOf(request: IncomingMessage): string | null {
  const { url = "" } = request;
  if (!url.startsWith("/") || url.startsWith("//") || !URL.canParse(url, "http://localhost")) return null;
  const { pathname } = new URL(url, "http://localhost");
  try {
    decodeURIComponent(pathname);
    return pathname;
  } catch {
    return null;
  }
}

/** Something else than ours at the port of the last start is no reason not to start: this one takes another. */
async function isRunning(data: DataDirectory): Promise<boolean> {
  return (await runningServer(data).catch((error: unknown) => {
    if (isEremosError(error) && error.code === "port-in-use") return null;
    throw error;
  })) !== null;
}
