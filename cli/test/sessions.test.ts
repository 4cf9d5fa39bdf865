import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import { request } from "node:http";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { CommandLine, PASSWORD } from "./command-line";
import { withDescendants } from "./process-memory";
import { RunningServer } from "./running-server";

/** Each session has a process of its own; what was under way at its end goes on in it, and in nobody's way. */
let cli: CommandLine;
let server: RunningServer;
let folder: string;
beforeEach(async () => {
  cli = new CommandLine();
  server = new RunningServer(cli);
  await cli.setUp();
  await server.start();
  await server.call("sign-in", { password: PASSWORD });
});
afterEach(async () => {
  await server.stop();
  cli.remove();
});

/** Each has processes of its own, which look at disks for it. */
const sessions = (): number[] => withDescendants(server.pid).filter((pid) => commandOf(pid).includes("session-main"));
function commandOf(pid: number): string {
  try {
    return fs.readFileSync(`/proc/${pid}/cmdline`, "utf8");
  } catch {
    // It has ended meanwhile.
    return "";
  }
}
interface Listed {
  readonly id: string;
  readonly state: string;
  readonly error: unknown;
}
const jobs = async (): Promise<readonly Listed[]> => (await server.call("jobs")).body as unknown as Listed[];
/** How each ended; of one that failed also why. */
const ends = async (): Promise<readonly string[]> =>
  (await jobs()).map(({ state, error }) => (state === "failed" ? `${state}: ${JSON.stringify(error)}` : state));

/** A lock is under way, its session was signed out, and another one signed in. Returns the process of the first. */
async function signedOutMeanwhile(): Promise<number> {
  const [first = 0] = sessions();
  folder = path.join(cli.world, "Recordings");
  fs.mkdirSync(folder);
  // Large ones and many: a sign-out and a sign-in have to fit in, however fast the disk is.
  for (let take = 0; take < 80; take++) {
    const directory = path.join(folder, `take ${take}`);
    fs.mkdirSync(directory);
    fs.writeFileSync(path.join(directory, "whole.raw"), Buffer.alloc(20_000_000, `take ${take}`));
    for (let part = 0; part < 150; part++) fs.writeFileSync(path.join(directory, `${part}.raw`), `${part} of ${take}`);
  }
  expect(
    (
      await server.call("lock", {
        path: folder,
        protection: { guard: "sealed", visibility: "view", cover: null, icon: null, bars: null },
      })
    ).status,
  ).toBe(200);
  await vi.waitFor(async () => expect(await jobs()).toMatchObject([{ state: "running" }]), {
    timeout: 20_000,
    interval: 20,
  });
  expect((await server.call("sign-out")).status).toBe(200);
  expect((await server.call("sign-in", { password: PASSWORD })).status).toBe(200);
  expect(sessions()).toHaveLength(2);
  expect(sessions()).toContain(first);
  return first;
}

const ended = (pid: number): Promise<void> =>
  vi.waitFor(() => expect(sessions()).not.toContain(pid), { timeout: 60_000, interval: 100 });

it("a lock goes on after the sign-out of its session, whose process ends with it", async () => {
  const first = await signedOutMeanwhile();
  await ended(first);
  expect(await ends()).toEqual(["done"]);
  expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
});

it("it can be cancelled in the next session, and everything is as it was", async () => {
  const first = await signedOutMeanwhile();
  const [job] = await jobs();
  expect((await server.call("jobs/cancel", { job: job?.id })).body).toEqual({ asked: true });
  await ended(first);
  expect(await ends()).toEqual(["cancelled"]);
  expect(fs.readdirSync(folder)).toHaveLength(80);
});

it("whoever follows at the gate, or signed in, is told that it is over, and goes on at the next one", async () => {
  const follow = (headers: Readonly<Record<string, string>>): Promise<string> =>
    new Promise((resolve) => {
      const { host, port } = new URL(server.address);
      request({ host: "127.0.0.1", port, path: "/api/events", headers: { host, ...headers } }, (response) => {
        let text = "";
        response.on("data", (part) => (text += String(part))).on("close", () => resolve(text));
      })
        .on("error", (error) => resolve(error.message))
        .end();
    });
  const streams = [follow(server.headers), follow({})];
  await vi.waitFor(async () => expect((await server.call("state")).status).toBe(200));
  const [first = 0] = sessions();
  expect((await server.call("sign-out")).status).toBe(200);
  for (const text of await Promise.all(streams)) expect(text.trim().split("\n\n").at(-1)).toBe("event: over\ndata: {}");
  await ended(first);
  expect((await server.call("state")).body).toMatchObject({ signedIn: false });
  expect((await server.call("sign-in", { password: PASSWORD })).status).toBe(200);
});

it("what can't be said, since the terminal is gone, is said once to nobody: the session goes on, and does not spin", async () => {
  const [session = 0] = sessions();
  const notes = path.join(cli.data, "open");
  fs.renameSync(notes, `${notes}.away`);
  // The keeper can't look into it, and says so.
  fs.writeFileSync(notes, "");
  server.closeTerminal();
  const watched = spawnSync("timeout", ["12", "strace", "-f", "-e", "trace=write", "-p", String(session)], {
    encoding: "utf8",
    maxBuffer: 2 ** 28,
  });
  const tries = watched.stderr.match(/write\(2, .*EPIPE/g) ?? [];
  expect(tries.length).toBeGreaterThan(0);
  expect(tries.length).toBeLessThan(20);
  fs.rmSync(notes);
  fs.renameSync(`${notes}.away`, notes);
  const answer = server.call("state").then(
    ({ status }) => status,
    () => "no answer",
  );
  expect(await answer).toBe(200);
});
