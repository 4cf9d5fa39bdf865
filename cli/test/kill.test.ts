import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { SEED } from "../../core/test/support/stride";
import { snapshot } from "../../core/test/support/world";
import { CLI, CommandLine, PASSWORD } from "./command-line";

const DEEP = process.env["EREMOS_DEEP"] === "1";

/**
 * System calls that change the disk, and which of them (counted from 1, in each thread) something happens at: daily one
 * of each, by chance.
 */
const POINTS: Readonly<Record<string, readonly number[]>> = DEEP
  ? {
      renameat2: range(1, 11),
      unlinkat: range(1, 30, 3),
      mkdirat: range(1, 7),
      fdatasync: range(1, 8),
      fsync: range(1, 22),
      syncfs: [1, 2],
      pwrite64: range(1, 55, 2),
      fchmod: range(1, 13, 4),
      utimensat: range(1, 17, 4),
      linkat: [1, 2],
      symlinkat: [1, 2],
      ftruncate: [1, 2],
      rename: [1, 2],
    }
  : { renameat2: [1 + (SEED % 11)], pwrite64: [1 + (SEED % 55)] };
const FAULTS = DEEP ? ["signal=KILL", "error=EIO", "error=ENOSPC", "error=EACCES"] : ["signal=KILL", "error=EIO"];

function range(from: number, to: number, step = 1): number[] {
  return Array.from({ length: Math.floor((to - from) / step) + 1 }, (_, i) => from + i * step);
}

const cli = new CommandLine();
let tried = 0;
let kills = 0;
let failures = 0;
beforeAll(async () => {
  await cli.setUp();
});
afterEach(() => {
  for (const name of fs.readdirSync(cli.world)) fs.rmSync(path.join(cli.world, name), { recursive: true });
});
afterAll(() => {
  cli.remove();
  process.stdout.write(`real kills: ${kills}, injected errors that a command ended on: ${failures}\n`);
});

/** Runs a command of the real program under `strace`, which does what the fault says at the system call. */
function runWith(fault: string, call: string, when: number, args: readonly string[], password: string | null): void {
  const flags = password === null ? [] : ["--password-stdin"];
  const injection = ["-e", `trace=${call}`, "-e", `inject=${call}:${fault}:when=${when}`];
  // Node syncs its own output when it ends, and never ends when that fails: then tracer and program are killed, both.
  const { signal, status, stderr } = spawnSync(
    "timeout",
    ["--signal=KILL", "30", "strace", "-f", "-qq", "-o", "/dev/null", ...injection, "node", CLI, ...args, ...flags],
    {
      cwd: cli.world,
      env: cli.env,
      encoding: "utf8",
      input: password === null ? "" : `${password}\n`,
    },
  );
  if (signal !== null || (status ?? 0) > 128) kills++;
  else if (status !== 0) {
    failures++;
    expect(stderr, `${args[0]}, ${fault} at ${call} ${when}`).not.toMatch(/^ {4}at |Error: /m);
  }
}

/** Whatever state it was left in: the next command puts it right, and the tree is whole. */
function plainAgain(folder: string): string[] {
  const found = cli.list().find(({ path }) => path === folder);
  if (found) {
    expect(["locked", "open", "partly"]).toContain(found.state);
    const { status, stderr } = cli.run(["release", folder], PASSWORD);
    expect(status, stderr).toBe(0);
  }
  expect(fs.readdirSync(cli.world)).toEqual([path.basename(folder)]);
  return snapshot(folder).slice(1);
}

describe.each(FAULTS)("%s in the real process", (fault) => {
  describe.each(Object.entries(POINTS))("at %s", (call, points) => {
    it.each(points)("number %i of a lock, and of an opening", (when) => {
      const folder = cli.makeFolder(`Payroll ${++tried}`);
      const before = snapshot(folder).slice(1);
      runWith(fault, call, when, ["lock", folder, "--hide"], null);
      expect(plainAgain(folder)).toEqual(before);
      expect(cli.run(["lock", folder, "--hide"]).status).toBe(0);
      runWith(fault, call, when, ["unlock", folder], PASSWORD);
      expect(plainAgain(folder)).toEqual(before);
    });
  });
});
