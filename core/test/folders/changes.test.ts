import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, expect, it } from "vitest";
import { type ChangesOutcome, changesSinceLock } from "../../src/engine/visiting/changes";
import { silentHooks } from "../../src/engine/ground/hooks";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import {
  type Person,
  lock,
  makeMixedTree,
  newDirectory,
  newPerson,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";

const FOLDER = Buffer.alloc(16, 3).toString("hex");
let person: Person;
let base: string;
let folder: string;
beforeAll(async () => {
  person = await newPerson();
});
beforeEach(async () => {
  base = newDirectory();
  folder = path.join(base, "Payroll");
  fs.mkdirSync(folder);
  makeMixedTree(folder);
  await lock(folder, person.owner, { folder: FOLDER });
});
afterEach(() => removeDirectory(base));

const changes = (most = 100): Promise<ChangesOutcome> =>
  changesSinceLock(
    linuxDisk,
    { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null, accept: [], most },
    silentHooks,
  );
const told = async (most?: number): Promise<string[]> =>
  (await changes(most)).changes.map(
    ({ kind, type, path: names }) => `${kind} ${type} ${names.map((name) => name.toString("latin1")).join("/")}`,
  );

it("a folder just opened differs in nothing, whatever is in it; looking at it changes nothing", async () => {
  await unlock(folder, person.access);
  const before = snapshot(folder);
  expect(await told()).toEqual([]);
  expect(snapshot(folder)).toEqual(before);
});

it("tells what came, changed and went, at any depth, of every kind, and that there is more than asked for", async () => {
  await unlock(folder, person.access);
  fs.mkdirSync(path.join(folder, "came", "deeper"), { recursive: true });
  fs.writeFileSync(path.join(folder, "came", "deeper", "in it.txt"), "");
  fs.symlinkSync("nowhere", path.join(folder, "link that came"));
  expect(await told()).toEqual(["added dir came", "added link link that came"]);
  await lock(folder, person.owner, { folder: FOLDER });
  await unlock(folder, person.access);
  fs.writeFileSync(path.join(folder, "came", "deeper", "in it.txt"), "longer");
  fs.rmSync(path.join(folder, "link that came"));
  fs.symlinkSync("elsewhere", path.join(folder, "link that came"));
  expect(await told()).toEqual(["changed file came/deeper/in it.txt", "changed link link that came"]);
  fs.rmSync(path.join(folder, "came"), { recursive: true });
  fs.writeFileSync(path.join(folder, "came"), "a file of that name");
  expect(await told()).toEqual(["changed file came", "changed link link that came"]);
  fs.rmSync(path.join(folder, "came"));
  expect(await told()).toEqual(["changed link link that came", "removed dir came"]);
  expect(await changes(1)).toMatchObject({ isCut: true, changes: [{ kind: "changed" }] });
});

it("the same size and another time counts as changed, the same content and time as unchanged", async () => {
  await unlock(folder, person.access);
  const file = path.join(folder, "came.txt");
  fs.writeFileSync(file, "7");
  fs.utimesSync(file, 1_700_000_000, 1_700_000_000);
  await lock(folder, person.owner, { folder: FOLDER });
  await unlock(folder, person.access);
  fs.writeFileSync(file, "8");
  expect(await told()).toEqual(["changed file came.txt"]);
  fs.writeFileSync(file, "7");
  fs.utimesSync(file, 1_700_000_000, 1_700_000_000);
  expect(await told()).toEqual([]);
});

it("is refused where the folder does not lie open", async () => {
  await expect(changes()).rejects.toMatchObject({ code: "not-open" });
});
