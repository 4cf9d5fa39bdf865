import { spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { SEED, randomFrom } from "../../core/test/support/stride";
import { snapshot } from "../../core/test/support/world";
import { CLI, CommandLine, PASSWORD } from "./command-line";
import { RunningServer } from "./running-server";

const ROUNDS = process.env["EREMOS_DEEP"] === "1" ? 120 : 3;
const cli = new CommandLine();
const server = new RunningServer(cli);
const wait = (milliseconds: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, milliseconds));
beforeAll(async () => {
  await cli.setUp();
  await begin();
});
afterAll(async () => {
  await server.stop("SIGKILL");
  cli.remove();
});

async function begin(): Promise<void> {
  await server.start();
  expect((await server.call("sign-in", { password: PASSWORD })).status).toBe(200);
}

/**
 * Its status, or null when the server died meanwhile. A request that it does not understand is a mistake of the test.
 */
async function ask(name: string, body: object): Promise<number | null> {
  const status = await server.call(name, body).then(
    (answer) => answer.status,
    () => null,
  );
  expect(status).not.toBe(400);
  return status;
}

/** Runs beside the server; killed after so many milliseconds, if it takes that long. */
async function runBeside(args: readonly string[], password: string | null, killAfter: number): Promise<number | null> {
  const program = spawn("node", [CLI, ...args, ...(password === null ? [] : ["--password-stdin"])], {
    cwd: cli.world,
    env: cli.env,
    stdio: ["pipe", "ignore", "ignore"],
  });
  program.stdin.end(password === null ? "" : `${password}\n`);
  const timer = setTimeout(() => program.kill("SIGKILL"), killAfter);
  const status = await new Promise<number | null>((resolve) => program.once("exit", (code) => resolve(code)));
  clearTimeout(timer);
  return status;
}

it(`the server and the command line work on one folder at once, both killed at random: ${ROUNDS} rounds (seed ${SEED})`, async () => {
  const random = randomFrom(SEED);
  const folder = cli.makeFolder("Payroll");
  for (let i = 0; i < 40; i++) fs.writeFileSync(path.join(folder, `more ${i}.bin`), Buffer.alloc(300_000, `more ${i}`));
  const before = snapshot(folder).slice(1);
  const ended = { commands: 0, killed: 0, servers: 0 };
  for (let round = 0; round < ROUNDS; round++) {
    const verb = random() < 0.5 ? "lock" : "unlock";
    const other = random() < 0.5 ? "lock" : "unlock";
    const asked = ask(
      verb,
      verb === "lock"
        ? { path: folder, protection: { guard: "sealed", visibility: "view", cover: null, icon: null, bars: null } }
        : { folder },
    );
    const beside = runBeside(
      [other, folder],
      other === "lock" ? null : PASSWORD,
      random() < 0.6 ? 200 + random() * 1500 : 60_000,
    );
    const serverDies = random() < 0.5;
    if (serverDies) await wait(random() * 1200).then(() => server.stop("SIGKILL"));
    await asked;
    const status = await beside;
    ended.commands++;
    if (status === null) ended.killed++;
    else expect([0, 2, 3, 4, 5]).toContain(status);
    if (!serverDies) continue;
    ended.servers++;
    await begin();
    await expect.poll(() => ask("jobs", {}), { timeout: 30_000 }).toBe(200);
  }
  await server.stop("SIGKILL");
  if (cli.list().length > 0) {
    const { status, stderr } = cli.run(["release", folder], PASSWORD);
    expect([status, stderr]).toEqual([0, expect.any(String)]);
  }
  expect(snapshot(folder).slice(1)).toEqual(before);
  expect(fs.readdirSync(cli.world)).toEqual(["Payroll"]);
  process.stdout.write(`both at once: ${JSON.stringify(ended)}\n`);
}, 1_800_000);
