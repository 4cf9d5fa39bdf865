import type { IncomingMessage, ServerResponse } from "node:http";
import mime from "mime";
import { type FileNode, type Node, isEremosError } from "@eremos/core";
import { type Path, hrefOf, pathOf, shownName } from "../hrefs";
import type { Spot, VisitedFolder } from "../visited-folder";
import {
  type Depth,
  Status,
  depthOf,
  etagOf,
  fail,
  hasEtag,
  httpDate,
  isNotSince,
  millisecondsOf,
  rangeOf,
  timeoutOf,
  tokensOf,
} from "./headers";
import { type IfList, type Lock, Locks, isBelow, parseIf } from "./locks";
import { DeadProperties } from "./properties";
import {
  BadXml,
  type PropertyName,
  childNamed,
  childrenOf,
  emptyElement,
  escapeXml,
  innerXml,
  isDav,
  keyOf,
  localNameOf,
  parseXml,
  serialize,
} from "./xml";

/**
 * WebDAV, class 1 and 2 (RFC 4918), for one visited folder. Links are not followed and not shown: to programs they are
 * not there.
 */
const METHODS = "OPTIONS, GET, HEAD, PUT, DELETE, MKCOL, COPY, MOVE, PROPFIND, PROPPATCH, LOCK, UNLOCK";
const MOST_XML_BYTES = 1024 * 1024;
const PIECE_BYTES = 256 * 1024;

interface Target {
  readonly path: Path;
  /** The path as a key for locks and properties: its href without a slash at the end; the folder itself is "". */
  readonly key: string;
  readonly node: Node | null;
}

export class DavHandler {
  private readonly locks = new Locks();
  private readonly properties = new DeadProperties();

  constructor(private readonly folder: VisitedFolder) {}

  async handle(request: IncomingMessage, response: ServerResponse): Promise<void> {
    this.folder.used();
    try {
      await this.answer(request, response);
    } catch (error) {
      if (response.headersSent || response.destroyed) return void response.destroy();
      const [status, body] = error instanceof Status ? [error.status, error.body] : [statusOf(error), ""];
      response.writeHead(status, body === "" ? { "Content-Length": "0" } : XML_HEADERS);
      response.end(body);
    }
    // Whatever of a body was not read is not wanted.
    if (!request.complete) request.resume();
  }

  private answer(request: IncomingMessage, response: ServerResponse): Promise<void> | void {
    const target = this.targetOf(request.url ?? "");
    switch (request.method) {
      case "OPTIONS":
        return void response
          .writeHead(200, { DAV: "1, 2", Allow: METHODS, "MS-Author-Via": "DAV", "Content-Length": "0" })
          .end();
      case "GET":
      case "HEAD":
        return this.get(request, response, target);
      case "PUT":
        return this.put(request, response, target);
      case "DELETE":
        return this.delete(request, response, target);
      case "MKCOL":
        return this.makeCollection(request, response, target);
      case "COPY":
      case "MOVE":
        return this.copyOrMove(request, response, target, request.method === "MOVE");
      case "PROPFIND":
        return this.findProperties(request, response, target);
      case "PROPPATCH":
        return this.patchProperties(request, response, target);
      case "LOCK":
        return this.lock(request, response, target);
      case "UNLOCK":
        return this.unlock(request, response, target);
      default:
        response.setHeader("Allow", METHODS);
        throw new Status(405);
    }
  }

  private targetOf(url: string): Target {
    const path = pathOf(url.startsWith("/") ? url : pathnameOf(url));
    if (!path) throw new Status(400);
    const node = this.folder.find(path);
    return { path, key: keyOfPath(path), node: node?.kind === "link" ? null : node };
  }

  /** The spot to write at. @throws Status 403 at the folder itself, 409 where its directory is missing */
  private spotOf({ path }: Target): Spot {
    if (path.length === 0) throw new Status(403);
    const spot = this.folder.spot(path);
    if (!spot) throw new Status(409);
    // A link has the name, and stays.
    if (spot.node?.kind === "link") throw new Status(409);
    return spot;
  }

