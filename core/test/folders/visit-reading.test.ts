import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import fc from "fast-check";
import { afterEach, beforeAll, beforeEach, expect, it } from "vitest";
import { Visit } from "../../src/engine/visiting/visit";
import type { DirNode, Node } from "../../src/engine/visiting/visit-tree";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import {
  type Person,
  lock,
  makeMixedTree,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";

let person: Person;
let folder: string;
let plain: string;
beforeAll(async () => {
  person = await newPerson();
});
beforeEach(async () => {
  folder = path.join(newDirectory(), "Payroll");
  plain = path.join(path.dirname(folder), "plain");
  fs.mkdirSync(folder);
  makeMixedTree(folder);
  for (let i = 0; i < 300; i++) fs.writeFileSync(path.join(folder, "photos", `note ${i}`), `note ${i}`);
  expect(spawnSync("cp", ["-a", folder, plain]).status).toBe(0);
  await lock(folder, person.owner);
});
afterEach(() => removeDirectory(path.dirname(folder)));

const open = (): Promise<Visit> =>
  Visit.open(linuxDisk, {
    path: Buffer.from(folder),
    access: person.access,
    keptHeader: null,
    expected: null,
    accept: [],
    account: { uid: 0, gid: 0 },
  });

function walk(
  reader: Visit,
  dir: DirNode,
  at: readonly Buffer[],
  visit: (at: readonly Buffer[], entry: Node) => void,
): void {
  for (const entry of reader.list(dir)) {
    visit([...at, entry.name], entry);
    if (entry.kind === "dir") walk(reader, entry, [...at, entry.name], visit);
  }
}

it("any part of any file of a locked folder is read as it was, and the folder stays as it is", async () => {
  const before = snapshot(folder);
  const reader = await open();
  const files: Buffer[][] = [];
  let entries = 0;
  walk(reader, reader.root, [], (at, entry) => {
    entries++;
    expect(reader.find(at)).toBe(entry);
    const onDisk = Buffer.from(path.join(plain, "x")).subarray(0, -1);
    const where = Buffer.concat([onDisk, ...at.flatMap((name, i) => (i === 0 ? [name] : [Buffer.from("/"), name]))]);
    if (entry.kind === "link") expect(fs.readlinkSync(where, "buffer")).toEqual(entry.target);
    if (entry.kind === "file") files.push([where, ...at]);
  });
  expect(entries).toBe(fs.readdirSync(plain, { recursive: true }).length);

  fc.assert(
    fc.property(
      fc.nat(files.length - 1),
      fc.double({ min: 0, max: 1.1, noNaN: true }),
      fc.nat(400_000),
      (pick, part, length) => {
        const [where, ...at] = files[pick] ?? [];
        const entry = reader.find(at);
        if (!where || entry?.kind !== "file") throw new Error("a file that was listed is not found");
        const position = Math.floor(part * entry.size);
        const content = fs.readFileSync(where);
        const into = Buffer.alloc(length, 0xaa);
        const count = reader.read(entry, position, into);
        expect(into.subarray(0, count).equals(content.subarray(position, position + length))).toBe(true);
        expect(into.subarray(count).every((byte) => byte === 0xaa)).toBe(true);
      },
    ),
    { numRuns: 300 },
  );

  expect(reader.find([Buffer.from("gone")])).toBeNull();
  expect(reader.find([Buffer.from("letter.txt"), Buffer.from("below a file")])).toBeNull();
  reader.close();
  expect(snapshot(folder)).toEqual(before);
});

it("holds the folder while it is open, and opens only what is locked", async () => {
  const reader = await open();
  await expect(unlock(folder, person.access)).rejects.toMatchObject({ code: "busy" });
  reader.close();
  await unlock(folder, person.access);
  await expect(open()).rejects.toMatchObject({ code: "not-locked" });
});

it("names damage instead of giving wrong bytes", async () => {
  const packs = path.join(folder, ".eremos", "packs");
  const [pack] = fs
    .readdirSync(packs, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && fs.statSync(path.join(entry.parentPath, entry.name)).size > 1_000_000);
  const fd = fs.openSync(path.join(pack?.parentPath ?? "", pack?.name ?? ""), "r+");
  fs.writeSync(fd, "XX", 500_000);
  fs.closeSync(fd);
  const reader = await open();
  const large = reader.find([Buffer.from("photos"), Buffer.from("large.bin")]);
  if (large?.kind !== "file") throw new Error("large.bin is missing");
  expect(() => reader.read(large, 0, Buffer.alloc(large.size))).toThrow(expect.objectContaining({ code: "damaged" }));
  expect(reader.read(large, 1_200_000, Buffer.alloc(10))).toBe(10);
  reader.close();
  await expect(release(folder, person.access)).rejects.toMatchObject({
    code: "files-damaged",
    data: { files: ["photos/large.bin"] },
  });
});
