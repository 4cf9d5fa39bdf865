import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { CLI, CommandLine, PASSWORD } from "./command-line";

interface Told {
  readonly events: readonly {
    readonly at: number;
    readonly kind: string;
    readonly name: string;
    readonly from: string;
    readonly way: string | null;
    readonly signedIn: boolean;
    readonly folder: string;
  }[];
}

describe("eremos activity", () => {
  const cli = new CommandLine();
  const told = (...words: string[]): Told["events"] => cli.json<Told>(["activity", ...words], PASSWORD).body.events;
  let payroll = "";
  beforeAll(async () => {
    await cli.setUp();
    payroll = cli.makeFolder("Payroll");
    const letters = cli.makeFolder("=Letters");
    for (const folder of [payroll, letters]) expect(cli.run(["lock", folder]).status).toBe(0);
    expect(cli.run(["unlock", payroll], PASSWORD).status).toBe(0);
    const chosen = spawnSync("node", [CLI, "menu", "lock", "-"], {
      env: cli.env,
      input: `${payroll}\n`,
    });
    expect(chosen.status).toBe(0);
    expect(cli.run(["unlock", payroll], "another one").status).toBe(3);
  });
  afterAll(() => cli.remove());

  it("tells what happened, the newest first: from the command line, from the menu, and a wrong password", () => {
    const without = told().filter(({ kind }) => kind !== "signed-in");
    expect(without.map(({ kind, name, from, way, signedIn }) => [kind, name, from, way, signedIn])).toEqual([
      ["wrong", "", "command-line", "password", false],
      ["locked", "Payroll", "menu", null, false],
      ["opened", "Payroll", "command-line", "password", true],
      ["locked", "=Letters", "command-line", null, false],
      ["locked", "Payroll", "command-line", null, false],
    ]);
    expect([...without].sort((a, b) => b.at - a.at)).toEqual(without);
  });

  it("of one folder by its path, its id or its name, also when it is released", () => {
    const ofPayroll = told("--folder", payroll);
    expect(ofPayroll.map(({ kind }) => kind)).toEqual(["locked", "opened", "locked"]);
    const [{ folder: id } = expect.fail()] = ofPayroll;
    expect(cli.run(["release", payroll], PASSWORD).status).toBe(0);
    for (const asked of [id, "Payroll"])
      expect(told("--folder", asked).map(({ name }) => name)).toEqual(Array(4).fill("Payroll"));
    expect(cli.run(["activity", "--folder", "Cello"], PASSWORD).status).toBe(4);
  });

  it("since a day or a time of it, and says what is neither before it asks for anything", () => {
    const today = new Date().toLocaleDateString("sv-SE");
    expect(told("--since", today).length).toBeGreaterThan(4);
    expect(told("--since", "2099-01-01T08:30")).toEqual([]);
    expect(cli.run(["activity", "--since", "2099-01-01"], PASSWORD).stdout).toContain("Nothing is written down");
    for (const since of ["yesterday", "2026-13-01", "29.11.2026"])
      expect([since, cli.run(["activity", "--since", since]).status]).toEqual([since, 2]);
    expect(cli.run(["activity", "--csv", "--json"]).status).toBe(2);
  });

  it("as a table whose cells no spreadsheet runs, and as lines", () => {
    const { stdout } = cli.run(["activity", "--csv"], PASSWORD);
    const [heads, ...rows] = stdout.trimEnd().split("\n");
    expect(heads).toBe("time,folder,what,how,kind,from,way,account,minutes,count,id");
    expect(rows.filter((row) => row.includes("'=Letters"))).toHaveLength(1);
    expect(stdout).not.toMatch(/,=Letters|,"=Letters/);
    expect(cli.run(["activity"], PASSWORD).stdout).toMatch(
      /Payroll {2}Opened in place {2}\(with the master password, from the command line\)/,
    );
  });

  it("leaves nothing readable of it in Eremos' own data", () => {
    const database = fs.readFileSync(path.join(cli.data, "eremos.db")).toString("latin1");
    expect(database).not.toMatch(/Payroll|Letters|command-line|signed-in/);
  });
});
