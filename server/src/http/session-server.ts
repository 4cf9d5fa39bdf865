import { type IncomingMessage, type ServerResponse, createServer } from "node:http";
import type { Socket } from "node:net";
import { LOOPBACKS, holdPort } from "@eremos/core";
import { Eremos } from "../eremos";
import { RESCUE_FILES } from "../rescue-files";
import { Sessions } from "../session/sessions";
import { CONTENTS, type Drive } from "../visit/visits";
import { PlaceWatch } from "../watch/place-watch";
import { answerApi, isSignedIn } from "./api";
import { DROP, UPLOAD, passContents, passUpload, takeDrop } from "./contents";
import { MOST_CONNECTIONS } from "./doors";
import { EventStreams } from "./events";
import { type Pages, answerWithoutPages, preparePages } from "./pages";
import { answerElsewhere, isForUs, refusalOf, setSecurityHeaders } from "./refusals";
import { sendRescueFile } from "./rescue-files";
import { causedBy } from "../ledger/cause";
import type { ApiContext } from "./answers";
import type { Carried, ToSession } from "./session-protocol";
import { finishWork } from "./stop";
import { startWatches } from "./watches";
import { say } from "@eremos/words/server/house";

/**
 * So long a request may take to arrive, headers first; a file for a visit or a drop may take longer as long as it keeps
 * coming.
 */
const LONGEST_HEADERS_MS = 10_000;
const LOOK_AT_CONNECTIONS_MS = 2000;
const MOST_HEADER_BYTES = 16 * 1024;
const LOOK_WHETHER_DONE_MS = 100;
const LOAD_PAGES_AFTER_MS = 1000;

/**
 * Everything behind the doors for one session, from the gate to the sign-out: the guard, the calls, the event streams,
 * the pages, and what watches.
 */
export interface SessionServer {
  receive(connection: Socket): void;
  cancel(job: string): void;
  /** Somebody of another account was shut out. */
  stranger(account: number, count: number): void;
  /** Others come to the next session: resolves when all that is under way here has ended, locks and uploads too. */
  retire(): Promise<void>;
  /** Nobody gets an answer any more: at the address may be somebody else. */
  disconnect(): void;
  /** Puts back or ends what is under way, not for long. */
  stop(): Promise<void>;
}

export interface Superior {
  /** The session is over; nothing signs in here again. */
  over(carried: Carried): void;
  /** A job that is not of this process. */
  cancel(job: string): void;
  /** Until their ports are nobody else's, whatever becomes of this process. */
  drives(drives: readonly Drive[]): Promise<void>;
}

/** @throws EremosError `data-unwritable` */
export async function openSession(
  { settings, development, record, carried }: Omit<Extract<ToSession, { readonly kind: "begin" }>, "kind">,
  superior: Superior,
): Promise<SessionServer> {
  const { host } = record;
  const server = createServer({
    connectionsCheckingInterval: LOOK_AT_CONNECTIONS_MS,
    headersTimeout: LONGEST_HEADERS_MS,
    requestTimeout: 0,
    maxHeaderSize: MOST_HEADER_BYTES,
  });
  // Its connections come from the doors; by this it counts them all the same, ends those that send no request in time,
  // and closes them at a stop.
  server.emit("listening");
  const eremos = Eremos.open(settings);
  eremos.isLasting = true;
  eremos.lookAside();
  eremos.stay.pause(carried.stayPaused);
  eremos.visits.watchDrives = (drives) => superior.drives(drives);
  // While this process lives, no other account takes the port, whatever becomes of the one that listens there.
  for (const address of LOOPBACKS) holdPort(address, record.port);
  eremos.jobs.cancelElsewhere = (job) => superior.cancel(job);
  const sessions = new Sessions();
  const places = new PlaceWatch((changed) => eremos.announce({ topic: "place", path: changed }));
  const context: ApiContext = {
    eremos,
    sessions,
    secret: record.secret,
    cookieName: "eremos",
    watchPlace: (place) => places.watch(place),
  };
  const streams = new EventStreams(eremos, (request) => isSignedIn(context, request));
  const stopWatching = await startWatches(eremos, sessions, carried.isFirst);
  const connections = new Set<Socket>();
  let prepared: Promise<Pages> | null = null;
  const pages = (): Promise<Pages> => (prepared ??= preparePages(settings.program, record, development));
  // Loading them holds everything up for a moment: after a sign-out the gate, which is in the browser, comes first.
  const loading = setTimeout(() => void pages().catch(() => undefined), carried.isFirst ? 0 : LOAD_PAGES_AFTER_MS);
  const underWay = new Set<ServerResponse>();
  let isOver = false;
  eremos.endWithSession(() => {
    isOver = true;
    for (const response of underWay) response.shouldKeepAlive = false;
    superior.over({ isFirst: false, stayPaused: eremos.stay.isPaused });
  });

  const answerRequest = (request: IncomingMessage, response: ServerResponse): void => {
    underWay.add(response);
    response.on("close", () => underWay.delete(response));
    if (isOver) response.shouldKeepAlive = false;
    response.on("error", () => request.socket.destroy());
    if (!isForUs(request, host)) return answerElsewhere(response);
    const policy = setSecurityHeaders(response, development);
    const refusal = refusalOf(request);
    const pathname = pathOf(request);
    if (refusal !== null || pathname === null) {
      response
        .writeHead(refusal === null ? 400 : 403, { "Content-Type": "text/plain; charset=utf-8", Connection: "close" })
        .end(refusal ?? say("this-is-no-address-eremos"));
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
      pages()
        .then(({ handle }) => handle(request, response))
        .catch((error: unknown) => answerWithoutPages(error, response));
    }
  };
  server.on("request", (request: IncomingMessage, response: ServerResponse) =>
    causedBy({ from: "page", why: null }, () => answerRequest(request, response)),
  );
  server.on(
    "clientError",
    (_error, socket) =>
      void (socket.writable ? socket.end("HTTP/1.1 400 Bad Request\r\nConnection: close\r\n\r\n") : socket.destroy()),
  );
  server.on("upgrade", (request: IncomingMessage, socket, head: Buffer) => {
    if (!development || !isForUs(request, host) || refusalOf(request) !== null) socket.destroy();
    else
      pages()
        .then(({ upgrade }) => upgrade(request, socket, head))
        .catch(() => socket.destroy());
  });

  const close = (): void => {
    clearTimeout(loading);
    places.close();
    server.closeAllConnections();
    server.close();
    eremos.close();
  };
  return {
    receive: (connection) => {
      if (connections.size >= MOST_CONNECTIONS) return void connection.destroy();
      connections.add(connection);
      connection.on("close", () => connections.delete(connection));
      server.emit("connection", connection);
    },
    cancel: (job) => void eremos.jobs.cancelHere(job),
    stranger: (account, count) => eremos.count("stranger", "", account, count),
    retire: async () => {
      stopWatching();
      streams.endAll();
      server.closeIdleConnections();
      await eremos.visits.endAll();
      while (eremos.jobs.busy || eremos.isHeld || underWay.size > 0)
        await new Promise((resolve) => setTimeout(resolve, LOOK_WHETHER_DONE_MS));
      await eremos.settle();
      close();
    },
    disconnect: () => server.closeAllConnections(),
    stop: async () => {
      stopWatching();
      try {
        await finishWork(eremos);
        await eremos.settle();
      } finally {
        close();
      }
    },
  };
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
