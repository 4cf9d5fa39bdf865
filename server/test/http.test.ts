import { randomBytes } from "node:crypto";
import * as http from "node:http";
import { type AddressInfo, type Server, createServer } from "node:net";
import { once } from "node:events";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { CALL_TYPE, encodeCall } from "../src/call-body";
import { CALLS } from "../src/calls";
import { type SessionServer, openSession } from "../src/http/session-server";
import { PASSWORD, TestHouse } from "./house";

/** The server's HTTP half, asked as a hostile page or program would: by connections, with exactly these headers. */
const HOST = "eremos-0123456789abcdef012.localhost:8000";
const ORIGIN = `http://${HOST}`;

interface Reply {
  readonly status: number;
  readonly body: string;
  readonly headers: http.IncomingHttpHeaders;
}
interface Asked {
  readonly method?: string;
  readonly headers?: Readonly<Record<string, string | undefined>>;
  readonly body?: string | Uint8Array;
}

let house: TestHouse;
let session: SessionServer;
let doors: Server;
let over = 0;

beforeAll(async () => {
  house = await TestHouse.make();
  doors = createServer((socket) => session.receive(socket));
  doors.listen(0, "127.0.0.1");
  await once(doors, "listening");
  session = await openSession(
    {
      settings: house.eremos.settings,
      development: false,
      record: { port: (doors.address() as AddressInfo).port, host: HOST, secret: randomBytes(32).toString("hex") },
      carried: { isFirst: false, stayPaused: false },
    },
    { over: () => over++, cancel: () => undefined, drives: () => Promise.resolve() },
  );
});
afterAll(async () => {
  await session.stop();
  doors.close();
  house.remove();
});

function ask(path: string, { method = "POST", headers = {}, body = encodeCall({}) }: Asked = {}): Promise<Reply> {
  const given: Record<string, string | undefined> = { host: HOST, origin: ORIGIN, "content-type": CALL_TYPE };
  for (const [name, value] of Object.entries(headers)) given[name.toLowerCase()] = value;
  return new Promise((resolve, reject) => {
    const { port } = doors.address() as AddressInfo;
    const asking = http.request({ host: "127.0.0.1", port, path, method, setHost: false, agent: false });
    for (const [name, value] of Object.entries(given)) if (value !== undefined) asking.setHeader(name, value);
    asking.on("error", reject);
    asking.on("response", (response) => {
      let text = "";
      const end = (): void => resolve({ status: response.statusCode ?? 0, body: text, headers: response.headers });
      response.on("data", (part: Buffer) => {
        text += part.toString("latin1");
        // A stream has no end.
        if (response.headers["content-type"] !== "text/event-stream") return;
        end();
        response.destroy();
      });
      response.on("end", end);
    });
    asking.end(method === "POST" ? body : undefined);
  });
}

/** What a browser is that has signed in: its cookie, and the token of its tab. */
async function signedIn(): Promise<{ readonly cookie: string; readonly tab: string }> {
  const reply = await ask("/api/sign-in", { body: encodeCall({ password: PASSWORD }) });
  expect(reply.status).toBe(200);
  const [set = ""] = reply.headers["set-cookie"] ?? [];
  expect(set).toMatch(/^eremos=[\w-]+; HttpOnly; SameSite=Strict; Path=\/$/);
  return { cookie: set.split(";")[0] ?? "", tab: (JSON.parse(reply.body) as { readonly tab: string }).tab };
}