  private get(request: IncomingMessage, response: ServerResponse, target: Target): Promise<void> | void {
    const file = target.node ?? fail(404);
    if (file.kind !== "file") throw new Status(405);
    this.requireIf(request, target);
    const etag = etagOf(file);
    const modified = httpDate(file);
    const headers = { ETag: etag, "Last-Modified": modified, "Accept-Ranges": "bytes", "Content-Type": typeOf(file) };
    const notModified =
      request.headers["if-none-match"] === undefined
        ? isNotSince(request.headers["if-modified-since"], file)
        : hasEtag(request.headers["if-none-match"], etag);
    if (notModified) return void response.writeHead(304, { ETag: etag, "Last-Modified": modified }).end();
    const range = rangeOf(request, file.size, etag, modified);
    if (range === "outside")
      return void response.writeHead(416, { "Content-Range": `bytes */${file.size}`, "Content-Length": "0" }).end();
    const [from, to] = range ?? [0, file.size];
    response.writeHead(range ? 206 : 200, {
      ...headers,
      "Content-Length": String(to - from),
      ...(range ? { "Content-Range": `bytes ${from}-${to - 1}/${file.size}` } : {}),
    });
    if (request.method === "HEAD") return void response.end();
    return this.send(response, file, from, to);
  }

  /** In pieces, each read when the one before is taken: memory stays bounded. */
  private async send(response: ServerResponse, file: FileNode, from: number, to: number): Promise<void> {
    for (let at = from; at < to && !response.destroyed;) {
      const piece = Buffer.allocUnsafe(Math.min(PIECE_BYTES, to - at));
      at += this.folder.read(file, at, piece);
      this.folder.used();
      if (!response.write(piece))
        await new Promise<void>((resolve) => {
          const done = (): void => {
            response.off("drain", done).off("close", done);
            resolve();
          };
          response.on("drain", done).on("close", done);
        });
    }
    response.end();
  }

  private async put(request: IncomingMessage, response: ServerResponse, target: Target): Promise<void> {
    if (target.node?.kind === "dir" || (request.url ?? "").endsWith("/")) throw new Status(405);
    if (request.headers["content-range"] !== undefined) throw new Status(400);
    const spot = this.spotOf(target);
    this.requireIf(request, target);
    this.requireUnlocked(request, [target.key], spot.node ? [] : [parentKey(target.key)]);
    const announced = request.headers["content-length"];
    const upload = this.folder.begin(target.path, announced === undefined ? null : Number(announced));
    try {
      for await (const piece of request) {
        upload.append(piece as Buffer);
        this.folder.used();
      }
      await this.folder.finish(upload, target.path);
    } catch (error) {
      this.folder.abort(upload);
      throw error;
    }
    const written = this.folder.find(target.path);
    response
      .writeHead(spot.node ? 204 : 201, {
        "Content-Length": "0",
        ...(written?.kind === "file" ? { ETag: etagOf(written) } : {}),
      })
      .end();
  }

  private async delete(request: IncomingMessage, response: ServerResponse, target: Target): Promise<void> {
    const spot = this.spotOf(target);
    if (!target.node) throw new Status(404);
    if (target.node.kind === "dir" && depthOf(request, "infinity") !== "infinity") throw new Status(400);
    this.requireIf(request, target);
    this.requireUnlocked(request, [target.key], [parentKey(target.key)], [target.key]);
    await this.folder.remove(spot);
    this.locks.forget(target.key);
    this.properties.forget(target.key);
    response.writeHead(204).end();
  }

  private async makeCollection(request: IncomingMessage, response: ServerResponse, target: Target): Promise<void> {
    if (target.node) throw new Status(405);
    if (Number(request.headers["content-length"] ?? 0) > 0 || request.headers["transfer-encoding"] !== undefined)
      throw new Status(415);
    const spot = this.spotOf(target);
    this.requireIf(request, target);
    this.requireUnlocked(request, [target.key], [parentKey(target.key)]);
    await this.folder.makeDir(spot);
    response.writeHead(201, { "Content-Length": "0" }).end();
  }

