import { spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { releaseOpenFolder } from "../src/engine/unlock";
import { setTimesNs, writeXattr } from "../src/platform/linux/libc";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import { type Person, lock, newDirectory, newPerson, release, removeDirectory, snapshot, unlock } from "./world";

const RUNS = process.env["EREMOS_DEEP"] === "1" ? 400 : 25;
const IS_ROOT = process.getuid?.() === 0;

type Entry =
  | { readonly kind: "file"; readonly size: number; readonly byte: number; readonly mode: number; readonly mtimeNs: bigint; readonly xattr: Buffer | null }
  | { readonly kind: "link"; readonly target: Buffer }
  | { readonly kind: "dir"; readonly mode: number; readonly mtimeNs: bigint; readonly children: readonly (readonly [Buffer, Entry])[] };

/** Any bytes a Linux file system allows as a name. */
const name = fc.uint8Array({ minLength: 1, maxLength: 255 })
  .map((bytes) => Buffer.from(bytes.map((byte) => (byte === 0 || byte === 0x2f ? 0x5f : byte))))
  .filter((bytes) => !bytes.equals(Buffer.from(".")) && !bytes.equals(Buffer.from("..")) && !bytes.equals(Buffer.from(".eremos")));
const awkwardName = fc.constantFrom(" ", "  lead", "trail ", "new\nline", "-rf", "~", "$(id)", "é", "é", "CON", "a".repeat(255), ".hidden", "Locked with Eremos.html", "\t")
  .map((text) => Buffer.from(text));
const times = fc.bigInt({ min: -2_000_000_000_000_000_000n, max: 4_000_000_000_000_000_000n });
const mode = IS_ROOT ? fc.integer({ min: 0, max: 0o7777 }) : fc.integer({ min: 0, max: 0o777 }).map((bits) => bits | 0o500);
const size = fc.oneof(fc.constantFrom(0, 1, 65_535, 65_536, 65_537, 131_072, 1_048_575, 1_048_576, 1_048_577), fc.integer({ min: 0, max: 300_000 }));
const file: fc.Arbitrary<Entry> = fc.record({ kind: fc.constant("file" as const), size, byte: fc.integer({ min: 0, max: 255 }), mode, mtimeNs: times, xattr: fc.option(fc.uint8Array({ maxLength: 60 }).map((bytes): Buffer => Buffer.from(bytes)), { nil: null }) });
const link: fc.Arbitrary<Entry> = fc.record({ kind: fc.constant("link" as const), target: fc.uint8Array({ minLength: 1, maxLength: 200 }).map((bytes) => Buffer.from(bytes.map((byte) => byte || 1))) });
const { tree } = fc.letrec<{ tree: Entry }>((tie) => ({
  tree: fc.record({
    kind: fc.constant("dir" as const), mode: mode.map((bits) => bits | 0o500), mtimeNs: times,
    children: fc.array(fc.tuple(fc.oneof(name, awkwardName), fc.oneof({ maxDepth: 4 }, file, link, tie("tree"))), { maxLength: 5 }),
  }),
}));

function build(at: Buffer, entry: Entry): void {
  if (entry.kind === "link") return fs.symlinkSync(entry.target, at);
  if (entry.kind === "file") {
    fs.writeFileSync(at, Buffer.alloc(entry.size, entry.byte));
    if (entry.xattr) writeXattr(at, Buffer.from("user.eremos-test"), entry.xattr);
  } else {
    if (!fs.existsSync(at)) fs.mkdirSync(at);
    for (const [childName, child] of entry.children) {
      const childAt = Buffer.concat([at, Buffer.from("/"), childName]);
      if (!fs.lstatSync(childAt, { throwIfNoEntry: false })) build(childAt, child);
    }
  }
  fs.chmodSync(at, entry.mode);
  setTimesNs(at, entry.mtimeNs, entry.mtimeNs);
}

let person: Person;
let base: string;
beforeAll(async () => {
  person = await newPerson();
  base = newDirectory();
});
afterAll(() => removeDirectory(base));

describe("any tree a file system allows", () => {
  it("comes back exactly: locked and released, and opened, locked while signed out and released", async () => {
    await fc.assert(fc.asyncProperty(tree, fc.boolean(), async (entry, hidden) => {
      const parent = fs.mkdtempSync(path.join(base, "run-"));
      const folder = path.join(parent, "folder");
      build(Buffer.from(folder), entry);
      fs.chmodSync(folder, 0o755);
      const before = snapshot(folder);
      const visibility = hidden ? "hidden" as const : "view" as const;
      const first = await lock(folder, person.owner, { visibility });
      expect(fs.readdirSync(first.realPath).sort()).toEqual(hidden ? [".eremos"] : [".eremos", "Locked with Eremos.html"]);
      const opened = await unlock(first.realPath, person.access);
      const again = await lock(folder, person.device, { visibility, folder: first.folder, note: opened.note });
      await release(again.realPath, person.access);
      expect(snapshot(folder)).toEqual(before);

      await lock(folder, person.device);
      await unlock(folder, person.access);
      releaseOpenFolder(linuxDisk, Buffer.from(folder));
      expect(snapshot(folder)).toEqual(before);
      removeDirectory(parent);
    }), { numRuns: RUNS });
  });
});

describe("what can't be locked is refused before anything is touched", () => {
  it.each([
    ["a pipe", "special-files", (folder: string) => linuxMkfifo(path.join(folder, "pipe"))],
    ["a protected folder inside", "nested", (folder: string) => fs.mkdirSync(path.join(folder, "inner", ".eremos"), { recursive: true })],
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
    const writer = spawn("sh", ["-c", `exec 3>>"${folder}/log"; exec sleep 60`]);
    await expect.poll(() => linuxDisk.holders(Buffer.from(folder)).length).toBe(1);
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
