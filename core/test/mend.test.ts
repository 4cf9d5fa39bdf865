import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { checkFolder } from "../src/engine/check";
import { silentHooks } from "../src/engine/hooks";
import { type Mended, mendFolder } from "../src/engine/mend";
import { VISIBILITIES } from "../src/format/state";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import { crashingDisk } from "./crashing-disk";
import { FOLDER } from "./scenes";
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
} from "./world";

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
const inVault = (at: string, ...names: readonly string[]): string => path.join(at, ".eremos", ...names);
const RECORDS = [
  ["header.json"],
  ["header.copy.json"],
  ["generations", "0000000001.json"],
  ["generations", "0000000001.copy.json"],
  ["state.json"],
] as const;
const WAYS = {
  missing: (file: string) => fs.rmSync(file),
  damaged: (file: string) => fs.writeFileSync(file, fs.readFileSync(file, "utf8").replace(/[0-9a-f](?=",?\n)/, "x")),
} as const;

describe.each(RECORDS)("%s %s", (...names) => {
  it.each(["missing", "damaged"] as const)(
    "%s: is written anew, and the folder is whole and opens as before",
    async (how) => {
      const before = snapshot(folder);
      await lock(folder, person.owner, { folder: FOLDER });
      WAYS[how](inVault(folder, ...(names as readonly string[])));
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

it.each(VISIBILITIES)("everything that has a copy lost at once, and the state, %s", async (visibility) => {
  const before = snapshot(folder);
  const { realPath, header } = await lock(folder, person.owner, {
    folder: FOLDER,
    visibility,
    places: [Buffer.from(base)],
  });
  const at = realPath.toString();
  for (const name of ["header.json", "header.copy.json", "state.json", "generations/0000000001.json"])
    fs.rmSync(inVault(at, name));
  await expect(mend(at)).rejects.toMatchObject({ code: "damaged" });
  await mend(at, linuxDisk, header);
  expect(JSON.parse(fs.readFileSync(inVault(at, "state.json"), "utf8"))).toMatchObject({
    state: "sealed",
    generation: 1,
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
  fs.rmSync(inVault(folder, "state.json"));
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
    for (const name of ["header.json", "state.json", "generations/0000000001.copy.json"])
      fs.rmSync(inVault(folder, name));
    const crashing = crashingDisk(linuxDisk, at, "after");
    await mend(folder, crashing.disk).catch(() => undefined);
    await mend(folder);
    await release(folder, person.access);
    expect(snapshot(folder).slice(1)).toEqual(before.slice(1));
    if (!crashing.crashed()) return;
  }
});