  private async copyOrMove(
    request: IncomingMessage,
    response: ServerResponse,
    target: Target,
    isMove: boolean,
  ): Promise<void> {
    const source = target.node ?? fail(404);
    const depth = depthOf(request, "infinity");
    if (depth === "1" || (isMove && depth !== "infinity")) throw new Status(400);
    const to = this.targetOf(this.destinationOf(request));
    if (to.key === target.key || target.path.length === 0) throw new Status(403);
    if (isBelow(to.key, target.key) || isBelow(target.key, to.key)) throw new Status(403);
    const from = this.spotOf(target);
    const spot = this.spotOf(to);
    this.requireIf(request, target);
    const isThere = to.node !== null;
    if (isThere && (request.headers["overwrite"] ?? "T").toString().toUpperCase() === "F") throw new Status(412);
    this.requireUnlocked(
      request,
      isMove ? [target.key, to.key] : [to.key],
      [...(isMove ? [parentKey(target.key)] : []), parentKey(to.key)],
      isMove ? [target.key, to.key] : [to.key],
    );
    const isShallow = depth === "0";
    await (isMove ? this.folder.move([{ from, to: spot }]) : this.folder.copy(source, from.parent, spot, isShallow));
    if (isThere) this.properties.forget(to.key);
    this.properties.copy(target.key, to.key, !isShallow);
    if (isMove) {
      this.properties.forget(target.key);
      this.locks.forget(target.key);
    }
    response.writeHead(isThere ? 204 : 201, { "Content-Length": "0" }).end();
  }

  private destinationOf(request: IncomingMessage): string {
    const header = request.headers["destination"];
    if (typeof header !== "string") throw new Status(400);
    if (header.startsWith("/")) return header;
    let url: URL;
    try {
      url = new URL(header);
    } catch {
      throw new Status(400);
    }
    if (url.host !== request.headers.host) throw new Status(502);
    return pathnameOf(header);
  }

  private async findProperties(request: IncomingMessage, response: ServerResponse, target: Target): Promise<void> {
    const node = target.node ?? fail(404);
    const depth = depthOf(request, "infinity");
    const wanted = wantedOf(await readXml(request));
    response.writeHead(207, XML_HEADERS);
    response.write(`${XML_HEAD}<D:multistatus xmlns:D="DAV:">`);
    await this.describe(response, node, target.path, depth, wanted);
    response.end("</D:multistatus>");
  }

  private async describe(
    response: ServerResponse,
    node: Node,
    path: Path,
    depth: Depth,
    wanted: Wanted,
  ): Promise<void> {
    if (response.destroyed) return;
    if (!response.write(this.describeOne(node, path, wanted))) await new Promise((resolve) => setImmediate(resolve));
    if (node.kind !== "dir" || depth === "0") return;
    for (const child of this.folder.list(node)) {
      if (child.kind !== "link")
        await this.describe(response, child, [...path, child.name], depth === "1" ? "0" : depth, wanted);
    }
  }

  private describeOne(node: Node, path: Path, wanted: Wanted): string {
    const live = this.liveOf(node, path);
    const dead = this.properties.of(keyOfPath(path));
    const found: string[] = [];
    const missing: string[] = [];
    if (wanted.kind === "names") for (const name of live.keys()) found.push(`<D:${name}/>`);
    if (wanted.kind === "all") found.push(...live.values());
    if (wanted.kind !== "some")
      for (const [key, element] of dead) found.push(wanted.kind === "all" ? element : emptyElement(splitKey(key)));
    else
      for (const name of wanted.names) {
        const element =
          name.namespace === "DAV:" ? (live.get(name.name) ?? dead.get(keyOf(name))) : dead.get(keyOf(name));
        if (element === undefined) missing.push(emptyElement(name));
        else found.push(element);
      }
    const href = `${hrefOf(path)}${node.kind === "dir" && path.length > 0 ? "/" : ""}`;
    const part = (elements: readonly string[], status: string): string =>
      elements.length === 0
        ? ""
        : `<D:propstat><D:prop>${elements.join("")}</D:prop><D:status>HTTP/1.1 ${status}</D:status></D:propstat>`;
    return `<D:response><D:href>${href}</D:href>${part(found, "200 OK") || (missing.length === 0 ? EMPTY_PART : "")}${part(missing, "404 Not Found")}</D:response>`;
  }

