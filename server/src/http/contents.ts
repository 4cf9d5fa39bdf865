import { type IncomingMessage, type OutgoingHttpHeaders, type ServerResponse, request as send } from "node:http";
import { DropUpload, isEremosError } from "@eremos/core";
import type { VisitView } from "../contract";
import { findSlot } from "../operations/folders/drop";
import { hasCookie, isSignedIn } from "./api";
import type { ApiContext } from "./answers";
import { say } from "@eremos/words/server/house";

/** Files of a visit, passed on from its drive to the page and back: streams, not calls. */
export const UPLOAD = "/api/visit/upload";

/** What the page may show as it is; everything else is text or bytes to it. */
const SHOWN = /^(image\/|audio\/|video\/|application\/pdf$)/;

/**
 * Whatever somebody put into a folder runs nothing in the page's origin: no script, no form, no frame, no request to
 * elsewhere. The address holds the visit's own secret in place of the tab's, since a picture can't send that along; the
 * cookie is needed as well.
 */
function setContentHeaders(response: ServerResponse, isDownload: boolean): void {
  response.setHeader(
    "Content-Security-Policy",
    "sandbox; default-src 'none'; style-src 'unsafe-inline'; media-src 'self'; img-src 'self' data:",
  );
  response.setHeader("Cache-Control", "no-store");
  if (isDownload) response.setHeader("Content-Disposition", "attachment");
}

export function passContents(
  context: ApiContext,
  pathname: string,
  request: IncomingMessage,
  response: ServerResponse,
): void {
  const { eremos } = context;
  const found = eremos.keys && hasCookie(context, request) ? eremos.visits.byContents(pathname) : null;
  if (!found || (request.method !== "GET" && request.method !== "HEAD")) {
    response.writeHead(404, { "Content-Type": "text/plain; charset=utf-8" }).end(say("visit-has-ended-or-there"));
    return;
  }
  const { searchParams } = new URL(request.url ?? "/", "http://localhost");
  const archive = searchParams.get("archive");
  if (archive !== null) return sendChosen(context, found.view, archive, response);
  const { range, "if-range": ifRange, "if-none-match": ifNoneMatch } = request.headers;
  const headers = Object.fromEntries(
    Object.entries({ range, "if-range": ifRange, "if-none-match": ifNoneMatch }).filter(
      ([, value]) => value !== undefined,
    ),
  );
  setContentHeaders(response, searchParams.has("download"));
  pass(found.view, { method: request.method, path: found.href, headers }, request, response, (type) =>
    SHOWN.test(type)
      ? type
      : type.startsWith("text/") || type.includes("json") || type.includes("xml")
        ? "text/plain; charset=utf-8"
        : "application/octet-stream",
  );
}

function sendChosen({ eremos: { visits } }: ApiContext, view: VisitView, id: string, response: ServerResponse): void {
  const hrefs = visits.chosen(view.folder, id);
  if (!hrefs) return void response.writeHead(404).end();
  setContentHeaders(response, true);
  // Loaded for this alone.
  void import("../visit/archive").then(({ sendArchive }) =>
    sendArchive({ view, hrefs, call: (call) => visits.call(view.folder, call) }, response),
  );
}

/**
 * A file from the page: the body as it is, `folder` and `href` in the address, and with them on which condition: that
 * the file is still the one that `match` names, or, by `none`, that there is none.
 */
export function passUpload(context: ApiContext, request: IncomingMessage, response: ServerResponse): void {
  const { searchParams } = new URL(request.url ?? "/", "http://localhost");
  const view = isSignedIn(context, request) ? context.eremos.visits.of(searchParams.get("folder") ?? "") : null;
  const href = searchParams.get("href") ?? "";
  if (!view || !href.startsWith("/") || request.method !== "POST") {
    response.writeHead(view ? 400 : 401).end();
    return;
  }
  const length = request.headers["content-length"];
  const [match, none] = [searchParams.get("match"), searchParams.get("none")];
  pass(
    view,
    {
      method: "PUT",
      path: href,
      headers: {
        ...(length === undefined ? {} : { "content-length": length }),
        ...(match === null ? {} : { "if-match": match }),
        ...(none === null ? {} : { "if-none-match": none }),
      },
    },
    request,
    response,
    () => "application/json; charset=utf-8",
  );
}

