import { spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, expect, it, vi } from "vitest";
import { snapshot } from "../../core/test/support/world";
import { CLI, CommandLine, PASSWORD } from "./command-line";
import { withDescendants } from "./process-memory";
import { RunningServer } from "./running-server";

const cli = new CommandLine();
const server = new RunningServer(cli);
beforeAll(async () => {
  await cli.setUp();
});
afterAll(async () => {
  await server.stop();
  cli.remove();
});

it("when the process at the doors alone is killed, the session's puts back and locks what is to be locked, and ends by itself", async () => {
  const folder = cli.makeFolder("Ledgers");
  expect(cli.run(["lock", folder, "--view"]).status).toBe(0);
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
  expect(cli.run(["lock", folder, "--view"]).status).toBe(0);
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

it.each(["SIGHUP", "SIGQUIT"] as const)(
  "a %s to every process of it, as when a terminal closes, locks by the rules",
  async (signal) => {
    await server.stop();
    const folder = cli.makeFolder(`Ledgers ${signal}`);
    expect(cli.run(["lock", folder, "--view"]).status).toBe(0);
    await server.start();
    await server.call("sign-in", { password: PASSWORD });
    expect((await server.call("unlock", { folder })).status).toBe(200);
    const state = (): string | undefined => cli.list().find(({ path: its }) => its === folder)?.state;
    await vi.waitFor(() => expect(state()).toBe("open"), { timeout: 30_000, interval: 300 });
    const all = withDescendants(server.pid);
    for (const pid of all) process.kill(pid, signal);
    await server.ended;
    await vi.waitFor(() => expect(() => process.kill(all.at(-1) ?? 0, 0)).toThrow(), {
      timeout: 30_000,
      interval: 200,
    });
    expect(state()).toBe("locked");
  },
);

it("a command that is stopped in the middle makes nobody wait: others are told which process it is, go on elsewhere, and it ends well when it goes on", async () => {
  const [folder, other] = [cli.makeFolder("Films"), cli.makeFolder("Letters")];
  fs.writeFileSync(path.join(folder, "film.bin"), Buffer.alloc(200_000_000, "film"));
  const before = snapshot(folder);
  const command = spawn("node", [CLI, "lock", folder], { cwd: cli.world, env: cli.env, stdio: "ignore" });
  const ended = new Promise<number | null>((resolve) => command.once("exit", (code) => resolve(code)));
  await vi.waitFor(() => expect(fs.existsSync(path.join(folder, ".eremos", "packs"))).toBe(true), {
    timeout: 30_000,
    interval: 2,
  });
  const pid = command.pid ?? 0;
  command.kill("SIGSTOP");
  const refused = cli.run(["lock", folder]);
  expect([refused.status, refused.stderr]).toEqual([
    4,
    expect.stringContaining(
      `by eremos (process ${pid}), which is stopped. Nothing was touched, and nothing is lost; let it go on (kill -CONT ${pid}), or end it (kill -KILL ${pid}).`,
    ),
  ]);
  expect(cli.run(["lock", other]).status).toBe(0);
  command.kill("SIGCONT");
  expect(await ended).toBe(0);
  for (const one of [folder, other]) expect(cli.run(["release", one], PASSWORD).status).toBe(0);
  expect(snapshot(folder)).toEqual(before);
});