  /** The properties the server knows by itself, as elements, by their names in `DAV:`. */
  private liveOf(node: Node, path: Path): ReadonlyMap<string, string> {
    const live = new Map<string, string>();
    const put = (name: string, content: string): void => void live.set(name, `<D:${name}>${content}</D:${name}>`);
    put("resourcetype", node.kind === "dir" ? "<D:collection/>" : "");
    put("displayname", escapeXml(printable(shownName(path.at(-1) ?? node.name))));
    put("creationdate", new Date(millisecondsOf(node)).toISOString());
    put("getlastmodified", httpDate(node));
    if (node.kind === "file") {
      put("getcontentlength", String(node.size));
      put("getcontenttype", escapeXml(typeOf(node)));
      put("getetag", escapeXml(etagOf(node)));
    }
    put("supportedlock", SUPPORTED_LOCK);
    put(
      "lockdiscovery",
      this.locks
        .covering(keyOfPath(path))
        .map((lock) => this.lockElement(lock))
        .join(""),
    );
    return live;
  }

  private async patchProperties(request: IncomingMessage, response: ServerResponse, target: Target): Promise<void> {
    if (!target.node) throw new Status(404);
    this.requireIf(request, target);
    this.requireUnlocked(request, [target.key]);
    const root = (await readXml(request)) ?? fail(400);
    if (!isDav(root, "propertyupdate")) throw new Status(400);
    const changes = childrenOf(root).flatMap((part): (readonly [PropertyName, string | null])[] => {
      const isSet = isDav(part, "set");
      if (!isSet && !isDav(part, "remove")) return [];
      return childrenOf(childNamed(part, "prop") ?? fail(400)).map(
        (element) => [localNameOf(element), isSet ? serialize(element) : null] as const,
      );
    });
    const refused = changes.filter(([name]) => name.namespace === "DAV:");
    const isDone =
      refused.length === 0 &&
      this.properties.set(
        target.key,
        changes.map(([name, element]) => [keyOf(name), element] as const),
      );
    const status = (name: PropertyName): string =>
      isDone
        ? "200 OK"
        : refused.some(([other]) => other === name)
          ? "403 Forbidden"
          : refused.length > 0
            ? "424 Failed Dependency"
            : "507 Insufficient Storage";
    const parts = changes
      .map(
        ([name]) =>
          `<D:propstat><D:prop>${emptyElement(name)}</D:prop><D:status>HTTP/1.1 ${status(name)}</D:status></D:propstat>`,
      )
      .join("");
    response.writeHead(207, XML_HEADERS);
    response.end(
      `${XML_HEAD}<D:multistatus xmlns:D="DAV:"><D:response><D:href>${hrefOf(target.path)}</D:href>${parts || EMPTY_PART}</D:response></D:multistatus>`,
    );
  }

  private async lock(request: IncomingMessage, response: ServerResponse, target: Target): Promise<void> {
    const seconds = timeoutOf(request);
    const body = await readXml(request);
    this.requireIf(request, target);
    if (!body) return this.refresh(request, response, target, seconds);
    if (!isDav(body, "lockinfo")) throw new Status(400);
    const scope = childNamed(body, "lockscope") ?? fail(400);
    const isShared = childNamed(scope, "shared") !== null;
    if (!isShared && !childNamed(scope, "exclusive")) throw new Status(400);
    if (!childNamed(childNamed(body, "locktype") ?? fail(400), "write")) throw new Status(422);
    const depth = depthOf(request, "infinity");
    if (depth === "1") throw new Status(400);
    const spot = target.node ? null : this.spotOf(target);
    if (spot) this.requireUnlocked(request, [], [parentKey(target.key)]);
    const owner = childNamed(body, "owner");
    const lock = this.locks.add(
      { path: target.key, isDeep: depth === "infinity", isShared, owner: owner ? innerXml(owner) : "" },
      seconds,
    );
    if (!lock) throw new Status(423, `${XML_HEAD}<D:error xmlns:D="DAV:"><D:no-conflicting-lock/></D:error>`);
    if (spot) await this.createEmpty(target.path, lock);
    response.writeHead(spot ? 201 : 200, { ...XML_HEADERS, "Lock-Token": `<${lock.token}>` });
    response.end(this.lockAnswer(lock));
  }

