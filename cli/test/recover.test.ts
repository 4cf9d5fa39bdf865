import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import { afterEach, beforeEach, expect, it } from "vitest";
import { CLI, CommandLine, PASSWORD } from "./command-line";

const NEW = "half a cello and a bow";
let cli: CommandLine;
let code: string;
beforeEach(() => {
  cli = new CommandLine();
  code = cli.json<{ recoveryCode: string }>(["setup", "--effort", "light"], PASSWORD).body.recoveryCode;
});
afterEach(() => cli.remove());

const withInput = (args: readonly string[], input: string): { status: number | null; stdout: string } => spawnSync("node", [CLI, ...args], { cwd: cli.world, env: cli.env, encoding: "utf8", input });

it("practice proves the code, recover sets another password by it, and both refuse another code", () => {
  const folder = cli.makeFolder("Payroll");
  expect(cli.run(["lock", folder, "--hide"]).status).toBe(0);
  expect(withInput(["practice", "--password-stdin"], `${PASSWORD}\n${code}\n`)).toMatchObject({ status: 0, stdout: expect.stringContaining("opens the one sealed folder") });
  expect(withInput(["recover", "--code-stdin"], `${code.slice(0, -1)}\n${NEW}\n`).status).toBe(3);
  spawnSync("sleep", ["1.2"]);
  expect(withInput(["recover", "--code-stdin"], `${code}\n${NEW}\n`).status).toBe(0);
  expect(cli.run(["release", folder], NEW).status).toBe(0);
});

it("where Eremos' data is gone, one folder and its password bring all of them back", () => {
  const [payroll, papers] = [cli.makeFolder("Payroll"), cli.makeFolder("Papers")];
  expect(cli.run(["lock", payroll, "--hide"]).status).toBe(0);
  expect(cli.run(["lock", papers, "--view"]).status).toBe(0);
  fs.rmSync(cli.data, { recursive: true });
  expect(cli.run(["list"], PASSWORD).status).toBe(4);
  expect(cli.run(["recover", payroll], PASSWORD).status).toBe(4);
  expect(cli.json(["recover", papers], PASSWORD)).toMatchObject({ status: 0, body: { taken: expect.arrayContaining(["Papers"]), left: [] } });
  expect(cli.list().map(({ path, state }) => [path, state]).sort()).toEqual([[papers, "locked"], [payroll, "locked"]].sort());
  expect(cli.run(["release", payroll], PASSWORD).status).toBe(0);
});
