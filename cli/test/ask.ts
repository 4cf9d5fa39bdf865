import { CALL_TYPE } from "../../server/src/call-body";
import { type IncomingHttpHeaders, request } from "node:http";

export interface Reply {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
  readonly body: string;
}

/**
 * A request to an address of Eremos, by the port: names below `.localhost` are known to browsers alone. Its own page's
 * headers unless others are given, or none (undefined).
 */
export function ask(
  address: string,
  path: string,
  {
    method = "POST",
    body = "{}",
    headers = {},
    at = "127.0.0.1",
  }: {
    readonly method?: string;
    readonly body?: string | Uint8Array;
    readonly headers?: Readonly<Record<string, string | undefined>>;
    readonly at?: string;
  } = {},
): Promise<Reply> {
  const { host, port } = new URL(address);
  const own = { host, ...(method === "POST" ? { origin: address, "content-type": CALL_TYPE } : {}) };
  return new Promise((resolve, reject) => {
    // A connection of its own: one that was kept may end with a session at the very moment it is used again.
    const asked = request(
      {
        host: at,
        port,
        path,
        method,
        agent: false,
        setHost: false,
        headers: Object.fromEntries(Object.entries({ ...own, ...headers }).filter(([, value]) => value !== undefined)),
      },
      (response) => {
        let text = "";
        response.on("data", (part) => (text += String(part)));
        response.on("end", () => resolve({ status: response.statusCode ?? 0, headers: response.headers, body: text }));
      },
    );
    asked.on("error", reject);
    asked.end(method === "POST" ? body : undefined);
  });
}