  /** A lock on a name that is free makes an empty file of it (RFC 4918 §7.3). */
  private async createEmpty(path: Path, lock: Lock): Promise<void> {
    try {
      await this.folder.finish(this.folder.begin(path, 0), path);
    } catch (error) {
      this.locks.remove(lock.token);
      throw error;
    }
  }

  private refresh(request: IncomingMessage, response: ServerResponse, target: Target, seconds: number): void {
    const tokens = tokensOf(request);
    const lock = this.locks.covering(target.key).find(({ token }) => tokens.has(token));
    if (!lock) throw new Status(412);
    this.locks.refresh(lock, seconds);
    response.writeHead(200, XML_HEADERS);
    response.end(this.lockAnswer(lock));
  }

  private lockAnswer(lock: Lock): string {
    return `${XML_HEAD}<D:prop xmlns:D="DAV:"><D:lockdiscovery>${this.lockElement(lock)}</D:lockdiscovery></D:prop>`;
  }

  private lockElement(lock: Lock): string {
    return (
      `<D:activelock><D:locktype><D:write/></D:locktype><D:lockscope><D:${lock.isShared ? "shared" : "exclusive"}/></D:lockscope><D:depth>${lock.isDeep ? "infinity" : "0"}</D:depth>` +
      `<D:owner>${lock.owner}</D:owner><D:timeout>Second-${lock.seconds}</D:timeout><D:locktoken><D:href>${lock.token}</D:href></D:locktoken><D:lockroot><D:href>${lock.path || "/"}</D:href></D:lockroot></D:activelock>`
    );
  }

  private unlock(request: IncomingMessage, response: ServerResponse, target: Target): void {
    const token = /^\s*<([^>]+)>\s*$/.exec(String(request.headers["lock-token"] ?? ""))?.[1] ?? fail(400);
    if (!this.locks.covering(target.key).some((lock) => lock.token === token))
      throw new Status(409, `${XML_HEAD}<D:error xmlns:D="DAV:"><D:lock-token-matches-request-uri/></D:error>`);
    this.locks.remove(token);
    response.writeHead(204).end();
  }

  /**
   * Every lock in the way must be held by whoever asks: on the resources themselves and above them, on the directories
   * whose members change, and below what goes as a whole.
   */
  private requireUnlocked(
    request: IncomingMessage,
    paths: readonly string[],
    parents: readonly string[] = [],
    wholes: readonly string[] = [],
  ): void {
    const tokens = tokensOf(request);
    const held = (locks: readonly Lock[]): boolean =>
      locks.length === 0 || locks.some(({ token }) => tokens.has(token));
    const inTheWay = [...paths, ...parents].find((path) => !held(this.locks.covering(path)));
    const below = wholes
      .flatMap((path) => this.locks.below(path))
      .find((lock) => !held(this.locks.covering(lock.path)));
    if (inTheWay === undefined && !below) return;
    throw new Status(
      423,
      `${XML_HEAD}<D:error xmlns:D="DAV:"><D:lock-token-submitted><D:href>${(inTheWay ?? below?.path) || "/"}</D:href></D:lock-token-submitted></D:error>`,
    );
  }

  /** If, If-Match, If-None-Match and If-Unmodified-Since. @throws Status 412 */
  private requireIf(request: IncomingMessage, target: Target): void {
    const { headers } = request;
    const etag = target.node?.kind === "file" ? etagOf(target.node) : null;
    const match = headers["if-match"];
    if (match !== undefined && !(target.node !== null && (match.trim() === "*" || hasEtag(match, etag))))
      throw new Status(412);
    const none = headers["if-none-match"];
    const isReading = request.method === "GET" || request.method === "HEAD";
    if (none !== undefined && !isReading && target.node !== null && (none.trim() === "*" || hasEtag(none, etag)))
      throw new Status(412);
    const since = headers["if-unmodified-since"];
    if (since !== undefined && target.node && Math.floor(millisecondsOf(target.node) / 1000) * 1000 > Date.parse(since))
      throw new Status(412);
    const given = headers["if"];
    if (typeof given !== "string") return;
    const lists = parseIf(given) ?? fail(400);
    if (!lists.some((list) => this.holds(list, target))) throw new Status(412);
  }

