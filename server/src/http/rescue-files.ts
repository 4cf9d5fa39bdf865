import { createHash } from "node:crypto";
import * as fs from "node:fs";
import type { ServerResponse } from "node:http";
import * as path from "node:path";
import type { RescueFile } from "../contract";

/** The readers that need no Eremos, to be kept on a stick. They are saved, never shown in the page's origin. */
export const RESCUE_FILES = "/rescue/";
const NAMES = ["rescue.html", "rescue.mjs"] as const;

function bytesOf(program: string, name: string): Buffer {
  return fs.readFileSync(path.join(program, "rescue", "dist", name));
}

export function rescueFiles(program: string): readonly RescueFile[] {
  return NAMES.map((name) => {
    const bytes = bytesOf(program, name);
    return { name, href: `${RESCUE_FILES}${name}`, bytes: bytes.length, sha256: createHash("sha256").update(bytes).digest("hex") };
  });
}

export function sendRescueFile(program: string, pathname: string, response: ServerResponse): void {
  const name = NAMES.find((one) => pathname === `${RESCUE_FILES}${one}`);
  if (!name) return void response.writeHead(404, { "Content-Type": "text/plain; charset=utf-8" }).end("There is nothing at this address.");
  const bytes = bytesOf(program, name);
  response.writeHead(200, { "Content-Type": "application/octet-stream", "Content-Disposition": `attachment; filename="${name}"`, "Content-Length": bytes.length, "Content-Security-Policy": "sandbox; default-src 'none'", "Cache-Control": "no-store" });
  response.end(bytes);
}
