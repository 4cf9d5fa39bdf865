import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as net from "node:net";
import * as os from "node:os";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { ask } from "./ask";
import { CLI, CommandLine, PASSWORD } from "./command-line";
import { withDescendants } from "./process-memory";
import { BOUND } from "./taking";
import { RunningServer } from "./running-server";

const OTHER = 65_534;
const withAccounts = it.runIf(process.getuid?.() === 0);

let cli: CommandLine;
let server: RunningServer;
const others: ChildProcess[] = [];
beforeEach(() => {
  cli = new CommandLine();
  server = new RunningServer(cli, { EREMOS_PORT: "" });
});
afterEach(async () => {
  for (const one of others.splice(0)) one.kill("SIGKILL");
  await server.stop();
  cli.remove();
});

const portOf = (address: string): number => Number(new URL(address).port);

/** Another account's program, which says a line when it is ready. */
async function another(script: string): Promise<ChildProcess> {
  const program = spawn(process.execPath, ["-e", script], {
    uid: OTHER,
    gid: OTHER,
    cwd: "/",
    stdio: ["ignore", "pipe", "ignore"],
  });
  others.push(program);
  await new Promise((resolve, reject) => {
    program.stdout.once("data", resolve);
    program.once("exit", () => reject(new Error("it ended")));
  });
  return program;
}

function asAnother(script: string): string {
  return spawnSync(process.execPath, ["-e", script], { uid: OTHER, gid: OTHER, cwd: "/", encoding: "utf8" }).stdout;
}

withAccounts(
  "another account that knows the whole address gets one answer to every call, over 127.0.0.1 and [::1], and changes nothing",
  async () => {
    await server.start();
    const { host, port } = new URL(server.address);
    for (const at of ["127.0.0.1", "::1"]) {
      for (const [name, body] of [
        ["setup/begin", { password: "chosen by somebody else", hint: null }],
        ["sign-in", { password: PASSWORD }],
        ["pin/return", { pin: "" }],
        ["stay/return", {}],
        ["forgotten", { secret: { kind: "code", code: "x" }, password: "another one of mine", hint: null }],
        ["return", { path: "/", secret: { kind: "password", password: "x" }, password: null, hint: null }],
        ["state", {}],
        ["scan/start", { places: null }],
        ["hello", { nonce: "0".repeat(64) }],
        ["gate/close-up", {}],
      ] as const) {
        const headers = { host, origin: server.address, "content-type": "application/x-eremos-call" };
        const said = asAnother(
          `require("node:http").request({ host: "${at}", port: ${port}, path: "/api/${name}", method: "POST", headers: ${JSON.stringify(headers)} }, (answer) => { let text = ""; answer.on("data", (part) => (text += part)).on("end", () => console.log(answer.statusCode + " " + text)); }).on("error", (error) => console.log(error.code)).end(${JSON.stringify(JSON.stringify(body))})`,
        );
        expect(said, `${at} ${name}`).toBe(
          "403 This Eremos belongs to another account of this computer. Nothing here is for yours: start your own from the applications menu.\n\n",
        );
      }
      expect((await ask(server.address, "/api/state", { at })).status).toBe(200);
    }
    expect((await server.call("state")).body).toMatchObject({ setUp: false, failedTries: 0, waitMs: 0 });
    expect(fs.existsSync(path.join(cli.data, "owner.json"))).toBe(false);
  },
);

withAccounts(
  "another account that was sent away is in the history, by its name, as one entry for many tries",
  async () => {
    await cli.setUp();
    await server.start();
    for (let i = 0; i < 3; i++)
      asAnother(
        `require("node:net").connect(${portOf(server.address)}, "127.0.0.1", () => undefined).on("close", () => process.exit()).on("error", () => undefined).resume()`,
      );
    const told = () =>
      cli
        .json<{ events: { kind: string; count: number; account: unknown; signedIn: boolean }[] }>(
          ["activity"],
          PASSWORD,
        )
        .body.events.filter(({ kind }) => kind === "stranger");
    await expect.poll(told, { timeout: 20_000, interval: 500 }).not.toEqual([]);
    await server.stop();
    const strangers = told();
    expect(strangers.reduce((sum, { count }) => sum + count, 0)).toBe(3);
    expect(strangers.length).toBeLessThanOrEqual(2);
    expect(strangers[0]).toMatchObject({ account: { uid: OTHER, name: "nobody" }, signedIn: false });
  },
);