describe("long looks", () => {
  it("hold up nobody: the page's other calls are answered while a large folder is planned", async () => {
    const large = path.join(house.world, "Large");
    for (let i = 0; i < 40_000; i++) {
      const directory = path.join(large, `d${Math.floor(i / 1000)}`);
      if (i % 1000 === 0) fs.mkdirSync(directory, { recursive: true });
      fs.closeSync(fs.openSync(path.join(directory, `file ${i}`), "w"));
    }
    const { cookie, tab } = await signedIn();
    const headers = { cookie, "x-eremos-tab": tab };
    let isPlanned = false;
    const plan = ask("/api/plan", {
      headers,
      body: encodeCall({ path: large, guard: "sealed", visibility: "hidden" }),
    }).then((reply) => {
      isPlanned = true;
      return reply;
    });
    for (const call of ["state", "folders", "jobs"]) {
      expect((await ask(`/api/${call}`, { headers })).status).toBe(200);
      expect(isPlanned, call).toBe(false);
    }
    const { status, body } = await plan;
    expect([status, JSON.parse(body)]).toMatchObject([200, { files: 40_000, refusal: null }]);
    fs.rmSync(large, { recursive: true });
  });
});

describe("a request", () => {
  it("under any other name than that of this start gets one answer, whatever it asks for, with nothing to type into", async () => {
    expect((await ask("/api/state")).status).toBe(200);
    const { port } = doors.address() as AddressInfo;
    for (const host of [
      undefined,
      "evil.example",
      `evil.example:${port}`,
      `127.0.0.1:${port}`,
      `[::1]:${port}`,
      `localhost:${port}`,
      "eremos-0123456789abcdef012.localhost",
      "eremos-0000000000000000000.localhost:8000",
      HOST.toUpperCase(),
    ]) {
      for (const [path, method] of [
        ["/api/state", "POST"],
        ["/", "GET"],
        ["/api/events", "GET"],
        ["/api/visit/upload", "POST"],
      ] as const) {
        const { status, body } = await ask(path, { method, headers: { host, origin: `http://${host}` } });
        // Without any name it is no request of HTTP.
        expect([host, path, status]).toEqual([host, path, host === undefined ? 400 : 421]);
        expect(body).not.toMatch(/<input|<script|<a |href|setUp/);
      }
    }
  });

  it("that another site made is refused, and one that changes something and does not say where it comes from", async () => {
    for (const headers of [
      { origin: "http://evil.example" },
      { origin: "null" },
      { origin: undefined },
      { origin: "http://127.0.0.1:1" },
      { origin: `https://${HOST}` },
      { "sec-fetch-site": "cross-site" },
      { "sec-fetch-site": "same-site" },
    ]) {
      const { status, body } = await ask("/api/state", { headers });
      expect([headers, status]).toEqual([headers, 403]);
      expect(body).not.toContain("setUp");
    }
    for (const site of ["cross-site", "same-site"])
      expect(
        (
          await ask("/api/events", {
            method: "GET",
            headers: { origin: undefined, "sec-fetch-site": site, "sec-fetch-dest": "image" },
          })
        ).status,
      ).toBe(403);
  });

  it("of any other kind than GET, HEAD and POST is refused, and a call by GET is none", async () => {
    for (const method of ["PUT", "DELETE", "OPTIONS", "PATCH", "TRACE", "PROPFIND"])
      expect([method, (await ask("/api/state", { method })).status]).toEqual([method, 403]);
    expect((await ask("/api/state", { method: "GET" })).status).toBe(404);
  });

  it("at an address that makes no sense is told so, or that there is nothing", async () => {
    for (const path of ["//evil.example/", "http://evil.example/", "*", "/%ff", "/api/%E0%A4%A"])
      expect([path, (await ask(path)).status]).toEqual([path, 400]);
    for (const name of ["constructor", "__proto__", "toString", "nothing", "state/", "%73tate"])
      expect([name, (await ask(`/api/${name}`)).status]).toEqual([name, 404]);
  });

  it("gets no answer that another page could frame, sniff or tell where it came from", async () => {
    const { headers } = await ask("/api/state");
    expect(headers).toMatchObject({
      "x-content-type-options": "nosniff",
      "x-frame-options": "DENY",
      "referrer-policy": "no-referrer",
      "cross-origin-opener-policy": "same-origin",
      "cross-origin-resource-policy": "same-origin",
      "cache-control": "no-store",
    });
    expect(headers["content-security-policy"]).toContain("default-src 'none'");
    expect(headers["content-security-policy"]).toContain("frame-ancestors 'none'");
    expect(headers["access-control-allow-origin"]).toBeUndefined();
  });
});

