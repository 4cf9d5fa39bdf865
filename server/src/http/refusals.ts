import { randomBytes } from "node:crypto";
import type { IncomingMessage, ServerResponse } from "node:http";
import { ELSEWHERE } from "../page";
import { say } from "@eremos/words/server/house";

/**
 * Whether a request names this start of Eremos as its host: nobody else's page or link can know it, and no other name
 * leads here (DNS rebinding gets nothing).
 */
export function isForUs(request: IncomingMessage, host: string): boolean {
  return request.headers.host === host;
}

/** What stands at every other address, one of an earlier start too: no password field, no link, no script. */
export function answerElsewhere(response: ServerResponse): void {
  response.writeHead(421, {
    "Content-Type": "text/html; charset=utf-8",
    "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cache-Control": "no-store",
    Connection: "close",
  });
  response.end(ELSEWHERE);
}

/** A request that changes something comes from this server's own page: cross-site requests get nothing. */
export function refusalOf(request: IncomingMessage): string | null {
  const { host, origin } = request.headers;
  if (origin !== undefined && origin !== `http://${host}`) return say("requests-from-other-sites-are");
  const site = request.headers["sec-fetch-site"];
  const isPageLoad = request.method === "GET" && request.headers["sec-fetch-dest"] === "document";
  if (site !== undefined && site !== "same-origin" && site !== "none" && !isPageLoad)
    return say("requests-from-other-sites-are");
  if (request.method === "GET" || request.method === "HEAD") return null;
  if (request.method !== "POST") return say("only-get-and-post-are");
  if (origin === undefined) return say("request-that-changes-something-must");
  return null;
}

/** Sets the headers of every answer; returns the page's content policy, for Next to find its nonce in. */
export function setSecurityHeaders(response: ServerResponse, development: boolean): string {
  const nonce = randomBytes(16).toString("base64");
  const policy = [
    "default-src 'none'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic'${development ? " 'unsafe-eval'" : ""}`,
    // Libraries position things with style attributes; styles can't run anything.
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data:",
    "font-src 'self'",
    "media-src 'self'",
    "worker-src 'self'",
    `connect-src 'self'${development ? " ws:" : ""}`,
    "manifest-src 'self'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join("; ");
  response.setHeader("Content-Security-Policy", policy);
  response.setHeader("X-Content-Type-Options", "nosniff");
  response.setHeader("X-Frame-Options", "DENY");
  response.setHeader("Referrer-Policy", "no-referrer");
  response.setHeader("Cross-Origin-Opener-Policy", "same-origin");
  response.setHeader("Cross-Origin-Resource-Policy", "same-origin");
  response.setHeader("Permissions-Policy", "camera=(self), microphone=(), geolocation=(), payment=(), usb=()");
  return policy;
}