/**
 * A file for the drop slot of a folder, from whoever is at this account's browser, signed in or not: `folder` and
 * `name` in the address.
 */
export const DROP = "/api/drop";
const LONGEST_PAUSE_MS = 15_000;
const LEAST_BYTES_PER_MS = 1;
const TRY_AGAIN_MS = 250;
const LONGEST_WAIT_MS = 10_000;

export async function takeDrop(
  { eremos }: ApiContext,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  const { searchParams } = new URL(request.url ?? "/", "http://localhost");
  let upload: DropUpload | null = null;
  try {
    const length = Number(request.headers["content-length"] ?? Number.NaN);
    const slot =
      request.method === "POST" && Number.isSafeInteger(length)
        ? await findSlot(eremos, searchParams.get("folder") ?? "")
        : null;
    if (!slot) return void response.writeHead(404).end();
    upload = await DropUpload.begin(eremos.disk, slot, Buffer.from(searchParams.get("name") ?? ""), length);
    // The folder is not held meanwhile; but what stops coming, or comes a byte at a time, ends.
    request.setTimeout(LONGEST_PAUSE_MS, () => void request.destroy());
    const end = setTimeout(() => void request.destroy(), LONGEST_PAUSE_MS + length / LEAST_BYTES_PER_MS);
    try {
      for await (const piece of request) upload.append(piece as Buffer);
    } finally {
      clearTimeout(end);
    }
    await finishWhenFree(upload);
    upload = null;
    eremos.count("dropped", slot.folder, null);
    eremos.announce({ topic: "folders" });
    response.writeHead(201).end();
  } catch (error) {
    await upload?.abort();
    if (!response.headersSent && !response.destroyed)
      response.writeHead(isEremosError(error) && error.code === "no-space" ? 507 : 409).end();
  }
}

/** Somebody may be at work on the folder just when the last byte came. */
async function finishWhenFree(upload: DropUpload): Promise<void> {
  for (let waited = 0; ; waited += TRY_AGAIN_MS) {
    try {
      return await upload.finish();
    } catch (error) {
      if (!isEremosError(error) || error.code !== "busy" || waited >= LONGEST_WAIT_MS) throw error;
      await new Promise((resolve) => setTimeout(resolve, TRY_AGAIN_MS));
    }
  }
}

interface Passing {
  readonly method: string;
  readonly path: string;
  readonly headers: OutgoingHttpHeaders;
}

const PASSED_BACK = ["content-length", "content-range", "accept-ranges", "etag", "last-modified"];

function pass(
  view: VisitView,
  { method, path, headers }: Passing,
  request: IncomingMessage,
  response: ServerResponse,
  typeFor: (type: string) => string,
): void {
  const { hostname, port } = new URL(view.url);
  const onward = send({ hostname, port, method, path, headers, auth: `${view.user}:${view.password}` }, (answer) => {
    const back = Object.fromEntries(
      PASSED_BACK.flatMap((name) => (answer.headers[name] === undefined ? [] : [[name, answer.headers[name]]])),
    );
    response.writeHead(answer.statusCode ?? 502, {
      ...back,
      "Content-Type": typeFor(answer.headers["content-type"] ?? "application/octet-stream"),
    });
    answer.pipe(response);
    answer.on("error", () => response.destroy());
  });
  onward.on("error", () => {
    if (response.headersSent) response.destroy();
    else response.writeHead(502).end();
  });
  response.on("close", () => void onward.destroy());
  request.pipe(onward);
}
