import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, expect, it, vi } from "vitest";
import { snapshot } from "../../core/test/world";
import { CommandLine, PASSWORD } from "./command-line";
import { withDescendants } from "./process-memory";
import { RunningServer } from "./running-server";

const cli = new CommandLine();
const server = new RunningServer(cli);
beforeAll(() => {
  expect(cli.run(["setup", "--effort", "light"], PASSWORD).status).toBe(0);
});
afterAll(async () => {
  await server.stop();
  cli.remove();
});

it("when the process at the doors alone is killed, the session's puts back and locks what is to be locked, and ends by itself", async () => {
  const folder = cli.makeFolder("Ledgers");
  expect(cli.run(["lock", folder]).status).toBe(0);
  await server.start();
  const [, session = 0] = withDescendants(server.pid);
  await server.call("sign-in", { password: PASSWORD });
  expect((await server.call("unlock", { folder })).status).toBe(200);
  await vi.waitFor(() => expect(cli.list()[0]?.state).toBe("open"), { timeout: 30_000, interval: 300 });
  await server.stop("SIGKILL");
  await vi.waitFor(() => expect(() => process.kill(session, 0)).toThrow(), { timeout: 30_000, interval: 200 });
  expect(cli.list()[0]?.state).toBe("locked");
  expect(cli.run(["release", folder], PASSWORD).status).toBe(0);
});

const modeOf = (folder: string): number => fs.statSync(folder).mode & 0o777;

it("what can't be locked at a stop is closed to other accounts, locks at the next start, and gets its own mode again", async () => {
  const folder = cli.makeFolder("Payroll");
  fs.chmodSync(folder, 0o755);
  const before = snapshot(folder);
  expect(cli.run(["lock", folder]).status).toBe(0);
  await server.start();
  await server.call("sign-in", { password: PASSWORD });
  expect((await server.call("unlock", { folder })).status).toBe(200);
  const state = (): string | undefined => cli.list()[0]?.state;
  await vi.waitFor(() => expect(state()).toBe("open"), { timeout: 30_000, interval: 300 });
  // This process holds a file open for writing.
  const held = fs.openSync(path.join(folder, "letter.txt"), "r+");
  await server.stop();
  expect([state(), modeOf(folder)]).toEqual(["open", 0o700]);
  fs.closeSync(held);
  await server.start();
  await vi.waitFor(() => expect(state()).toBe("locked"), { timeout: 30_000, interval: 300 });
  expect(modeOf(folder)).toBe(0o755);
  expect(cli.run(["release", folder], PASSWORD).status).toBe(0);
  expect(snapshot(folder)).toEqual(before);
});
