import type { ServerResponse } from "node:http";
import { rescueFileAt, rescueFileBytes } from "../rescue-files";
import { say } from "@eremos/words/server/house";

/** They are saved, never shown in the page's origin. */
export function sendRescueFile(program: string, pathname: string, response: ServerResponse): void {
  const name = rescueFileAt(pathname);
  if (!name)
    return void response
      .writeHead(404, { "Content-Type": "text/plain; charset=utf-8" })
      .end(say("there-is-nothing-at-this"));
  const bytes = rescueFileBytes(program, name);
  response.writeHead(200, {
    "Content-Type": "application/octet-stream",
    "Content-Disposition": `attachment; filename="${name}"`,
    "Content-Length": bytes.length,
    "Content-Security-Policy": "sandbox; default-src 'none'",
    "Cache-Control": "no-store",
  });
  response.end(bytes);
}
