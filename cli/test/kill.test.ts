import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { snapshot } from "../../core/test/world";
import { CLI, CommandLine, PASSWORD } from "./command-line";

const DEEP = process.env["EREMOS_DEEP"] === "1";

/** System calls, and which of them (counted from 1, in each thread) the kernel kills the real process at. */
const POINTS: Readonly<Record<string, readonly number[]>> = DEEP
  ? { rename: range(1, 8), renameat2: range(1, 16), unlink: range(1, 30), fdatasync: range(1, 6), fsync: range(1, 10), syncfs: [1, 2], pwrite64: range(1, 24) }
  : { rename: [4], renameat2: [9], syncfs: [1], pwrite64: [6] };

function range(from: number, to: number): number[] {
  return Array.from({ length: to - from + 1 }, (_, i) => from + i);
}

const cli = new CommandLine();
let tried = 0;
beforeAll(() => {
  expect(cli.run(["setup"], PASSWORD).status).toBe(0);
});
afterAll(() => {
  cli.remove();
  process.stdout.write(`real kills: ${tried}\n`);
});

function killedAt(call: string, when: number, args: readonly string[], password: string | null): boolean {
  const flags = password === null ? [] : ["--password-stdin"];
  const { signal, status } = spawnSync("strace", ["-f", "-qq", "-o", "/dev/null", "-e", `trace=${call}`, "-e", `inject=${call}:signal=KILL:when=${when}`, "node", CLI, ...args, ...flags], {
    cwd: cli.world, env: cli.env, input: password === null ? "" : `${password}\n`,
  });
  if (signal !== null || (status ?? 0) > 128) tried++;
  return signal !== null || (status ?? 0) > 128;
}

/** Whatever state the kill left: the next command puts it right, and the tree is whole. */
function plainAgain(folder: string): string[] {
  const [found] = cli.list();
  if (found) {
    expect(["locked", "open"]).toContain(found.state);
    expect(cli.run(["release", folder], PASSWORD).status).toBe(0);
  }
  expect(fs.readdirSync(cli.world)).toEqual([path.basename(folder)]);
  return snapshot(folder).slice(1);
}

describe.each(Object.entries(POINTS))("the real process is killed at %s", (call, points) => {
  it.each(points)("number %i of a lock, and of an opening", (when) => {
    const folder = cli.makeFolder("Killed");
    const before = snapshot(folder).slice(1);
    killedAt(call, when, ["lock", folder, "--hide"], null);
    expect(plainAgain(folder)).toEqual(before);
    expect(cli.run(["lock", folder, "--hide"]).status).toBe(0);
    killedAt(call, when, ["unlock", folder], PASSWORD);
    expect(plainAgain(folder)).toEqual(before);
    fs.rmSync(folder, { recursive: true });
  });
});
