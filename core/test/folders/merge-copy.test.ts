import * as fs from "node:fs";
import * as path from "node:path";
import { expect, it } from "vitest";
import { silentHooks } from "../../src/engine/ground/hooks";
import { forksAt, letForkGo } from "../../src/engine/visiting/forks";
import { compareCopy, mergeCopy } from "../../src/engine/visiting/merge-copy";
import type { RescueSecret } from "../../src/rescue/keys-of-folder";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { stateFile } from "../support/records";
import { usePlace } from "../support/place";
import { account } from "../support/visiting";
import { type Person, lock, makeMixedTree, release, snapshot, unlock } from "../support/world";

let person: Person;
let folder: string;
let copy: string;
usePlace((place) => {
  ({ person, folder } = place);
  copy = `${folder} (conflicted copy)`;
});

const secret = (): RescueSecret => ({
  kind: "root",
  rootKey: person.access.rootKey,
  folder: null,
  devices: person.access.devices,
});
const asked = (): { copy: Buffer; secret: RescueSecret; fork: null } => ({
  copy: Buffer.from(copy),
  secret: secret(),
  fork: null,
});
const named = (paths: readonly { readonly path: readonly Buffer[]; readonly kind: string }[]): string[] =>
  paths.map(({ path: parts, kind }) => `${kind} ${parts.map(String).join("/")}`).sort();

async function twoCopies(): Promise<void> {
  makeMixedTree(folder);
  const { folder: id } = await lock(folder, person.owner);
  fs.cpSync(folder, copy, { recursive: true, preserveTimestamps: true });
  const here = await unlock(copy, person.access);
  fs.writeFileSync(path.join(copy, "letter.txt"), "as it was changed on the other computer");
  fs.mkdirSync(path.join(copy, "new", "deeper"), { recursive: true });
  fs.writeFileSync(path.join(copy, "new", "deeper", "only here.txt"), "only here");
  await lock(copy, person.owner, { folder: id, note: here.note });
  const there = await unlock(folder, person.access);
  fs.writeFileSync(path.join(folder, "letter.txt"), "as it was changed on this one");
  fs.writeFileSync(path.join(folder, "only there.txt"), "only there");
  fs.writeFileSync(path.join(folder, "empty.dat"), "");
  const again = await lock(folder, person.owner, { folder: id, note: there.note });
  const once = await unlock(folder, person.access);
  fs.writeFileSync(path.join(folder, "later.txt"), "later");
  await lock(folder, person.owner, { folder: again.folder, note: once.note });
}

it("two copies of a folder tell their states and what one has that the other has not; what is chosen is taken, and nothing is replaced", async () => {
  await twoCopies();
  const before = snapshot(copy);
  const { generation, ofOriginal, differences, problems } = await compareCopy(linuxDisk, asked(), Buffer.from(folder));
  expect([generation, ofOriginal, problems]).toEqual([2, 3, []]);
  expect(named(differences).filter((line) => !line.includes("empty.dat"))).toEqual([
    "differs letter.txt",
    "differs photos/same letter.txt",
    "only-here new/deeper/only here.txt",
  ]);
  const paths = differences
    .filter(({ path: parts }) => ["letter.txt", "only here.txt"].includes(String(parts.at(-1))))
    .map(({ path: parts }) => parts);
  const merged = await mergeCopy(
    linuxDisk,
    {
      ...asked(),
      original: {
        path: Buffer.from(folder),
        access: person.access,
        keptHeader: null,
        expected: null,
        accept: [],
        account,
        keepEarlier: 1,
      },
      paths,
    },
    silentHooks,
  );
  expect([merged.taken, merged.damaged]).toEqual([2, []]);
  expect(snapshot(copy)).toEqual(before);
  await release(folder, person.access);
  const read = (name: string): string => fs.readFileSync(path.join(folder, name), "utf8");
  expect([
    read("letter.txt"),
    read("letter (from the copy).txt"),
    read("new/deeper/only here.txt"),
    read("only there.txt"),
    read("later.txt"),
  ]).toEqual([
    "as it was changed on this one",
    "as it was changed on the other computer",
    "only here",
    "only there",
    "later",
  ]);
});

