import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { snapshot } from "../../core/test/support/world";
import { CLI, CommandLine, PASSWORD } from "./command-line";

let line: CommandLine;
beforeEach(async () => {
  line = new CommandLine();
  await line.setUp();
});
afterEach(() => line.remove());

type Results = readonly { readonly path: string; readonly id?: string; readonly error?: { readonly code: string } }[];

const withInput = (args: readonly string[], input: string): { status: number | null; body: Results } => {
  const { status, stdout } = spawnSync("node", [CLI, ...args, "--json"], {
    cwd: line.world,
    env: line.env,
    encoding: "utf8",
    input,
  });
  return { status, body: JSON.parse(stdout) as Results };
};
const states = (): string[] => line.list().map(({ path: at, state }) => `${path.basename(at)} ${state}`);

it("several are locked, opened, closed and released by one command each: a line each, a list in their order, and the worst exit code", () => {
  const [payroll, letters] = [line.makeFolder("Payroll"), line.makeFolder("Letters")];
  const before = [payroll, letters].map((folder) => snapshot(folder));
  const gone = path.join(line.world, "gone");

  const locked = line.json<Results>(["lock", payroll, gone, letters, payroll]);
  expect(locked.status).toBe(4);
  expect(locked.body.map(({ path: at, error }) => [at, error?.code])).toEqual([
    [payroll, undefined],
    [gone, "needs-sign-in"],
    [letters, undefined],
  ]);
  expect(states()).toEqual(["Letters locked", "Payroll locked"]);

  const ids = line.list().map(({ id }) => id);
  const opened = line.run(["unlock", ...ids], PASSWORD);
  expect([opened.status, opened.stdout.trim().split("\n").length]).toEqual([0, 2]);
  expect(states()).toEqual(["Letters open", "Payroll open"]);
  expect(line.json<Results>(["close", ids[0] ?? "", payroll, gone])).toMatchObject({
    status: 4,
    body: [{ path: letters }, { path: payroll }, { path: gone, error: { code: "not-open" } }],
  });
  expect(states()).toEqual(["Letters locked", "Payroll locked"]);

  expect(line.json<Results>(["release", payroll, letters], PASSWORD)).toMatchObject({
    status: 0,
    body: [{ path: payroll }, { path: letters }],
  });
  expect([payroll, letters].map((folder) => snapshot(folder))).toEqual(before);
});

it("paths come from standard input: behind the password, one a line, or ended by NUL whatever their names", () => {
  const odd = line.makeFolder("two\nlines");
  const plain = line.makeFolder("Payroll");
  expect(withInput(["lock", "-", "--null"], `${odd}\0${plain}\0`)).toMatchObject({
    status: 0,
    body: [{ path: odd }, { path: plain }],
  });
  expect(withInput(["unlock", "-", "--password-stdin"], `${PASSWORD}\n${plain}\n`)).toMatchObject({
    status: 0,
    body: [{ path: plain }],
  });
  const one = spawnSync("node", [CLI, "check", "-", "--password-stdin"], {
    cwd: line.world,
    env: line.env,
    encoding: "utf8",
    input: `${plain}\n${PASSWORD}\n`,
  });
  expect([one.status, one.stdout]).toEqual([0, expect.stringContaining("is whole")]);
  expect(withInput(["lock", "-"], "\n")).toMatchObject({ status: 2, body: { error: { code: "usage" } } });
});

it("a new folder is there locked, with nothing in it; what can't be made, or not locked, is not there", () => {
  const folder = path.join(line.world, "Letters");
  const made = line.json<{ path: string; files: number }>(["new", folder, "--visibility", "hidden"]);
  expect(made).toMatchObject({ status: 0, body: { path: folder, files: 0 } });
  expect([fs.existsSync(folder), states()]).toEqual([false, ["Letters locked"]]);
  expect(line.run(["unlock", folder], PASSWORD).status).toBe(0);
  expect([fs.readdirSync(folder).filter((name) => name !== ".eremos"), fs.statSync(folder).mode & 0o777]).toEqual([
    [],
    0o700,
  ]);

  const plain = line.makeFolder("Payroll");
  const kept = snapshot(plain);
  for (const [where, code] of [
    [plain, "path-taken"],
    [path.join(line.world, "gone", "Letters"), "not-found"],
    [path.join(folder, "inside"), "nested"],
    ["/tmp/eremos-outside", "outside-places"],
  ] as const)
    expect(line.json<{ error: { code: string } }>(["new", where]).body.error.code).toBe(code);
  expect(snapshot(plain)).toEqual(kept);
  expect([fs.existsSync(path.join(folder, "inside")), fs.existsSync("/tmp/eremos-outside")]).toEqual([false, false]);
});

it("files and folders are moved into a locked folder, a hidden one with its owner's password; they come out at the next opening", () => {
  const folder = line.makeFolder("Payroll");
  expect(line.run(["lock", folder, "--visibility", "hidden"]).status).toBe(0);
  const letters = line.makeFolder("Letters");
  const file = path.join(line.world, "note.txt");
  fs.writeFileSync(file, "moved in");

  expect(line.json(["drop", folder, file, "--move"])).toMatchObject({ status: 4, body: { error: {} } });
  expect(fs.readFileSync(file, "utf8")).toBe("moved in");
  expect(line.json(["drop", folder, file, "--move"], PASSWORD)).toMatchObject({
    status: 0,
    body: { files: 1, left: [] },
  });
  expect(fs.existsSync(file)).toBe(false);
  const moved = line.json<{ files: number; left: { path: string }[] }>(["drop", folder, letters, "--move"], PASSWORD);
  expect(moved.status).toBe(4);
  // What has a second name, such as the letter, would go on being readable by it.
  expect(moved.body.left.map(({ path: at }) => path.basename(at))).toContain("letter.txt");
  expect(fs.existsSync(path.join(letters, "script.sh"))).toBe(false);
  expect(line.json(["drop", folder, "/etc/hostname", "--move"], PASSWORD).body).toMatchObject({
    error: { code: "off-limits" },
  });
  expect(line.run(["unlock", folder], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(path.join(folder, "note.txt"), "utf8")).toBe("moved in");
  expect(fs.existsSync(path.join(folder, "Letters", "script.sh"))).toBe(true);
});
