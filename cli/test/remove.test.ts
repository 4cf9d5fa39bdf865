import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { CommandLine, PASSWORD } from "./command-line";

describe("eremos remove and eremos overwrite", () => {
  const cli = new CommandLine();
  const locked = (name: string): string => {
    const folder = cli.makeFolder(name);
    expect(cli.run(["lock", folder]).status).toBe(0);
    return folder;
  };
  const standing = (): string[] => fs.readdirSync(cli.world).sort();
  beforeAll(() => cli.setUp());
  afterAll(() => cli.remove());

  it("into the trash for as many days as are named, listed there, and back", () => {
    const folder = locked("Payroll");
    const { status, body } = cli.json(["remove", folder, "--days", "7"], PASSWORD);
    expect([status, body]).toEqual([0, { path: folder, daysLeft: 7, back: false }]);
    expect(standing()).toEqual([".eremos-held"]);
    expect(cli.run(["list"], PASSWORD).stdout).toContain(`in the trash ${folder}`);
    expect(cli.run(["unlock", folder], PASSWORD).status).toBe(4);
    expect(cli.json(["remove", folder, "--undo"], PASSWORD).body).toMatchObject({ path: folder, back: true });
    expect(cli.run(["unlock", folder], PASSWORD).status).toBe(0);
    expect(cli.run(["remove", folder, "--undo"], PASSWORD).status).toBe(4);
  });

  it("for good with its name in the line behind the password, and with another name nothing happens", () => {
    const folder = locked("Letters");
    const other = cli.run(["remove", folder, "--now"], `${PASSWORD}\nletters`);
    expect([other.status, other.stderr]).toEqual([2, expect.stringContaining("called Letters") as string]);
    expect(cli.run(["remove", folder, "--now", "--passes", "1"], `${PASSWORD}\nLetters`).status).toBe(0);
    expect(standing().filter((name) => name !== "Payroll")).toEqual([]);
    expect(cli.run(["remove", folder, "--now"], `${PASSWORD}\nLetters`).status).toBe(4);
  });

  it("flags that don't belong together are refused before anything is asked", () => {
    for (const flags of [
      ["--now", "--undo"],
      ["--now", "--days", "3"],
      ["--history"],
      ["--days", "0"],
      ["--passes", "3"],
    ])
      expect([flags, cli.run(["remove", "Payroll", ...flags], PASSWORD).status]).toEqual([flags, 2]);
    for (const words of [[], ["--passes", "2", "x"], ["--free", "/", "x"]])
      expect([words, cli.run(["overwrite", ...words]).status]).toEqual([words, 2]);
  });

  it("overwrites files and folders without a password, says what it reached, and names what it left", () => {
    const folder = path.join(cli.world, "Old");
    fs.mkdirSync(folder);
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
    fs.linkSync(path.join(folder, "letter.txt"), path.join(cli.world, "another name.txt"));
    fs.writeFileSync(path.join(folder, "goes.txt"), "goes");
    const { status, body } = cli.json<{ files: number; left: unknown[]; reaches: { verdict: string } }>([
      "overwrite",
      folder,
      "--passes",
      "3",
    ]);
    expect([status, body.files, body.left]).toEqual([
      6,
      1,
      [{ path: path.join(folder, "letter.txt"), reason: expect.stringContaining("another name") as string }],
    ]);
    expect(body.reaches.verdict).not.toBe("");
    expect(fs.readFileSync(path.join(cli.world, "another name.txt"), "utf8")).toContain("Jonas");
    expect(cli.run(["overwrite", "/etc/hostname"]).status).toBe(4);
    expect(cli.run(["overwrite", path.join(cli.world, "nothing")]).status).toBe(4);
  });

  it("the free space of a small disk is filled and freed again", () => {
    const disk = path.join(cli.world, "small");
    fs.mkdirSync(disk);
    if (spawnSync("mount", ["-t", "tmpfs", "-o", "size=24m", "tmpfs", disk]).status !== 0) return;
    try {
      const { status, body } = cli.json<{ free: number; ended: string }>(["overwrite", "--free", disk]);
      expect([status, body.ended]).toEqual([0, "room"]);
      expect(body.free).toBeGreaterThan(5_000_000);
      expect(fs.readdirSync(disk)).toEqual([]);
    } finally {
      spawnSync("umount", [disk]);
    }
  });
});
