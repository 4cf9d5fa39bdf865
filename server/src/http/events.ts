import type { IncomingMessage, ServerResponse } from "node:http";
import type { Eremos } from "../eremos";

const KEEP_ALIVE_MS = 20_000;

/** Server-sent events: what has changed, never what it has changed to. The page asks again. */
export function streamEvents(eremos: Eremos, request: IncomingMessage, response: ServerResponse): void {
  response.writeHead(200, { "Content-Type": "text/event-stream", "Cache-Control": "no-store", Connection: "keep-alive" });
  response.write(": here\n\n");
  const stop = eremos.onChange((change) => response.write(`data: ${JSON.stringify(change)}\n\n`));
  const alive = setInterval(() => response.write(": still here\n\n"), KEEP_ALIVE_MS);
  request.on("close", () => {
    stop();
    clearInterval(alive);
  });
}
