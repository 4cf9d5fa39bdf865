import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { CommandLine, PASSWORD } from "./command-line";

const ESCAPES = "\u001b]52;c;ZXZpbA==\u0007\u001b[2J\u009b31m\u202egpj.exe\u2028\neremos: All is well.\rX";
/** Whatever a terminal acts on, but for the line breaks that end our own lines. */
const ACTED_ON = /[\u0000-\u0009\u000b-\u001f\u007f-\u009f\u2028\u2029\u200b-\u200f\u202a-\u202e]/;

let cli: CommandLine;
beforeEach(async () => {
  cli = new CommandLine();
  await cli.setUp();
});
afterEach(() => cli.remove());

it("names of folders and files reach the terminal as plain text: no escape sequence, no second line, no turned text, in words, errors and JSON", () => {
  const name = `Bills ${ESCAPES.replaceAll("/", "")}`;
  const folder = path.join(cli.world, name);
  fs.mkdirSync(folder);
  fs.writeFileSync(path.join(folder, name), "a file");
  const said = [
    ["lock", folder],
    ["list"],
    ["check", folder],
    ["onlooker", cli.world],
    ["unlock", folder],
    ["lock", `${folder}/none`],
    ["lock", folder],
    ["scan", cli.world],
    ["release", folder],
  ].flatMap((words) => {
    const password = ["list", "check", "unlock", "release"].includes(words[0] ?? "") ? PASSWORD : null;
    const { stdout, stderr } = cli.run(words, password);
    return [stdout, stderr];
  });
  for (const one of said) {
    expect(one).not.toMatch(ACTED_ON);
    expect(one.split("\n")).not.toContain("eremos: All is well.");
  }
  expect(said.join("")).toContain("Bills <U+001B>]52;c;ZXZpbA==<U+0007>");
  expect(cli.run(["lock", folder]).status).toBe(0);
  const { stdout } = cli.run(["list", "--json"], PASSWORD);
  expect(stdout.trimEnd()).not.toMatch(ACTED_ON);
  expect((JSON.parse(stdout) as { folders: { path: string }[] }).folders).toMatchObject([{ path: folder }]);
});

it("a hint that a terminal acts on, or that shows nothing, is refused", () => {
  for (const hint of [ESCAPES, "two\nlines", "\u200b", "\u202erab"]) {
    const { status, stderr } = cli.run(["passwd", "--hint", hint], `${PASSWORD}\nhalf a cello and its bow`);
    expect([status, stderr], JSON.stringify(hint)).toEqual([4, expect.stringContaining("one line of plain text")]);
  }
});

it("the list has a line for each folder's path, and its facts below", () => {
  const folder = cli.makeFolder("Ledgers");
  expect(cli.run(["lock", folder, "--view"]).status).toBe(0);
  expect(cli.run(["list"], PASSWORD).stdout).toMatch(
    new RegExp(`^locked +${folder}\\n {13}sealed, in view, \\d+ files, \\d+ bytes, id [0-9a-f]{32}\\n$`),
  );
});