describe("a call's body", () => {
  it("is looked at only where it says that it is a call, is whole, has up to 1 MiB, and nothing that the call does not know", async () => {
    for (const type of ["text/plain", "application/x-www-form-urlencoded", "multipart/form-data", undefined])
      expect((await ask("/api/state", { headers: { "content-type": type } })).status).toBe(400);
    for (const body of ["not json", "", "[]", "null", new Uint8Array([0xff, 0xfe])])
      expect((await ask("/api/hello", { body })).status).toBe(400);
    for (const body of ["{}".padEnd(1_100_000), encodeCall({ more: "than it asks" })]) {
      const refused = await ask("/api/state", { body });
      expect(refused.status).toBe(400);
      expect(JSON.parse(refused.body)).toMatchObject({ error: { code: "usage" } });
    }
    expect((await ask("/api/state", { body: "{}".padEnd(1_000_000) })).status).toBe(200);
  });
});

describe("a session", () => {
  it("is needed by every call but those that are named here, its cookie and its tab's token both", async () => {
    const { cookie, tab } = await signedIn();
    const other = await signedIn();
    const names = (may: string): string[] =>
      Object.entries(CALLS).flatMap(([name, { who }]) => (who === may ? [name] : []));
    const closed = names("owner");
    expect(closed.length).toBeGreaterThan(50);
    expect(names("anybody").sort()).toEqual([
      "code/check",
      "forgotten",
      "gate/close-up",
      "hello",
      "pin/return",
      "rescue-files",
      "return",
      "scan",
      "scan/start",
      "scan/stop",
      "setup/begin",
      "setup/finish",
      "shares/look",
      "sheet",
      "sign-in",
      "slot",
      "state",
      "stay/return",
    ]);
    const halves: Asked["headers"][] = [
      {},
      { cookie },
      { "x-eremos-tab": tab },
      { cookie, "x-eremos-tab": other.tab },
      { cookie: "eremos=", "x-eremos-tab": tab },
      { cookie: `other=${cookie.split("=")[1]}`, "x-eremos-tab": tab },
    ];
    for (const name of closed)
      for (const headers of halves)
        expect([name, headers, (await ask(`/api/${name}`, { headers: headers ?? {} })).status]).toEqual([
          name,
          headers,
          401,
        ]);
    for (const planted of [cookie, `eremos=planted; ${cookie}`])
      expect((await ask("/api/folders", { headers: { cookie: planted, "x-eremos-tab": tab } })).status).toBe(200);
  });

  it("hears what changes, and at the gate only that something has", async () => {
    const { cookie, tab } = await signedIn();
    const stream = (headers: Asked["headers"]): Promise<Reply> =>
      ask("/api/events", { method: "GET", headers: { origin: undefined, ...headers } });
    expect((await stream({ cookie })).body).toContain('{"signedIn":false}');
    expect((await stream({ cookie, "x-eremos-tab": tab })).body).toContain('{"signedIn":true}');
  });

  it("is over for all its tabs with the sign-out, and its process gets no other", async () => {
    const { cookie, tab } = await signedIn();
    const other = await signedIn();
    expect((await ask("/api/sign-out", { headers: { cookie, "x-eremos-tab": tab } })).status).toBe(200);
    expect(over).toBe(1);
    for (const one of [{ cookie, tab }, other])
      expect((await ask("/api/folders", { headers: { cookie: one.cookie, "x-eremos-tab": one.tab } })).status).toBe(
        401,
      );
    expect((await ask("/api/sign-in", { body: encodeCall({ password: PASSWORD }) })).status).not.toBe(200);
  });
});