it("a state that another computer locked at the same time, as a program keeping both in step leaves it, stays until it is merged or let go", async () => {
  await twoCopies();
  for (const kind of ["index", "packs", "manifests", "generations"])
    fs.cpSync(path.join(copy, ".eremos", kind), path.join(folder, ".eremos", kind), { recursive: true });
  const [fork, ...more] = forksAt(linuxDisk, Buffer.from(folder));
  expect([fork?.generation, more]).toEqual([2, []]);
  const { note } = await unlock(folder, person.access);
  fs.writeFileSync(path.join(folder, "again.txt"), "again");
  const { folder: id } = JSON.parse(fs.readFileSync(path.join(folder, ".eremos", stateFile(folder)), "utf8")) as {
    folder: string;
  };
  await lock(folder, person.owner, { folder: id, note });
  const own = { copy: Buffer.from(folder), secret: secret(), fork: fork?.name ?? "" };
  const { differences, generation, ofOriginal } = await compareCopy(linuxDisk, own, Buffer.from(folder));
  expect([generation, ofOriginal, named(differences).filter((line) => line.startsWith("only-here"))]).toEqual([
    2,
    4,
    ["only-here new/deeper/only here.txt"],
  ]);
  await mergeCopy(
    linuxDisk,
    {
      ...own,
      original: {
        path: Buffer.from(folder),
        access: person.access,
        keptHeader: null,
        expected: null,
        accept: [],
        account,
        keepEarlier: 0,
      },
      paths: differences.map(({ path: parts }) => parts),
    },
    silentHooks,
  );
  const original = {
    path: Buffer.from(folder),
    access: person.access,
    keptHeader: null,
    expected: null,
    accept: [],
    account,
    keepEarlier: 0,
  };
  await letForkGo(linuxDisk, original, own.fork);
  expect(forksAt(linuxDisk, Buffer.from(folder))).toEqual([]);
  await expect(letForkGo(linuxDisk, original, own.fork)).rejects.toMatchObject({ code: "not-found" });
  await release(folder, person.access);
  expect([
    fs.readFileSync(path.join(folder, "new/deeper/only here.txt"), "utf8"),
    fs.readFileSync(path.join(folder, "letter (from the copy).txt"), "utf8"),
    fs.readFileSync(path.join(folder, "again.txt"), "utf8"),
  ]).toEqual(["only here", "as it was changed on the other computer", "again"]);
});

it("a file that is damaged in the copy is left and named; another folder is refused", async () => {
  await twoCopies();
  const { differences } = await compareCopy(linuxDisk, asked(), Buffer.from(folder));
  const packs = path.join(copy, ".eremos", "packs");
  for (const name of fs
    .readdirSync(packs, { recursive: true, encoding: "utf8" })
    .map((one) => path.join(packs, one))
    .filter((one) => fs.statSync(one).isFile())) {
    const bytes = fs.readFileSync(name);
    fs.writeFileSync(name, bytes.fill(0, 104));
  }
  const original = {
    path: Buffer.from(folder),
    access: person.access,
    keptHeader: null,
    expected: null,
    accept: [],
    account,
    keepEarlier: 0,
  };
  const { taken, damaged } = await mergeCopy(
    linuxDisk,
    { ...asked(), original, paths: differences.filter(({ size }) => size > 0).map(({ path: parts }) => parts) },
    silentHooks,
  );
  expect([taken, damaged.length > 0]).toEqual([0, true]);
  const other = path.join(path.dirname(folder), "Other");
  fs.mkdirSync(other);
  fs.writeFileSync(path.join(other, "a"), "a");
  await lock(other, person.owner);
  await expect(compareCopy(linuxDisk, asked(), Buffer.from(other))).rejects.toMatchObject({ code: "usage" });
  await expect(
    mergeCopy(linuxDisk, { ...asked(), original: { ...original, path: Buffer.from(other) }, paths: [] }, silentHooks),
  ).rejects.toMatchObject({ code: "usage" });
});
