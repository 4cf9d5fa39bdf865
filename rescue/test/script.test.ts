import { type SpawnSyncReturns, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { CommandLine, PASSWORD } from "../../cli/test/command-line";
import { snapshot } from "../../core/test/support/world";

const cli = new CommandLine();
/** The one file, away from everything that could help it. */
const script = path.join(cli.base, "stick", "rescue.mjs");
let code = "";
let folder = "";
let before: string[] = [];
let outs = 0;

beforeAll(() => {
  fs.mkdirSync(path.dirname(script));
  fs.copyFileSync(fileURLToPath(new URL("../dist/rescue.mjs", import.meta.url)), script);
  code = cli.json<{ recoveryCode: string }>(["setup", "--effort", "light"], PASSWORD).body.recoveryCode;
  folder = cli.makeFolder("Payroll");
  before = withoutTop(folder);
  expect(cli.run(["lock", folder, "--hide"]).status).toBe(0);
});
afterAll(() => cli.remove());

function run(args: readonly string[], input = ""): SpawnSyncReturns<string> {
  return spawnSync("node", [script, ...args], {
    cwd: path.dirname(script),
    env: { PATH: process.env["PATH"] ?? "", HOME: "/nowhere" },
    input,
    encoding: "utf8",
  });
}

const withoutTop = (directory: string): string[] =>
  snapshot(directory)
    .slice(1)
    .map((line) => line.replace(/(mtime=\d+)\d{3}/, "$1"));
const newOut = (): string => path.join(cli.base, `out ${++outs}`);
const hidden = (): string =>
  path.join(cli.world, fs.readdirSync(cli.world).find((name) => /^\.[0-9a-f]{20}$/.test(name)) ?? "");

describe("the one file, with Node alone", () => {
  it("finds the hidden folder by what is on disk, and says what it is", () => {
    const { status, stdout } = run(["scan", cli.world, "--json"]);
    expect(status).toBe(0);
    expect(JSON.parse(stdout)).toMatchObject({
      found: [
        { path: hidden(), guard: "sealed", visibility: "hidden", isOpen: false, hasPassword: false, generation: 1 },
      ],
      unreadable: [],
    });
    expect(run(["scan", cli.world]).stdout).toContain("sealed, hidden in place, last locked");
  });

  it.each(["password", "code"] as const)("brings everything out by the %s, and changes nothing", (kind) => {
    const locked = snapshot(hidden());
    const out = newOut();
    const { status, stdout } = run(
      [hidden(), "--to", out, `--${kind}-stdin`],
      `${kind === "code" ? code : PASSWORD}\n`,
    );
    expect(status).toBe(0);
    expect(stdout).toContain("all whole");
    expect(withoutTop(out)).toEqual(before);
    expect(snapshot(hidden())).toEqual(locked);
  });

  it("refuses a wrong password and a wrong way of asking, each with its exit code", () => {
    expect(run([hidden(), "--to", newOut(), "--password-stdin"], "wrong\n")).toMatchObject({
      status: 3,
      stderr: expect.stringContaining("not the master password"),
    });
    expect(run([hidden(), "--to", newOut(), "--code-stdin"], "VSJDY\n").status).toBe(3);
    expect(run([hidden()]).status).toBe(2);
    expect(run([hidden(), "--nonsense"]).status).toBe(2);
    expect(run([path.dirname(script), "--to", newOut(), "--password-stdin"], PASSWORD)).toMatchObject({
      status: 4,
      stderr: expect.stringContaining("nothing of Eremos"),
    });
  });

  it("a damaged folder: everything else comes out, the rest is named with its bytes, exit code 5; so by the command line of Eremos", () => {
    const packs = path.join(hidden(), ".eremos", "packs");
    const largest =
      fs
        .readdirSync(packs, { recursive: true, encoding: "utf8" })
        .map((name) => path.join(packs, name))
        .filter((file) => fs.statSync(file).isFile())
        .sort((a, b) => fs.statSync(b).size - fs.statSync(a).size)[0] ?? "";
    const bytes = fs.readFileSync(largest);
    bytes[700_000] = (bytes[700_000] ?? 0) ^ 1;
    fs.writeFileSync(largest, bytes);
    const out = newOut();
    const { status, stdout } = run([hidden(), "--to", out, "--password-stdin"], `${PASSWORD}\n`);
    expect(status).toBe(5);
    expect(stdout).toContain("photos/large (damaged).bin: bytes 655,");
    const withCli = newOut();
    expect(cli.json(["rescue", hidden(), "--to", withCli], PASSWORD)).toMatchObject({
      status: 5,
      body: { guard: "sealed", damaged: [{ path: "photos/large (damaged).bin" }] },
    });
    expect(withoutTop(withCli)).toEqual(withoutTop(out));
    expect(cli.run(["scan", cli.world]).stdout).toContain("1 protected folder found");
  });
});