  private holds({ resource, conditions }: IfList, target: Target): boolean {
    const about = resource === null ? target : this.targetOrNull(resource);
    return conditions.every(({ isNot, token, etag }) => {
      const isSo =
        about !== null &&
        (token !== null
          ? this.locks.covering(about.key).some((lock) => lock.token === token)
          : about.node?.kind === "file" && etagOf(about.node) === etag);
      return isSo !== isNot;
    });
  }

  private targetOrNull(url: string): Target | null {
    try {
      return this.targetOf(url.startsWith("/") ? url : pathnameOf(url));
    } catch {
      return null;
    }
  }
}

type Wanted = { readonly kind: "all" | "names" } | { readonly kind: "some"; readonly names: readonly PropertyName[] };

function wantedOf(root: ReturnType<typeof parseXml> | null): Wanted {
  if (!root) return { kind: "all" };
  if (!isDav(root, "propfind")) throw new Status(400);
  if (childNamed(root, "propname")) return { kind: "names" };
  if (childNamed(root, "allprop")) return { kind: "all" };
  return { kind: "some", names: childrenOf(childNamed(root, "prop") ?? fail(400)).map(localNameOf) };
}

const XML_HEAD = '<?xml version="1.0" encoding="utf-8"?>\n';
const XML_HEADERS = { "Content-Type": 'application/xml; charset="utf-8"' };
const EMPTY_PART = "<D:propstat><D:prop/><D:status>HTTP/1.1 200 OK</D:status></D:propstat>";
const SUPPORTED_LOCK = ["exclusive", "shared"]
  .map(
    (scope) => `<D:lockentry><D:lockscope><D:${scope}/></D:lockscope><D:locktype><D:write/></D:locktype></D:lockentry>`,
  )
  .join("");

const STATUS: Readonly<Record<string, number>> = {
  "no-space": 507,
  "path-taken": 405,
  "not-found": 409,
  usage: 400,
  "no-permission": 403,
  damaged: 500,
};

function statusOf(error: unknown): number {
  return isEremosError(error) ? (STATUS[error.code] ?? 500) : 500;
}

function splitKey(key: string): PropertyName {
  const at = key.indexOf(" ");
  return { namespace: key.slice(0, at), name: key.slice(at + 1) };
}

function keyOfPath(path: Path): string {
  return path.length === 0 ? "" : hrefOf(path);
}

function parentKey(key: string): string {
  return key.slice(0, key.lastIndexOf("/"));
}

/** The path of an absolute URL as it was written, escapes and all. */
function pathnameOf(url: string): string {
  return /^[a-z]+:\/\/[^/?#]*([^?#]*)/i.exec(url)?.[1] || "/";
}

function typeOf(file: FileNode): string {
  return mime.getType(shownName(file.name)) ?? "application/octet-stream";
}

/** What XML 1.0 can't hold is left out. */
function printable(text: string): string {
  return [...text]
    .filter((letter) => letter >= " " || letter === "\t")
    .join("")
    .replaceAll("\uFFFE", "")
    .replaceAll("\uFFFF", "");
}

/** Null where there is no body. @throws Status 400 | 413 */
async function readXml(request: IncomingMessage): Promise<ReturnType<typeof parseXml> | null> {
  const pieces: Buffer[] = [];
  let length = 0;
  for await (const piece of request) {
    length += (piece as Buffer).length;
    if (length > MOST_XML_BYTES) throw new Status(413);
    pieces.push(piece as Buffer);
  }
  if (length === 0) return null;
  try {
    return parseXml(Buffer.concat(pieces).toString("utf8"));
  } catch (error) {
    if (error instanceof BadXml) throw new Status(400);
    throw error;
  }
}
