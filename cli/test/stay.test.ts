import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { OTHER } from "../../core/test/support/accounts";
import { CommandLine, PASSWORD } from "./command-line";
import { type Answer, RunningServer } from "./running-server";

const cli = new CommandLine();
const config = path.join(cli.base, "config");
const server = new RunningServer(cli, { XDG_CONFIG_HOME: config });
const call = (name: string, body: object = {}): Promise<Answer> => server.call(name, body);

beforeAll(async () => {
  await cli.setUp();
  await server.start();
});
afterAll(async () => {
  await server.stop();
  cli.remove();
});

async function restart(): Promise<void> {
  await server.stop();
  await server.start();
}

/** The same call from a program of another account of this computer, which knows the address. */
function callAsAnother(name: string): number {
  const { host, port } = new URL(server.address);
  const script = `require("node:http").request({ host: "127.0.0.1", port: ${port}, path: "/api/${name}", method: "POST", headers: { host: "${host}", origin: "${server.address}", "content-type": "application/x-eremos-call" } }, (answer) => console.log(answer.statusCode)).end("{}")`;
  return Number(
    spawnSync(process.execPath, ["-e", script], { uid: OTHER, gid: OTHER, cwd: "/", encoding: "utf8" }).stdout,
  );
}

const files = (): string[] =>
  fs.existsSync(path.join(config, "eremos")) ? fs.readdirSync(path.join(config, "eremos")) : [];

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
  for (const name of fs
    .readdirSync(cli.data, { recursive: true, encoding: "utf8" })
    .filter((one) => fs.statSync(path.join(cli.data, one)).isFile())) {
    const bytes = fs.readFileSync(path.join(cli.data, name));
    expect(bytes.includes(rootKey) || bytes.includes(Buffer.from(rootKey, "base64url"))).toBe(false);
  }

  await restart();
  expect((await call("folders")).status).toBe(401);
  expect((await call("state")).body.stays).toBe(true);
  if (process.getuid?.() === 0) {
    expect([callAsAnother("state"), callAsAnother("stay/return")]).toEqual([403, 403]);
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
  for (const spoil of [
    () => fs.chmodSync(kept, 0o644),
    () => fs.writeFileSync(kept, written.replace(/"rootKey":"..../, '"rootKey":"AAAA')),
    () => fs.writeFileSync(kept, "no JSON"),
  ]) {
    fs.writeFileSync(kept, written);
    fs.chmodSync(kept, 0o600);
    spoil();
    await restart();
    expect((await call("stay/return")).body.error?.code).toBe("needs-sign-in");
  }
});