withAccounts("a thousand connections that another account opens and holds keep nobody out", async () => {
  await server.start();
  await another(
    `const net = require("node:net"); let open = 0; const more = () => { const one = net.connect(${portOf(server.address)}, "127.0.0.1"); one.on("error", () => undefined); one.on("close", () => undefined); }; for (let i = 0; i < 1000; i++) more(); setInterval(() => { for (let i = 0; i < 20; i++) more(); }, 20); setTimeout(() => console.log("open"), 500);`,
  );
  for (let i = 0; i < 5; i++) expect((await server.call("state")).status).toBe(200);
});

withAccounts(
  "a port that another account holds on [::1] alone is not ours: Eremos finds another by itself, and keeps that; a chosen one is refused without an address",
  async () => {
    await server.start();
    const first = portOf(server.address);
    await server.stop();
    const thief = await another(
      `require("node:net").createServer().listen(${first}, "::1", () => console.log("listening"))`,
    );
    await server.start();
    const second = portOf(server.address);
    expect(second).not.toBe(first);
    await server.stop();
    thief.kill("SIGKILL");
    await server.start();
    expect(portOf(server.address)).toBe(second);
    await server.stop();
    await another(`require("node:net").createServer().listen(${second}, "::1", () => console.log("listening"))`);
    cli.env["EREMOS_PORT"] = String(second);
    const refused = cli.run(["serve"]);
    expect([refused.status, refused.stderr]).toEqual([
      4,
      expect.stringMatching(/somebody else's.*Don't type a password there/),
    ]);
    expect(refused.stderr).not.toContain("http");
  },
);

it("one that runs already is told as yours, after a proof, without an address; its host is another at each start", async () => {
  await server.start();
  const first = new URL(server.address);
  expect(first.hostname).toMatch(/^eremos-[0-9a-f]{20}\.localhost$/);
  const refused = cli.run(["serve"]);
  expect([refused.status, refused.stderr]).toEqual([4, expect.stringContaining("Your Eremos is running already")]);
  expect(refused.stderr).not.toContain("http");
  await server.stop();
  await server.start();
  const second = new URL(server.address);
  expect([second.port, second.hostname === first.hostname]).toEqual([first.port, false]);
});

it("for browsers without names below .localhost: 127.0.0.1, at another port each time, and only that", async () => {
  server = new RunningServer(cli, { EREMOS_PORT: "", EREMOS_ADDRESS: "plain" });
  await server.start();
  const first = new URL(server.address);
  expect(first.hostname).toBe("127.0.0.1");
  expect((await ask(server.address, "/api/state")).status).toBe(200);
  expect(
    (
      await ask(server.address, "/api/state", {
        headers: { host: `localhost:${first.port}`, origin: `http://localhost:${first.port}` },
      })
    ).status,
  ).toBe(421);
  await server.stop();
  await server.start();
  expect(new URL(server.address).port).not.toBe(first.port);
});

it("a connection that sends no whole request in time is ended, and open ones do not hold up a stop", async () => {
  await server.start();
  const slow = raw("GET / HTTP/1.1\r\nHost: x", 25_000);
  const idle = raw("", 60_000);
  expect(await slow).toMatch(/^(?:HTTP\/1\.1 408|HTTP\/1\.1 400|$)/);
  await server.stop();
  expect(await idle).not.toContain("still open");
});

/**
 * Whether another account gets a port, as programs ask for one (with SO_REUSEADDR), or in the way that is refused the
 * least.
 */
function takes(port: number, host: string): boolean {
  const listening = asAnother(
    `require("node:net").createServer().on("error", () => process.exit()).listen(${port}, "${host}", () => { console.log("taken"); process.exit(); })`,
  );
  const bound = asAnother(`${BOUND} console.log(bound && bound("${host}", ${port}) >= 0 ? "taken" : "")`);
  return listening.includes("taken") || bound.includes("taken");
}

withAccounts(
  "the process at the doors killed, no other account takes its port while the session's lives; the session's killed, none takes that of a visit's drive while the one at the doors lives",
  async () => {
    await cli.setUp();
    const folder = cli.makeFolder("Letters");
    expect(cli.run(["lock", folder]).status).toBe(0);
    await server.start();
    const [doors = 0, session = 0] = withDescendants(server.pid);
    expect((await server.call("sign-in", { password: PASSWORD })).status).toBe(200);
    const { url } = (await server.call("visit/start", { folder, minutes: null, accept: [], secret: null }))
      .body as unknown as { readonly url: string };
    const drive = Number(new URL(url).port);
    const port = portOf(server.address);
    // Stopped, neither can do anything about it any more.
    process.kill(doors, "SIGSTOP");
    process.kill(session, "SIGKILL");
    await vi.waitFor(() => expect(withDescendants(doors)).toEqual([doors]), { timeout: 10_000 }).catch(() => undefined);
    expect([takes(drive, "127.0.0.1"), takes(port, "127.0.0.1"), takes(port, "::1")]).toEqual([false, false, false]);
    process.kill(doors, "SIGCONT");
    await server.ended;
    expect(takes(drive, "127.0.0.1")).toBe(true);

    await server.start();
    const [again = 0, next = 0] = withDescendants(server.pid);
    const second = portOf(server.address);
    process.kill(next, "SIGSTOP");
    process.kill(again, "SIGKILL");
    await server.ended;
    expect([takes(second, "127.0.0.1"), takes(second, "::1")]).toEqual([false, false]);
    process.kill(next, "SIGCONT");
    await vi.waitFor(() => expect(() => process.kill(next, 0)).toThrow(), { timeout: 30_000 });
    expect(takes(second, "::1")).toBe(true);
  },
);

