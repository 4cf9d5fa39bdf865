import { spawnSync } from "node:child_process";
import { randomBytes } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { CLI, CommandLine, PASSWORD } from "../command-line";

const PACKAGE_PASSWORD = "seven lamps along the quay";
const SECRET = `what nobody else reads ${randomBytes(8).toString("hex")}`;

let cli: CommandLine;
beforeEach(async () => {
  cli = new CommandLine();
  await cli.setUp();
});
afterEach(() => cli.remove());

type Result = Readonly<Record<string, unknown>>;

/** `input`: the passwords, a line each, as they are asked for. */
function run(words: readonly string[], ...input: string[]): { status: number | null; body: Result; err: string } {
  const { status, stdout, stderr } = spawnSync("node", [CLI, ...words, "--password-stdin", "--json"], {
    cwd: cli.world,
    env: cli.env,
    input: input.map((line) => `${line}\n`).join(""),
    encoding: "utf8",
  });
  return { status, body: stdout === "" ? {} : (JSON.parse(stdout) as Result), err: stderr };
}
const at = (...parts: string[]): string => path.join(cli.world, ...parts);
function letters(): string {
  fs.mkdirSync(at("Letters", "2026"), { recursive: true });
  fs.writeFileSync(at("Letters", "one.txt"), SECRET);
  fs.writeFileSync(at("Letters", "2026", "two.txt"), `${SECRET} too`);
  return at("Letters");
}
/** Whether a text stands readable in any file below the whole of what a test has. */
function isReadable(text: string): boolean {
  return spawnSync("grep", ["-rqF", "--", text, cli.base]).status === 0;
}

it.each(["page", "zip"])(
  "%s: of a locked folder, received into another one, nothing is ever readable on the disk",
  (as) => {
    const folder = letters();
    expect(cli.run(["lock", folder]).status).toBe(0);
    expect(isReadable(SECRET)).toBe(false);
    const made = run(["hand-over", folder, "--as", as, "--to", at("package")], PASSWORD, PACKAGE_PASSWORD);
    expect(made).toMatchObject({ status: 0, body: { files: 2, left: [], words: null } });
    expect(isReadable(SECRET)).toBe(false);
    const wrong = run(["receive", at("package"), "--lock", "--to", at("Theirs")], PASSWORD, "another one of theirs");
    expect(wrong).toMatchObject({ status: 3, body: { error: { code: "wrong-password" } } });
    expect(cli.run(["list"]).stdout).not.toContain("Theirs");
    expect(fs.readdirSync(cli.world).some((name) => /Theirs|received/.test(name))).toBe(false);
    const got = run(["receive", at("package"), "--lock", "--to", at("Theirs")], PASSWORD, PACKAGE_PASSWORD);
    expect(got).toMatchObject({ status: 0, body: { files: 2, form: as, cipher: "aes", locked: true } });
    expect(isReadable(SECRET)).toBe(false);
    expect(run(["check", at("Theirs"), "--full"], PASSWORD)).toMatchObject({ status: 0 });
    expect(run(["unlock", at("Theirs")], PASSWORD).status).toBe(0);
    expect([
      fs.readFileSync(at("Theirs", "Letters", "one.txt"), "utf8"),
      fs.readFileSync(at("Theirs", "Letters", "2026", "two.txt"), "utf8"),
    ]).toEqual([SECRET, `${SECRET} too`]);
  },
);

