import * as fs from "node:fs";
import * as path from "node:path";
import { beforeEach, expect, it } from "vitest";
import { checkFolder } from "../../src/engine/upkeep/check";
import { forksAt } from "../../src/engine/visiting/forks";
import { type Merged, mergeCopy } from "../../src/engine/visiting/merge-copy";
import { silentHooks } from "../../src/engine/ground/hooks";
import { linuxDisk, linuxDiskOf } from "../../src/platform/linux/linux-disk";
import type { Consent } from "../../src/format/choices";
import { newBatch } from "../../src/format/ids";
import { readState, stateName, writeState } from "../../src/format/state";
import { type Place, usePlace } from "../support/place";
import { both } from "../support/records";
import { account, inputOf } from "../support/visiting";
import { lock, unlock } from "../support/world";

/** One folder on two computers: what one of them made, and a program brought, as the other one finds it. */
let { person, folder, base } = {} as Place;
usePlace((place) => ({ person, folder, base } = place));

const other = linuxDiskOf(Buffer.alloc(32, 9));
let there: string;
let id: string;
const ownDir = (of: string, ...names: readonly string[]): string => path.join(of, ".eremos", ...names);
const generations = (of: string): number[] =>
  fs
    .readdirSync(ownDir(of, "generations"))
    .filter((name) => !name.includes("twin"))
    .map((name) => Number(/-(\d+)\.json$/.exec(name)?.[1]))
    .sort();
/** Everything of one side that the other has not, or has otherwise. */
const bring = (from: string, to: string): void =>
  fs.cpSync(path.join(from, ".eremos"), path.join(to, ".eremos"), { recursive: true, preserveTimestamps: true });
const packs = (of: string): string[] =>
  fs
    .readdirSync(ownDir(of, "packs"), { recursive: true, encoding: "utf8" })
    .map((name) => ownDir(of, "packs", name))
    .filter((file) => fs.statSync(file).isFile());

/** Opened, edited and locked by a computer, once. */
async function work(
  at: string,
  disk: typeof linuxDisk,
  name: string,
  accept: readonly Consent[] = [],
): Promise<number> {
  const { note } = await unlock(at, person.access, { disk, accept });
  fs.writeFileSync(path.join(at, name), name);
  return (await lock(at, person.owner, { disk, folder: id, note })).generation;
}

beforeEach(async () => {
  there = path.join(base, "There");
  fs.writeFileSync(path.join(folder, "begin"), "begin");
  ({ folder: id } = await lock(folder, person.owner));
  fs.cpSync(folder, there, { recursive: true, preserveTimestamps: true });
  await work(there, other, "from there");
  bring(there, folder);
});

it("a state that another computer made from this one's is opened, once all of it is here; the other's page tells it until then", async () => {
  expect(forksAt(linuxDisk, Buffer.from(folder))).toMatchObject([
    { generation: 2, isNewer: true, arrival: { pieces: 3, arrived: 3 } },
  ]);
  const { generation } = await unlock(folder, person.access);
  expect([
    generation,
    fs
      .readdirSync(folder)
      .filter((name) => name !== ".eremos")
      .sort(),
  ]).toEqual([2, ["begin", "from there"]]);
  expect(forksAt(linuxDisk, Buffer.from(folder))).toEqual([]);
});

it("while pieces of it are on their way, that is said in numbers, and with that agreed to the state before is opened; nothing is called damaged or old", async () => {
  const [missing = ""] = packs(there).sort((a, b) => fs.statSync(b).mtimeMs - fs.statSync(a).mtimeMs);
  fs.rmSync(missing.replace(there, folder));
  await expect(unlock(folder, person.access)).rejects.toMatchObject({
    code: "arriving",
    data: { pieces: 3, arrived: 2 },
    message: expect.stringContaining("2 of 3 pieces are here") as string,
  });
  expect(
    await checkFolder(
      linuxDisk,
      { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null },
      silentHooks,
    ),
  ).toMatchObject({ ok: true, damaged: [] });
  expect((await unlock(folder, person.access, { accept: ["arriving"] })).generation).toBe(1);
});

it("a key that is on its way is a piece that is: nothing that needs it is opened, merged or called damaged before it is here", async () => {
  const before = fs.existsSync(ownDir(there, "keys")) ? fs.readdirSync(ownDir(there, "keys")) : [];
  const { note } = await unlock(there, person.access, { disk: other });
  fs.writeFileSync(path.join(there, "signed out"), "signed out");
  await lock(there, person.device, { disk: other, folder: id, note });
  await work(there, other, "on top of it");
  const keys = fs.readdirSync(ownDir(there, "keys")).filter((name) => !before.includes(name));
  expect(keys.length).toBeGreaterThan(0);
  bring(there, folder);
  for (const name of keys) fs.rmSync(ownDir(folder, "keys", name));

  await expect(unlock(folder, person.access)).rejects.toMatchObject({ code: "arriving" });
  expect(await work(folder, linuxDisk, "from here", ["arriving"])).toBeGreaterThan(1);
  const [fork] = forksAt(linuxDisk, Buffer.from(folder)).filter(({ isNewer }) => !isNewer);
  expect(fork?.arrival).toMatchObject({ missing: 1 });
  expect(fork?.arrival.arrived).toBe((fork?.arrival.pieces ?? 0) - 1);
  const merging = (): Promise<Merged> =>
    mergeCopy(
      linuxDisk,
      {
        copy: Buffer.from(folder),
        secret: { kind: "root", rootKey: person.access.rootKey, folder: null, devices: person.access.devices },
        fork: fork?.name ?? null,
        original: { ...inputOf(person, folder), account },
        paths: [[Buffer.from("signed out")]],
      },
      silentHooks,
    );
  await expect(merging()).rejects.toMatchObject({ code: "arriving" });
  bring(there, folder);
  expect(await merging()).toMatchObject({ taken: 1, damaged: [] });
});

it("a state in which another computer is stays, though this one has gone on; it goes when that one has gone on, too", async () => {
  await work(folder, linuxDisk, "from here");
  expect(generations(folder)).toEqual([2, 3]);
  bring(folder, there);
  await work(there, other, "from there again");
  bring(there, folder);
  await work(folder, linuxDisk, "from here again");
  expect(generations(folder)).toEqual([4, 5]);
});

it("of another computer that has written nothing for 30 days, what it was at stays, and what came after goes", async () => {
  await work(folder, linuxDisk, "from here");
  const longAgo = Date.now() / 1000 - 31 * 24 * 60 * 60;
  for (const name of both(stateName(other.identity.id).toString()))
    fs.utimesSync(ownDir(folder, name), longAgo, longAgo);
  for (const name of ["once", "twice"]) await work(folder, linuxDisk, name);
  expect(generations(folder)).toEqual([2, 5]);
});

it("while another computer's record can't be read, nothing goes", async () => {
  await work(folder, linuxDisk, "from here");
  for (const name of both(stateName(other.identity.id).toString())) fs.writeFileSync(ownDir(folder, name), "spoilt");
  for (const name of ["once", "twice"]) await work(folder, linuxDisk, name);
  expect(generations(folder)).toEqual([2, 3, 4, 5]);
});

it("what a visit of another computer has written and may take back is not taken up before it has ended", async () => {
  const names = both(stateName(other.identity.id).toString()).map((name) => ownDir(folder, name));
  const atRest = readState(fs.readFileSync(names[0] ?? ""));
  for (const name of names) fs.writeFileSync(name, writeState({ ...atRest, next: { number: 3, batch: newBatch() } }));
  expect((await unlock(folder, person.access)).generation).toBe(1);
});
