import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import { afterEach, beforeEach, expect, it } from "vitest";
import { fileURLToPath } from "node:url";
import { snapshot } from "../../core/test/support/world";
import { CLI, CommandLine, PASSWORD } from "./command-line";

const NEW = "half a cello and a bow";
let cli: CommandLine;
let code: string;
beforeEach(async () => {
  cli = new CommandLine();
  code = await cli.setUp();
});
afterEach(() => cli.remove());

/** Times to the microsecond, as a rescue gives them back. */
const contents = (folder: string): string[] =>
  snapshot(folder)
    .slice(1)
    .map((line) => line.replace(/(mtime=\d+)\d{3}/, "$1"));
const withInput = (args: readonly string[], input: string): { status: number | null; stdout: string } =>
  spawnSync("node", [CLI, ...args], { cwd: cli.world, env: cli.env, encoding: "utf8", input });

it("practice proves the code, recover sets another password by it, and both refuse another code", () => {
  const folder = cli.makeFolder("Payroll");
  expect(cli.run(["lock", folder, "--hide"]).status).toBe(0);
  expect(withInput(["practice", "--password-stdin"], `${PASSWORD}\n${code}\n`)).toMatchObject({
    status: 0,
    stdout: expect.stringContaining("opens the one sealed folder"),
  });
  expect(withInput(["recover", "--code-stdin"], `${code.slice(0, -1)}\n${NEW}\n`).status).toBe(3);
  spawnSync("sleep", ["1.2"]);
  expect(withInput(["recover", "--code-stdin"], `${code}\n${NEW}\n`).status).toBe(0);
  expect(cli.run(["release", folder], NEW).status).toBe(0);
});

it("keyholders' shares, one a line, are as good as the code: to practise, to open a folder with a password of its own, to bring everything out, and for a new password", () => {
  const folder = cli.makeFolder("Payroll");
  const before = contents(folder);
  expect(withInput(["keyholders", "2", "Tomas", "--password-stdin"], `${PASSWORD}\n`).status).toBe(2);
  const { shares } = cli.json<{ shares: readonly { readonly share: string }[] }>(
    ["keyholders", "2", "Tomas", "Mirela", "Pavel"],
    PASSWORD,
  ).body;
  const [tomas = "", mirela = "", pavel = ""] = shares.map(({ share }) => share);
  expect(cli.run(["keyholders"], PASSWORD).stdout).toContain("Any 2 of 3 together open.");
  expect(
    withInput(
      ["lock", folder, "--view", "--folder-password", "--password-stdin"],
      `${PASSWORD}\nrosin on the left shelf\n`,
    ).status,
  ).toBe(0);
  expect(
    withInput(["practice", "--password-stdin", "--with-shares"], `${PASSWORD}\n${tomas}\n${pavel}\n`),
  ).toMatchObject({ status: 0, stdout: expect.stringContaining("The shares open the one sealed folder") });
  const out = `${cli.base}/out`;
  expect(withInput(["rescue", folder, "--to", out, "--shares-stdin"], `${tomas}\n`).status).toBe(4);
  expect(withInput(["rescue", folder, "--to", out, "--shares-stdin"], `${tomas}\n${pavel}\n`).status).toBe(0);
  expect(contents(out)).toEqual(before);
  const script = spawnSync(
    "node",
    [
      fileURLToPath(new URL("../../rescue/dist/rescue.mjs", import.meta.url)),
      folder,
      "--to",
      `${out} by script`,
      "--shares-stdin",
    ],
    { encoding: "utf8", input: `${mirela}\n${pavel}\n` },
  );
  expect([script.status, fs.readdirSync(`${out} by script`)]).toEqual([0, fs.readdirSync(out)]);
  expect(withInput(["recover", "--shares-stdin"], `${mirela}\n${tomas}\n\n${NEW}\n`)).toMatchObject({ status: 0 });
  expect(
    withInput(["release", folder, "--password-stdin", "--with-shares"], `${NEW}\n${pavel}\n${mirela}\n`).status,
  ).toBe(0);
});

it("signed in, a folder that was moved is taken in where it is now, and all that the list has lost in a directory, one with a password of its own by itself", () => {
  const [payroll, papers, own] = [cli.makeFolder("Payroll"), cli.makeFolder("Papers"), cli.makeFolder("Own")];
  for (const folder of [payroll, papers]) expect(cli.run(["lock", folder, "--view"]).status).toBe(0);
  expect(
    withInput(
      ["lock", own, "--view", "--folder-password", "--password-stdin"],
      `${PASSWORD}\nrosin on the left shelf\n`,
    ).status,
  ).toBe(0);
  const moved = `${cli.world}/Moved`;
  fs.renameSync(payroll, moved);
  expect(cli.json(["recover", moved], PASSWORD)).toMatchObject({ status: 0, body: { taken: ["Moved"], left: [] } });
  expect(cli.run(["recover", moved], PASSWORD).status).toBe(4);
  for (const end of ["", "-wal", "-shm"]) fs.rmSync(`${cli.data}/eremos.db${end}`, { force: true });
  expect(cli.json(["recover", cli.world], PASSWORD)).toMatchObject({
    status: 0,
    body: { taken: expect.arrayContaining(["Moved", "Papers"]) as string[], left: [{ path: own }] },
  });
  expect(withInput(["recover", own, "--password-stdin"], `${PASSWORD}\nrosin on the left shelf\n`).status).toBe(0);
  expect(
    cli
      .list()
      .map(({ path, state }) => [path, state])
      .sort(),
  ).toEqual(
    [
      [moved, "locked"],
      [own, "locked"],
      [papers, "locked"],
    ].sort(),
  );
  expect(cli.run(["release", moved], PASSWORD).status).toBe(0);
});

it("where Eremos' data is gone, one folder and its password bring all of them back", () => {
  const [payroll, papers] = [cli.makeFolder("Payroll"), cli.makeFolder("Papers")];
  expect(cli.run(["lock", payroll, "--hide"]).status).toBe(0);
  expect(cli.run(["lock", papers, "--view"]).status).toBe(0);
  fs.rmSync(cli.data, { recursive: true });
  expect(cli.run(["list"], PASSWORD).status).toBe(4);
  expect(cli.run(["recover", payroll], PASSWORD).status).toBe(4);
  expect(cli.json(["recover", papers], PASSWORD)).toMatchObject({
    status: 0,
    body: { taken: expect.arrayContaining(["Papers"]), left: [] },
  });
  expect(
    cli
      .list()
      .map(({ path, state }) => [path, state])
      .sort(),
  ).toEqual(
    [
      [papers, "locked"],
      [payroll, "locked"],
    ].sort(),
  );
  expect(cli.run(["release", payroll], PASSWORD).status).toBe(0);
});