withAccounts(
  "no other program of the account reads the memory of a running Eremos, or makes a copy of it; its database and log are its own",
  async () => {
    const home = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-other-"));
    fs.chownSync(home, OTHER, OTHER);
    const env = {
      ...cli.env,
      HOME: home,
      EREMOS_DATA: path.join(home, "data"),
      EREMOS_PLACES: home,
      XDG_CONFIG_HOME: path.join(home, "config"),
      EREMOS_PORT: "0",
    };
    const program = spawn(process.execPath, [CLI, "serve"], {
      uid: OTHER,
      gid: OTHER,
      cwd: "/",
      env,
      stdio: ["ignore", "ignore", "pipe"],
    });
    others.push(program);
    try {
      await new Promise((resolve) => program.stderr.once("data", resolve));
      // The system gives such a process to the administrator.
      const processes = withDescendants(program.pid ?? 0);
      expect(processes).toHaveLength(2);
      for (const pid of processes) {
        expect(fs.statSync(`/proc/${pid}/mem`).uid).toBe(0);
        expect(
          asAnother(
            `try { require("node:fs").openSync("/proc/${pid}/mem", "r"); console.log("open"); } catch (error) { console.log(error.code); }`,
          ).trim(),
        ).toBe("EACCES");
      }
      for (const name of fs.readdirSync(path.join(home, "data"))) {
        const stat = fs.statSync(path.join(home, "data", name));
        expect([name, stat.mode & 0o077]).toEqual([name, 0]);
      }
    } finally {
      program.kill("SIGKILL");
      await new Promise((resolve) => program.once("exit", resolve));
      fs.rmSync(home, { recursive: true, force: true });
    }
  },
);

/** Bytes as they are, on a connection of their own; what comes back before it ends. */
function raw(bytes: string, patienceMs = 5000): Promise<string> {
  return new Promise((resolve) => {
    const socket = net.connect(portOf(server.address), "127.0.0.1", () => socket.write(bytes));
    let got = "";
    const patience = setTimeout(() => {
      got += "(still open)";
      socket.destroy();
    }, patienceMs);
    socket.on("data", (part) => (got += String(part)));
    socket.on("error", () => undefined);
    socket.on("close", () => {
      clearTimeout(patience);
      resolve(got);
    });
  });
}

it("requests that make no sense get an answer or an end, tell no stack, and the next one is answered", async () => {
  await server.start();
  const { host } = new URL(server.address);
  const asked = (line: string, more = ""): string =>
    `${line} HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n${more}\r\n`;
  for (const bytes of [
    asked("GET //["),
    asked("GET //"),
    asked("GET /folders/%"),
    asked("GET http://[/"),
    asked("GET /%E0%A4%A"),
    asked("OPTIONS *"),
    asked("GET /a\nb"),
    asked("PRI *"),
    "\r\n\r\n\r\nxx\r\n",
    asked("GET /\u0000"),
    asked("GET /api/visit/contents/%/%"),
    asked("GET /api/events/%"),
    asked("POST /api/state", "Content-Length: 5\r\nContent-Length: 6\r\n"),
    asked("GET /", `Cookie: ${"eremos=x; ".repeat(1500)}\r\n`),
    asked("GET /", `X: ${"y".repeat(40_000)}\r\n`),
    asked(
      "GET /_next/webpack-hmr",
      "Upgrade: websocket\r\nConnection: Upgrade\r\nOrigin: http://evil.example\r\nSec-WebSocket-Key: x3JJHMbDL1EzLkh9GBhXDw==\r\nSec-WebSocket-Version: 13\r\n",
    ),
  ]) {
    const got = await raw(bytes);
    expect(got, JSON.stringify(bytes.slice(0, 80))).not.toMatch(
      /\.(?:ts|js|mjs):\d|at [A-Za-z.]+ \(|still open|101 Switching/,
    );
    expect((await server.call("state")).status).toBe(200);
  }
});
