import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { CommandLine, PASSWORD } from "./command-line";

interface Told {
  readonly traces: readonly Record<string, unknown>[];
  readonly troubles: readonly unknown[];
  readonly cleared: number | null;
  readonly back: number | null;
  readonly left: readonly unknown[];
}

describe("eremos traces", () => {
  const cli = new CommandLine();
  let [payroll, letters] = ["", ""];
  const history = (): string => path.join(cli.base, ".bash_history");
  const bookmarks = (): string => path.join(cli.base, "config", "gtk-3.0", "bookmarks");
  let remembered = "";
  const ask = (...words: string[]) => cli.json<Told>(["traces", ...words], PASSWORD);
  beforeAll(async () => {
    await cli.setUp();
    Object.assign(cli.env, {
      HOME: cli.base,
      TMPDIR: path.join(cli.base, "tmp"),
      XDG_DATA_HOME: path.join(cli.base, "share"),
      XDG_CONFIG_HOME: path.join(cli.base, "config"),
    });
    [payroll, letters] = [cli.makeFolder("Payroll"), cli.makeFolder("Letters")];
    for (const folder of [payroll, letters]) expect(cli.run(["lock", folder]).status).toBe(0);
    remembered = `ls\ncat ${payroll}/2026.csv\ncd "${letters}"\n`;
    fs.writeFileSync(history(), remembered);
    fs.mkdirSync(path.dirname(bookmarks()), { recursive: true });
    fs.writeFileSync(bookmarks(), `file://${payroll}\nfile:///elsewhere\n`);
  });
  afterAll(() => cli.remove());

  it("finds them where this account's desktop keeps them, of each folder by its path or of all", () => {
    const all = ask();
    expect([all.status, all.body.traces.length, all.body.troubles]).toEqual([0, 3, []]);
    const { body } = ask(payroll);
    expect(body.traces).toContainEqual({
      id: expect.stringMatching(/^[0-9a-f]{32}$/) as string,
      kind: "shell",
      where: history(),
      what: `cat ${payroll}/2026.csv\n`,
      gives: "name",
      isSure: true,
      clearable: true,
    });
    expect([body.cleared, body.back, body.left]).toEqual([null, null, []]);
    expect(fs.readFileSync(history(), "utf8")).toBe(remembered);
    expect(cli.run(["traces", path.join(cli.world, "nothing")], PASSWORD).status).toBe(4);
    expect(cli.run(["traces"]).status).not.toBe(0);
  });

  it("clears those of one folder and of the kinds that are named, and puts back what went", () => {
    const { status, body } = ask(payroll, "--clear", "shell");
    expect([status, body.cleared, body.traces.map(({ kind }) => kind)]).toEqual([0, 1, ["bookmarks"]]);
    expect(fs.readFileSync(history(), "utf8")).toBe(`ls\ncd "${letters}"\n`);
    expect(fs.readFileSync(bookmarks(), "utf8")).toBe(`file://${payroll}\nfile:///elsewhere\n`);
    expect(ask(letters, "--undo").status).toBe(4);
    expect(ask(payroll, "--undo").body).toMatchObject({ back: 1, left: [] });
    expect(fs.readFileSync(history(), "utf8")).toBe(remembered);
    expect(ask("--undo").status).toBe(4);
  });

  it("clears those of all folders and kinds, and says what it left", () => {
    fs.linkSync(bookmarks(), path.join(cli.base, "another name"));
    const { status, body } = ask("--clear", "all");
    expect([status, body.cleared, body.left.length]).toEqual([6, 2, 1]);
    expect(fs.readFileSync(history(), "utf8")).toBe("ls\n");
  });

  it("writes over what it clears where that is asked for, and then nothing is kept to be put back", () => {
    fs.writeFileSync(history(), `ls\ncd "${payroll}"\n`);
    const kept = (): string[] => fs.readdirSync(path.join(cli.data, "cleared"));
    const before = kept();
    const { status, body } = ask(payroll, "--clear", "shell", "--passes", "3");
    expect([status, body.cleared, kept()]).toEqual([0, 1, before]);
    expect(fs.readFileSync(history(), "utf8")).toBe("ls\n");
  });

  it("says how it is used, and changes nothing, where it is told to clear what there is not, or to do two things", () => {
    for (const words of [
      ["--clear", "everything"],
      ["--clear", "shell", "--undo"],
      ["--passes", "3"],
      ["--clear", "shell", "--passes", "2"],
      [payroll, letters, "--clear", "all"],
    ])
      expect(cli.run(["traces", ...words], PASSWORD).status, words.join(" ")).toBe(2);
    expect(fs.readFileSync(history(), "utf8")).toBe("ls\n");
  });
});