it("a locked folder with its reader opens by the script without Eremos, and by Eremos of another owner", () => {
  const folder = letters();
  expect(cli.run(["lock", folder]).status).toBe(0);
  const { status, body } = run(
    ["hand-over", folder, "--as", "folder", "--to", at("for Jonas")],
    PASSWORD,
    PACKAGE_PASSWORD,
  );
  expect([status, body["sha256"], fs.readdirSync(at("for Jonas")).sort()]).toEqual([
    0,
    null,
    ["Letters", "Open it here.html"],
  ]);
  expect(fs.readFileSync(at("for Jonas", "Open it here.html"))).toEqual(
    fs.readFileSync(path.join(path.dirname(CLI), "../../rescue/dist/rescue.html")),
  );
  expect(isReadable(SECRET)).toBe(false);
  const rescue = (password: string): number | null =>
    spawnSync(
      "node",
      [
        path.join(path.dirname(CLI), "../../rescue/dist/rescue.mjs"),
        at("for Jonas", "Letters"),
        "--to",
        at("out"),
        "--password-stdin",
      ],
      { input: `${password}\n`, encoding: "utf8" },
    ).status;
  expect(rescue(PASSWORD)).not.toBe(0);
  expect(rescue(PACKAGE_PASSWORD)).toBe(0);
  const found = fs.readdirSync(at("out"), { recursive: true }).map(String);
  const one = found.find((name) => name.endsWith("one.txt")) ?? "";
  expect(fs.readFileSync(at("out", one), "utf8")).toBe(SECRET);

  expect(run(["recover", at("for Jonas", "Letters")], PASSWORD, PACKAGE_PASSWORD).status).toBe(0);
  expect(run(["unlock", at("for Jonas", "Letters")], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(at("for Jonas", "Letters", "one.txt"), "utf8")).toBe(SECRET);
});

it("without --lock what is in it is readable, and nobody need sign in; the master password opens no package", () => {
  letters();
  expect(run(["hand-over", at("Letters"), "--plain", "--to", at("package")], PACKAGE_PASSWORD).status).toBe(0);
  expect(run(["receive", at("package"), "--to", at("out")], PASSWORD)).toMatchObject({ status: 3 });
  expect(run(["receive", at("package"), "--to", at("out")], PACKAGE_PASSWORD)).toMatchObject({
    status: 0,
    body: { files: 2, locked: false },
  });
  expect(fs.readFileSync(at("out", "Letters", "one.txt"), "utf8")).toBe(SECRET);
  expect(run(["receive", at("package"), "--to", at("out")], PACKAGE_PASSWORD)).toMatchObject({ status: 4 });
  expect(run(["receive", at("package"), "--to", path.join(cli.base, "out")], PACKAGE_PASSWORD)).toMatchObject({
    status: 4,
    body: { error: { code: "outside-places" } },
  });
});

it("an empty password gets words by chance, each time others, that open it; a ZIP refuses what the page would take", () => {
  letters();
  const make = (to: string, ...more: string[]): Result =>
    run(["hand-over", at("Letters"), "--plain", "--to", at(to), ...more], "").body;
  const [one, two] = [make("one"), make("two", "--as", "zip", "--hide-names")];
  expect([one["words"], two["words"]].map((words) => String(words).split(" ").length)).toEqual([5, 5]);
  expect(one["words"]).not.toBe(two["words"]);
  expect(run(["receive", at("two"), "--to", at("out")], String(two["words"])).status).toBe(0);
  const hasNames = fs.readFileSync(at("two")).includes("one.txt");
  expect(hasNames).toBe(false);
  const guessable = "lantern quay 73";
  const as = (form: string): unknown =>
    run(["hand-over", at("Letters"), "--plain", "--to", at(`by-${form}`), "--as", form], guessable).status;
  expect([as("page"), as("zip")]).toEqual([0, 4]);
});

it("a single file is in its package by itself, locked or open", () => {
  fs.writeFileSync(at("why.txt"), SECRET);
  expect(cli.run(["lock", at("why.txt")]).status).toBe(0);
  const receivedAs = (name: string): string => {
    expect(run(["hand-over", at("why.txt"), "--to", at(name)], PASSWORD, PACKAGE_PASSWORD).status).toBe(0);
    expect(run(["receive", at(name), "--to", at(`out-${name}`)], PACKAGE_PASSWORD).status).toBe(0);
    return fs.readFileSync(at(`out-${name}`, "why.txt"), "utf8");
  };
  expect(receivedAs("locked")).toBe(SECRET);
  expect(cli.run(["unlock", at("why.txt")], PASSWORD).status).toBe(0);
  expect(receivedAs("open")).toBe(SECRET);
});
