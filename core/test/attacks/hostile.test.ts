import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { releaseOpenFolder } from "../support/guarding";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { MemoryDisk } from "../../src/platform/memory/memory-disk";
import type { Disk } from "../../src/platform/port";
import { holdOpen } from "../support/holder";
import { anyTree, grow, seen } from "../support/trees";
import {
  type Person,
  lock,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";

const RUNS = process.env["EREMOS_DEEP"] === "1" ? 400 : 12;
const IS_ROOT = process.getuid?.() === 0;

let person: Person;
let base: string;
beforeAll(async () => {
  person = await newPerson();
  base = newDirectory();
});
afterAll(() => removeDirectory(base));

/** Locked and released; opened, locked while signed out, released; locked, opened and released while open. */
async function thereAndBack(disk: Disk, folder: string, hidden: boolean, expectSame: () => void): Promise<void> {
  const visibility = hidden ? ("hidden" as const) : ("view" as const);
  const first = await lock(folder, person.owner, { disk, visibility });
  const left = disk
    .list(disk.openRoot(first.realPath))
    .map((name) => name.toString())
    .sort();
  expect(left).toEqual(hidden ? [".eremos"] : [".eremos", "Locked with Eremos.html"]);
  const opened = await unlock(first.realPath, person.access, { disk });
  const again = await lock(folder, person.device, { disk, visibility, folder: first.folder, note: opened.note });
  await release(again.realPath, person.access, { disk });
  expectSame();

  await lock(folder, person.device, { disk });
  await unlock(folder, person.access, { disk });
  await releaseOpenFolder(disk, Buffer.from(folder));
  expectSame();
}

describe("any tree a file system allows comes back exactly", () => {
  it("on this computer's disk", async () => {
    await fc.assert(
      fc.asyncProperty(anyTree(IS_ROOT), fc.boolean(), async (spec, hidden) => {
        const folder = path.join(fs.mkdtempSync(path.join(base, "run-")), "folder");
        fs.mkdirSync(folder);
        grow(linuxDisk, linuxDisk.openRoot(Buffer.from(folder)), spec);
        const before = snapshot(folder);
        await thereAndBack(linuxDisk, folder, hidden, () => expect(snapshot(folder)).toEqual(before));
        removeDirectory(path.dirname(folder));
      }),
      { numRuns: RUNS },
    );
  });

  it("in memory", async () => {
    await fc.assert(
      fc.asyncProperty(anyTree(true), fc.boolean(), async (spec, hidden) => {
        const disk = new MemoryDisk();
        disk.makeDir(disk.openRoot(Buffer.from("/")), Buffer.from("folder"), 0o750);
        grow(disk, disk.openRoot(Buffer.from("/folder")), spec);
        const before = seen(disk, Buffer.from("/folder"));
        await thereAndBack(disk, "/folder", hidden, () => expect(seen(disk, Buffer.from("/folder"))).toEqual(before));
      }),
      { numRuns: 4 * RUNS },
    );
  });
});

describe("what can't be locked is refused before anything is touched", () => {
  it.each([
    ["a pipe", "special-files", (folder: string) => linuxMkfifo(path.join(folder, "pipe"))],
    [
      "a protected folder inside",
      "nested",
      (folder: string) => fs.mkdirSync(path.join(folder, "inner", ".eremos"), { recursive: true }),
    ],
  ] as const)("%s", async (_what, code, spoil) => {
    const folder = fs.mkdtempSync(path.join(base, "refuse-"));
    fs.writeFileSync(path.join(folder, "file"), "content");
    spoil(folder);
    const before = snapshot(folder);
    await expect(lock(folder, person.owner)).rejects.toMatchObject({ code });
    expect(snapshot(folder)).toEqual(before);
  });

  it("a link instead of a folder, and a path that is gone", async () => {
    const folder = fs.mkdtempSync(path.join(base, "refuse-"));
    fs.symlinkSync(folder, path.join(base, "a link"));
    await expect(lock(path.join(base, "a link"), person.owner)).rejects.toMatchObject({ code: "not-a-folder" });
    await expect(lock(path.join(base, "gone"), person.owner)).rejects.toMatchObject({ code: "not-found" });
  });

  it("a file that a program has open for writing, unless told to", async () => {
    const folder = fs.mkdtempSync(path.join(base, "in-use-"));
    fs.writeFileSync(path.join(folder, "log"), "");
    const writer = await holdOpen(path.join(folder, "log"));
    expect(linuxDisk.holders(Buffer.from(folder))).toHaveLength(1);
    await expect(lock(folder, person.owner)).rejects.toMatchObject({ code: "in-use" });
    expect(fs.readdirSync(folder)).toEqual(["log"]);
    await lock(folder, person.owner, { inUseAnyway: true });
    writer.kill();
  });
});

function linuxMkfifo(at: string): void {
  const { status } = spawnSync("mkfifo", [at]);
  expect(status).toBe(0);
}
