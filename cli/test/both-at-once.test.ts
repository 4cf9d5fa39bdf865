import { type ChildProcess, spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { snapshot } from "../../core/test/world";
import { CLI, CommandLine, PASSWORD } from "./command-line";

const ROUNDS = process.env["EREMOS_DEEP"] === "1" ? 120 : 6;
const SEED = Number(process.env["EREMOS_SEED"] ?? Date.now() % 1_000_000);

/** The server, asked as its page asks it. */
class Server {
  private program: ChildProcess | null = null;
  private address = "";
  private cookie = "";
  private tab = "";

  async start(): Promise<void> {
    const program = spawn("node", [CLI, "serve"], { env: { ...cli.env, EREMOS_PORT: "0" }, stdio: ["ignore", "ignore", "pipe"] });
    this.program = program;
    this.address = await new Promise((resolve, reject) => {
      let said = "";
      program.stderr.on("data", (part) => {
        said += String(part);
        const found = /Eremos is at (http:\S+)/.exec(said)?.[1];
        if (found) resolve(new URL(found).origin);
      });
      program.once("exit", () => reject(new Error(`the server ended: ${said}`)));
    });
    this.tab = "";
    const answer = await this.ask<{ tab: string }>("sign-in", { password: PASSWORD });
    this.tab = answer?.tab ?? "";
  }

  /** Null when it was refused, or the server died meanwhile. */
  async ask<T>(name: string, body: object): Promise<T | null> {
    try {
      const answer = await fetch(`${this.address}/api/${name}`, { method: "POST", headers: { "content-type": "application/json", origin: this.address, cookie: this.cookie, "x-eremos-tab": this.tab }, body: JSON.stringify(body) });
      this.cookie = answer.headers.get("set-cookie")?.split(";")[0] ?? this.cookie;
      return answer.ok ? ((await answer.json()) as T) : null;
    } catch {
      return null;
    }
  }

  kill(): Promise<unknown> {
    const { program } = this;
    const ended = new Promise((resolve) => program?.once("exit", resolve));
    program?.kill("SIGKILL");
    return ended;
  }
}

function randomFrom(seed: number): () => number {
  let state = seed || 1;
  return () => {
    state = (Math.imul(state, 1_103_515_245) + 12_345) & 0x7fffffff;
    return state / 0x7fffffff;
  };
}

const cli = new CommandLine();
const server = new Server();
const wait = (milliseconds: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, milliseconds));
beforeAll(async () => {
  expect(cli.run(["setup"], PASSWORD).status).toBe(0);
  await server.start();
});
afterAll(async () => {
  await server.kill();
  cli.remove();
});

/** Runs beside the server; killed after so many milliseconds, if it takes that long. */
async function runBeside(args: readonly string[], password: string | null, killAfter: number): Promise<number | null> {
  const program = spawn("node", [CLI, ...args, ...(password === null ? [] : ["--password-stdin"])], { cwd: cli.world, env: cli.env, stdio: ["pipe", "ignore", "ignore"] });
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
    const asked = server.ask(verb, verb === "lock" ? { path: folder, protection: { guard: "sealed", visibility: "view", bars: null } } : { folder });
    const beside = runBeside([other, folder], other === "lock" ? null : PASSWORD, random() < 0.6 ? 200 + random() * 1500 : 60_000);
    const serverDies = random() < 0.5;
    if (serverDies) await wait(random() * 1200).then(() => server.kill());
    await asked;
    const status = await beside;
    ended.commands++;
    if (status === null) ended.killed++;
    else expect([0, 2, 3, 4, 5]).toContain(status);
    if (!serverDies) continue;
    ended.servers++;
    await server.start();
    await expect.poll(async () => (await server.ask<unknown[]>("jobs", {}))?.length ?? -1, { timeout: 30_000 }).toBeGreaterThanOrEqual(0);
  }
  await server.kill();
  if (cli.list().length > 0) expect(cli.run(["release", folder], PASSWORD)).toMatchObject({ status: 0 });
  expect(snapshot(folder).slice(1)).toEqual(before);
  expect(fs.readdirSync(cli.world)).toEqual(["Payroll"]);
  process.stdout.write(`both at once: ${JSON.stringify(ended)}\n`);
  await server.start();
}, 1_800_000);
