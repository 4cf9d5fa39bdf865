import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { type CheckOutcome, checkFolder } from "../../src/engine/upkeep/check";
import { silentHooks } from "../../src/engine/ground/hooks";
import { type Mended, mendFolder } from "../../src/engine/upkeep/mend";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { crashingDisk } from "../support/crashing-disk";
import { both, generationFiles, headAt, stateFile, twin } from "../support/records";
import { FOLDER } from "../support/scene";
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
import { VISIBILITIES } from "../../src/format/choices";

let person: Person;
let base: string;
let folder: string;
beforeAll(async () => {
  person = await newPerson();
});
beforeEach(() => {
  base = newDirectory();
  folder = path.join(base, "deep", "Payroll");
  fs.mkdirSync(folder, { recursive: true });
  makeMixedTree(folder);
});
afterEach(() => removeDirectory(base));

const mend = (at: string, disk = linuxDisk, keptHeader: Buffer | null = null): Promise<Mended> =>
  mendFolder(disk, { path: Buffer.from(at), access: person.access, keptHeader });
const inOwnDir = (at: string, ...names: readonly string[]): string => path.join(at, ".eremos", ...names);
const RECORDS = ["header", "slot", "generation", "state"].flatMap(
  (kind) =>
    [
      [kind, "first"],
      [kind, "twin"],
    ] as const,
);

/** The paths of a folder's records, in Eremos' directory. */
function recordOf(kind: string): string {
  if (kind === "slot") return `slots/${headAt(folder).header.slots[0] ?? ""}.json`;
  if (kind === "state") return stateFile(folder);
  return kind === "generation" ? (generationFiles(folder)[0] ?? "") : `${kind}.json`;
}
const WAYS = {
  missing: (file: string) => fs.rmSync(file),
  damaged: (file: string) => fs.writeFileSync(file, fs.readFileSync(file, "utf8").replace(/[0-9a-f](?=")/, "x")),
} as const;

describe.each(RECORDS)("the record of the %s, its %s", (kind, which) => {
  it.each(["missing", "damaged"] as const)(
    "%s: is written anew, and the folder is whole and opens as before",
    async (how) => {
      const before = snapshot(folder);
      await lock(folder, person.owner, { folder: FOLDER });
      const name = recordOf(kind);
      WAYS[how](inOwnDir(folder, which === "twin" ? twin(name) : name));
      expect((await mend(folder)).mended).toHaveLength(1);
      expect((await mend(folder)).mended).toEqual([]);
      expect(
        await checkFolder(
          linuxDisk,
          { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null },
          silentHooks,
        ),
      ).toMatchObject({ ok: true });
      await release(folder, person.access);
      expect(snapshot(folder).slice(1)).toEqual(before.slice(1));
    },
  );
});

it.each(["packs", "index", "manifests", "keys"])(
  "what encrypted files begin with, and one copy of each record in %s, are written anew",
  async (directory) => {
    const before = snapshot(folder);
    const { folder: id } = await lock(folder, person.owner, { folder: FOLDER });
    const { note } = await unlock(folder, person.access);
    fs.writeFileSync(path.join(folder, "new.txt"), "new");
    await lock(folder, person.device, { folder: id, note });
    for (const name of fs
      .readdirSync(inOwnDir(folder, directory), { recursive: true, encoding: "utf8" })
      .filter((one) => !one.includes("twin"))) {
      const file = inOwnDir(folder, directory, name);
      if (!fs.statSync(file).isFile()) continue;
      const bytes = fs.readFileSync(file);
      fs.writeFileSync(file, bytes.fill(0x55, 10, 100));
    }
    const check = (): Promise<CheckOutcome> =>
      checkFolder(
        linuxDisk,
        { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null },
        silentHooks,
      );
    expect((await check()).ok).toBe(false);
    expect((await mend(folder)).mended.length).toBeGreaterThan(0);
    expect((await mend(folder)).mended).toEqual([]);
    expect(await check()).toMatchObject({ ok: true });
    await release(folder, person.access);
    fs.rmSync(path.join(folder, "new.txt"));
    expect(snapshot(folder).slice(1)).toEqual(before.slice(1));
  },
);

it.each(VISIBILITIES)("everything that has a copy lost at once, and the state, %s", async (visibility) => {
  const before = snapshot(folder);
  const { realPath, header } = await lock(folder, person.owner, {
    folder: FOLDER,
    visibility,
    places: [Buffer.from(base)],
  });
  const at = realPath.toString();
  for (const name of [...both("header.json"), ...both(stateFile(at)), generationFiles(at)[0] ?? ""])
    fs.rmSync(inOwnDir(at, name));
  await expect(mend(at)).rejects.toMatchObject({ code: "damaged" });
  await mend(at, linuxDisk, header);
  expect(JSON.parse(fs.readFileSync(inOwnDir(at, stateFile(at)), "utf8"))).toMatchObject({
    state: "sealed",
    generation: { number: 1 },
    visibility,
    lockedName: visibility === "view" ? null : path.basename(at),
    held: visibility === "tucked" ? 1 : null,
  });
  await release(at, person.access);
  expect(snapshot(folder).slice(1)).toEqual(before.slice(1));
});

it("where the state record is lost and readable files lie there, nothing is guessed", async () => {
  await lock(folder, person.owner, { folder: FOLDER });
  await unlock(folder, person.access);
  for (const name of both(stateFile(folder))) fs.rmSync(inOwnDir(folder, name));
  const before = snapshot(folder);
  await expect(mend(folder)).rejects.toMatchObject({
    code: "unsupported",
    message: expect.stringContaining("eremos rescue"),
  });
  expect(snapshot(folder)).toEqual(before);
});

it("killed at any change of it, it is begun again", async () => {
  const before = snapshot(folder);
  for (let at = 0; ; at++) {
    await lock(folder, person.owner, { folder: FOLDER });
    for (const name of ["header.json", ...both(stateFile(folder)), twin(generationFiles(folder)[0] ?? "")])
      fs.rmSync(inOwnDir(folder, name));
    const crashing = crashingDisk(linuxDisk, at, "after");
    await mend(folder, crashing.disk).catch(() => undefined);
    await mend(folder);
    await release(folder, person.access);
    expect(snapshot(folder).slice(1)).toEqual(before.slice(1));
    if (!crashing.crashed()) return;
  }
});
