import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { OTHER } from "../../core/test/accounts";
import { CLI, CommandLine, PASSWORD } from "./command-line";

const cli = new CommandLine();
const config = path.join(cli.base, "config");
let server: ChildProcess;
let address = "";
let session = { tab: "", cookie: "" };

beforeAll(async () => {
  expect(cli.run(["setup"], PASSWORD).status).toBe(0);
  await start();
});
afterAll(async () => {
  await stop();
  cli.remove();
});

function start(): Promise<void> {
  server = spawn("node", [CLI, "serve"], { env: { ...cli.env, EREMOS_PORT: "0", XDG_CONFIG_HOME: config }, stdio: ["ignore", "ignore", "pipe"] });
  return new Promise((resolve) => {
    server.stderr?.on("data", (part) => {
      address = /Eremos is at (http:\S+)/.exec(String(part))?.[1] ?? address;
      if (address !== "") resolve();
    });
  });
}

async function stop(): Promise<void> {
  const ended = new Promise((resolve) => server.once("exit", resolve));
  server.kill();
  await ended;
  address = "";
}

interface Answer {
  readonly status: number;
  readonly body: { readonly tab?: string; readonly stays?: boolean; readonly error?: { readonly code: string } };
}

async function call(name: string, body: object = {}): Promise<Answer> {
  const answer = await fetch(`${address}/api/${name}`, { method: "POST", headers: { "content-type": "application/json", origin: address, cookie: session.cookie, "x-eremos-tab": session.tab }, body: JSON.stringify(body) });
  const read = (await answer.json()) as Answer["body"];
  if (read.tab) session = { tab: read.tab, cookie: answer.headers.getSetCookie()[0]?.split(";")[0] ?? "" };
  return { status: answer.status, body: read };
}

/** The same call from a program of another account of this computer. */
function callAsAnother(name: string): Answer {
  const script = `fetch(${JSON.stringify(`${address}/api/${name}`)}, { method: "POST", headers: { "content-type": "application/json", origin: ${JSON.stringify(address)} }, body: "{}" }).then(async (answer) => console.log(JSON.stringify({ status: answer.status, body: await answer.json() })))`;
  return JSON.parse(spawnSync(process.execPath, ["-e", script], { uid: OTHER, gid: OTHER, cwd: "/", encoding: "utf8" }).stdout) as Answer;
}

const files = (): string[] => (fs.existsSync(path.join(config, "eremos")) ? fs.readdirSync(path.join(config, "eremos")) : []);

it("stays signed in over a restart, for this account's programs alone, until that is turned off", async () => {
  await call("sign-in", { password: PASSWORD });
  expect((await call("stay/set", { current: "not this one at all" })).body.error?.code).toBe("wrong-password");
  expect(files()).toEqual([]);
  await new Promise((resolve) => setTimeout(resolve, 1100));
  expect((await call("stay/set", { current: PASSWORD })).status).toBe(200);
  const [file = ""] = files();
  const kept = path.join(config, "eremos", file);
  expect([fs.statSync(kept).mode & 0o777, fs.statSync(path.dirname(kept)).mode & 0o777]).toEqual([0o600, 0o700]);
  const { rootKey } = JSON.parse(fs.readFileSync(kept, "utf8")) as { rootKey: string };
  for (const name of fs.readdirSync(cli.data, { recursive: true, encoding: "utf8" }).filter((one) => fs.statSync(path.join(cli.data, one)).isFile())) {
    const bytes = fs.readFileSync(path.join(cli.data, name));
    expect(bytes.includes(rootKey) || bytes.includes(Buffer.from(rootKey, "base64url"))).toBe(false);
  }

  await stop();
  await start();
  session = { tab: "", cookie: "" };
  expect((await call("folders")).status).toBe(401);
  expect((await call("state")).body.stays).toBe(true);
  if (process.getuid?.() === 0) {
    expect(callAsAnother("state").body.stays).toBe(false);
    expect(callAsAnother("stay/return")).toMatchObject({ status: 409, body: { error: { code: "needs-sign-in" } } });
  }
  expect((await call("stay/return")).status).toBe(200);
  expect((await call("folders")).status).toBe(200);

  await call("sign-out");
  expect((await call("state")).body.stays).toBe(false);
  expect((await call("stay/return")).body.error?.code).toBe("needs-sign-in");
  await call("sign-in", { password: PASSWORD });
  expect((await call("stay/set", { current: null })).status).toBe(200);
  expect(files()).toEqual([]);
});

it("does not use a key that others could read or have put there", async () => {
  await call("sign-in", { password: PASSWORD });
  await call("stay/set", { current: PASSWORD });
  const kept = path.join(config, "eremos", files()[0] ?? "");
  const written = fs.readFileSync(kept, "utf8");
  for (const spoil of [() => fs.chmodSync(kept, 0o644), () => fs.writeFileSync(kept, written.replace(/"rootKey":"..../, '"rootKey":"AAAA')), () => fs.writeFileSync(kept, "no JSON")]) {
    fs.writeFileSync(kept, written);
    fs.chmodSync(kept, 0o600);
    spoil();
    await stop();
    await start();
    session = { tab: "", cookie: "" };
    expect((await call("stay/return")).body.error?.code).toBe("needs-sign-in");
  }
});
