import type { IncomingMessage, ServerResponse } from "node:http";
import type { ChangeEvent } from "../contract";
import type { Eremos } from "../eremos";

const KEEP_ALIVE_MS = 20_000;
const AT_THE_GATE = new Set<ChangeEvent["topic"]>(["gate", "session", "folders"]);
/** Each tab has one; a browser opens no more than a handful to one address. */
const MOST_STREAMS = 64;
/** A reader that is so far behind has stopped reading. */
const MOST_UNREAD_BYTES = 256 * 1024;

/**
 * Server-sent events, one stream for each tab: signed in or not, it tells by its being there that this Eremos is; and
 * while its session lasts, what has changed, never what it has changed to. It ends with the session, and says so
 * (`over`); the page then follows anew.
 */
export class EventStreams {
  private readonly streams = new Map<ServerResponse, () => void>();

  constructor(
    private readonly eremos: Eremos,
    private readonly isSignedIn: (request: IncomingMessage) => boolean,
  ) {}

  follow(request: IncomingMessage, response: ServerResponse): void {
    if (request.method !== "GET") return void response.writeHead(405).end();
    if (this.streams.size >= MOST_STREAMS) return void response.writeHead(503).end();
    const signedIn = this.isSignedIn(request);
    response.writeHead(200, {
      "Content-Type": "text/event-stream",
      "Cache-Control": "no-store",
      Connection: "keep-alive",
    });
    const tell = (event: string, data: unknown): void => {
      if (response.writableLength > MOST_UNREAD_BYTES) response.destroy();
      else response.write(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
    };
    const end = (): void => {
      tell("over", {});
      response.end();
    };
    const endIfOver = (): boolean => {
      if (this.isSignedIn(request) !== signedIn && !response.writableEnded) end();
      return response.writableEnded;
    };
    this.streams.set(response, end);
    tell("standing", { signedIn });
    const stop = this.eremos.onChange((change) => {
      if (endIfOver()) return;
      // At the gate nothing is told but that what it shows is another now.
      if (signedIn) tell("change", change);
      else if (AT_THE_GATE.has(change.topic)) tell("change", { topic: "gate" });
    });
    const alive = setInterval(() => endIfOver() || response.write(": still here\n\n"), KEEP_ALIVE_MS);
    response.on("close", () => {
      this.streams.delete(response);
      stop();
      clearInterval(alive);
    });
  }

  /** Who follows is to follow elsewhere. */
  endAll(): void {
    for (const [response, end] of this.streams) if (!response.writableEnded) end();
  }
}
