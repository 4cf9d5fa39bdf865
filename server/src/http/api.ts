import type { IncomingMessage, ServerResponse } from "node:http";
import { EremosError, fromSystemError, isEremosError, wipe } from "@eremos/core";
import { CALL_TYPE, decodeCall } from "../call-body";
import { type ApiContext, answer, callNamed } from "./answers";
import { said, say } from "@eremos/words/server/house";
import { errorView } from "../error-view";

/** Room for the ids of as many traces as a call may name. */
const MOST_BODY_BYTES = 1024 * 1024;
const MOST_COOKIES = 200;
const TAB_HEADER = "x-eremos-tab";

export function isSignedIn(context: ApiContext, request: IncomingMessage): boolean {
  const tab = request.headers[TAB_HEADER];
  if (context.eremos.keys === null || typeof tab !== "string") return false;
  return cookiesOf(request, context.cookieName).some((cookie) => context.sessions.has(cookie, tab));
}

/** Half of it: for what can't send the tab's token along. */
export function hasCookie(context: ApiContext, request: IncomingMessage): boolean {
  return (
    context.eremos.keys !== null &&
    cookiesOf(request, context.cookieName).some((cookie) => context.sessions.hasCookie(cookie))
  );
}

/** All of that name: one that another page of this computer set can't stand before ours. */
function cookiesOf(request: IncomingMessage, name: string): string[] {
  return (request.headers.cookie ?? "")
    .split(";")
    .slice(0, MOST_COOKIES)
    .flatMap((part) => {
      const [key, value] = part.trim().split("=", 2);
      return key === name && value !== undefined ? [value] : [];
    });
}

const STATUS = { usage: 400, password: 403, refused: 409, damage: 422, failed: 500 } as const;

/**
 * Answers one call. The one exit for errors: a known one says its code and message, an unknown one nothing of its
 * inside.
 */
export async function answerApi(
  context: ApiContext,
  name: string,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  const signedIn = isSignedIn(context, request);
  try {
    const call = callNamed(name);
    if (!call || request.method !== "POST")
      return send(response, 404, { error: { code: "usage", message: say("there-is-nothing-at-this") } });
    const body: Buffer[] = [];
    try {
      const read = async (): Promise<unknown> => decode(await readBody(request, body));
      send(response, 200, await answer(call, { context, response, signedIn }, read));
    } finally {
      wipe(...body);
    }
  } catch (caught) {
    const error = isEremosError(caught) ? caught : fromSystemError(caught, said("answering"));
    const status = error.code === "needs-sign-in" && !signedIn ? 401 : STATUS[error.class];
    send(response, status, { error: errorView(error) });
  }
}

function send(response: ServerResponse, status: number, body: unknown): void {
  const bytes = Buffer.from(JSON.stringify(body ?? {}));
  response.writeHead(status, {
    "Content-Type": "application/json; charset=utf-8",
    "Content-Length": bytes.length,
    "Cache-Control": "no-store",
  });
  response.end(bytes);
}

/** Its parts come into `parts`, the whole last: who overwrites those has overwritten everything. */
async function readBody(request: IncomingMessage, parts: Buffer[]): Promise<Buffer> {
  if (request.headers["content-type"] !== CALL_TYPE) throw new EremosError("usage", said("request-is-not-call-eremos"));
  let length = 0;
  for await (const part of request) {
    if (!Buffer.isBuffer(part)) continue;
    length += part.length;
    parts.push(part);
    if (length > MOST_BODY_BYTES) throw new EremosError("usage", said("request-is-too-long-nothing"));
  }
  const body = Buffer.concat(parts);
  parts.push(body);
  return body;
}

function decode(body: Buffer): unknown {
  try {
    return decodeCall(body);
  } catch {
    throw new EremosError("usage", said("request-is-not-in-form"));
  }
}
