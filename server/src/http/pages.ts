import * as fs from "node:fs";
import type { IncomingMessage, ServerResponse } from "node:http";
import * as path from "node:path";
import type { ServerRecord } from "../data-directory";
import { say } from "@eremos/words/server/house";

export interface Pages {
  handle(request: IncomingMessage, response: ServerResponse): Promise<void>;
  upgrade(request: IncomingMessage, socket: unknown, head: Buffer): Promise<void>;
}

/** Makes ready what the pages are made by. @throws whatever it can't be loaded for */
export async function preparePages(
  program: string,
  { host, port }: ServerRecord,
  development: boolean,
): Promise<Pages> {
  Object.assign(process.env, { NODE_ENV: development ? "development" : "production", NEXT_TELEMETRY_DISABLED: "1" });
  // Built pages know how they were set when they were built: nothing of the builder is looked for, which a package does
  // not carry.
  if (!development) process.env["__NEXT_PRIVATE_STANDALONE_CONFIG"] = JSON.stringify(settingsOfPages(program));
  const { default: next } = await import("next");
  const pages = next({
    dev: development,
    dir: path.join(program, "web"),
    hostname: host.slice(0, host.lastIndexOf(":")),
    port,
    quiet: !development,
  });
  await pages.prepare();
  delete process.env["__NEXT_PRIVATE_STANDALONE_CONFIG"];
  return { handle: pages.getRequestHandler(), upgrade: pages.getUpgradeHandler() as Pages["upgrade"] };
}

function settingsOfPages(program: string): unknown {
  const built = fs.readFileSync(path.join(program, "web", ".next", "required-server-files.json"), "utf8");
  return (JSON.parse(built) as { readonly config: unknown }).config;
}

/** What the browser is told where the pages can't be made: never nothing. */
export function answerWithoutPages(error: unknown, response: ServerResponse): void {
  if (response.headersSent || response.writableEnded) return void response.destroy();
  const reason = error instanceof Error ? (error.message.split("\n")[0] ?? "") : String(error);
  response
    .writeHead(500, { "Content-Type": "text/plain; charset=utf-8", Connection: "close" })
    .end(say("pages-could-not-be-made", { reason }));
}
