import { timingSafeEqual } from "node:crypto";
import { type IncomingMessage, type Server, createServer } from "node:http";
import { EremosError, holdPort, sha256 } from "@eremos/core";
import { accountBehind } from "../../peer";
import type { VisitedFolder } from "../visited-folder";
import { DavHandler } from "./handler";
import { said } from "@eremos/words/server/visit";

const HOST = "127.0.0.1";

export interface Credentials {
  readonly user: string;
  readonly password: string;
}

/** A visited folder as a drive, on a loopback port of its own: an origin that shares nothing with the page's. */
export function serveDav(
  folder: VisitedFolder,
  credentials: Credentials,
  onWrong: (account: number | null) => void = () => undefined,
): Promise<{ readonly server: Server; readonly port: number }> {
  const handler = new DavHandler(folder);
  const expected = sha256(
    Buffer.from(`Basic ${Buffer.from(`${credentials.user}:${credentials.password}`).toString("base64")}`),
  );
  let port = 0;
  const server = createServer({ requestTimeout: 0 }, (request, response) => {
    response.setHeader("X-Content-Type-Options", "nosniff");
    // Were a browser to show something of it, nothing in it could run, or reach anything.
    response.setHeader("Content-Security-Policy", "sandbox; default-src 'none'");
    response.setHeader("Cache-Control", "no-store");
    if (!isForUs(request, port)) return void response.writeHead(403).end();
    if (!timingSafeEqual(sha256(Buffer.from(request.headers.authorization ?? "")), expected)) {
      request.resume();
      // Programs ask without a password first, to be told that it takes one.
      if (request.headers.authorization !== undefined) onWrong(accountBehind(request.socket));
      return void response
        .writeHead(401, { "WWW-Authenticate": 'Basic realm="Eremos", charset="UTF-8"', "Content-Length": "0" })
        .end();
    }
    void handler.handle(request, response);
  });
  return new Promise((resolve, reject) => {
    server.once("error", reject);
    const held = holdPort(HOST, 0);
    if (typeof held !== "object") return reject(new EremosError("io", said("no-free-port-for-drive")));
    ({ port } = held);
    server.listen({ fd: held.fd }, () => resolve({ server, port }));
  });
}

/** It names this server as its host (DNS rebinding gets nothing), and no web page sent it. */
function isForUs({ headers }: IncomingMessage, port: number): boolean {
  if (headers.host !== `${HOST}:${port}` && headers.host !== `localhost:${port}`) return false;
  const site = headers["sec-fetch-site"];
  return headers.origin === undefined && (site === undefined || site === "none");
}
