import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { adoptFolder } from "../../src/engine/access/adopt";
import { changeFolderPassword } from "../../src/engine/access/change-owner";
import { guardFolder, openGuarded, releaseGuarded } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { randomBytes } from "../../src/crypto/bytes";
import { LEAST_COST } from "../../src/crypto/kdf";
import { NO_BARS } from "../../src/format/guards";
import { createOwner } from "../../src/format/owner";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { type ScanFound, scan } from "../../src/rescue/scan";
import { FOLDER } from "../support/scene";
import {
  PASSWORD,
  type Person,
  lock,
  makeMixedTree,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  snapshot,
} from "../support/world";
import { type Consent, VISIBILITIES } from "../../src/format/choices";

let person: Person;
let other: Person;
let base: string;
let folder: string;
beforeAll(async () => {
  [person, other] = [await newPerson(), await newPerson()];
});
beforeEach(() => {
  base = newDirectory();
  folder = path.join(base, "deep", "er", "Payroll");
  fs.mkdirSync(folder, { recursive: true });
  makeMixedTree(folder);
});
afterEach(() => removeDirectory(base));

async function found(place = base): Promise<ScanFound[]> {
  const all: ScanFound[] = [];
  const { unreadable, isStopped } = await scan({
    places: [Buffer.from(place)],
    onFound: (one) => void all.push(one),
    onProgress: () => undefined,
    isStopped: () => false,
  });
  expect([unreadable, isStopped]).toEqual([[], false]);
  return all;
}

const adopt = (
  by: Person,
  at: Buffer,
  secret: Parameters<typeof adoptFolder>[1]["secret"] = null,
  accept: readonly Consent[] = [],
): ReturnType<typeof adoptFolder> =>
  adoptFolder(linuxDisk, {
    path: at,
    places: [Buffer.from("/")],
    owner: by.access.owner,
    rootKey: by.access.rootKey,
    devices: by.access.devices,
    secret,
    accept,
  });

describe.each(VISIBILITIES)("a sealed folder, %s", (visibility) => {
  it("is found by what is on disk, and taken in again by its owner at its ordinary path", async () => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility, folder: FOLDER, places: [Buffer.from(base)] });
    const [one] = await found();
    expect(one).toMatchObject({
      folder: FOLDER,
      owner: person.access.owner.owner,
      guard: "sealed",
      isOpen: false,
      visibility,
      hasPassword: false,
      generation: 1,
      problems: [],
    });
    expect(one?.path).toEqual(realPath);
    const adopted = await adopt(person, realPath);
    expect(adopted).toMatchObject({
      folder: FOLDER,
      generation: 1,
      files: before.filter((line) => / \d+ [0-9a-f]{64}$/.test(line)).length,
    });
    expect(adopted.path.toString()).toBe(folder);
    await release(realPath, person.access, { expected: { generation: adopted.generation, digest: adopted.digest } });
    expect(snapshot(folder)).toEqual(before);
  });

  it("that was moved as a whole to another directory belongs there", async () => {
    await lock(folder, person.owner, { visibility, folder: FOLDER, places: [Buffer.from(base)] });
    const elsewhere = newDirectory();
    fs.renameSync(visibility === "tucked" ? base : path.join(base, "deep"), path.join(elsewhere, "moved"));
    fs.mkdirSync(base, { recursive: true });
    const [one] = await found(elsewhere);
    const { path: belongs } = await adopt(person, one?.path ?? Buffer.alloc(0));
    expect(belongs.toString()).toBe(
      path.join(elsewhere, "moved", ...(visibility === "tucked" ? ["deep"] : []), "er", "Payroll"),
    );
    expect(locateFolder(linuxDisk, belongs, FOLDER)?.realPath).toEqual(one?.path);
    removeDirectory(elsewhere);
  });
});

describe("a folder that another owner locked", () => {
  it("that asks for more than twice the work that this owner's own settings takes is not tried with a password until that is agreed to, whatever its guard", async () => {
    const heavier = await createOwner(PASSWORD, newRecoveryCode(), {
      ...LEAST_COST,
      passes: 2 * LEAST_COST.passes + 1,
    });
    const by = { kind: "password", password: PASSWORD, folderPassword: null } as const;
    await lock(
      folder,
      { by: "owner", owner: heavier.envelope, rootKey: heavier.rootKey, device: randomBytes(32), password: null },
      { folder: FOLDER },
    );
    await expect(adopt(person, Buffer.from(folder), by)).rejects.toMatchObject({ code: "costly", data: { times: 3 } });
    await adopt(person, Buffer.from(folder), by, ["costly"]);
    await release(folder, person.access);
    const { path: at } = await guardFolder(
      linuxDisk,
      {
        guard: "sight",
        bars: NO_BARS,
        visibility: "hidden",
        path: Buffer.from(folder),
        folder: FOLDER,
        owner: heavier.envelope,
        places: [],
      },
      silentHooks,
    );
    await expect(adopt(person, at, by)).rejects.toMatchObject({ code: "costly" });
    expect((await adopt(person, at, by, ["costly"])).path.toString()).toBe(folder);
  });

  it("is taken in with that owner's password or code, and opens with this owner's from then on", async () => {
    const before = snapshot(folder);
    await lock(folder, other.owner, { folder: FOLDER });
    await expect(adopt(person, Buffer.from(folder))).rejects.toMatchObject({ code: "wrong-password" });
    await expect(
      adopt(person, Buffer.from(folder), { kind: "password", password: "wrong", folderPassword: null }),
    ).rejects.toMatchObject({ code: "wrong-password" });
    await adopt(person, Buffer.from(folder), { kind: "code", code: other.code });
    await expect(release(folder, other.access)).rejects.toMatchObject({ code: "wrong-password" });
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("with a password of its own: both are needed, and it has none afterwards; one's own keeps it", async () => {
    const own = { password: "rosin on the left shelf", hint: null, cost: LEAST_COST };
    await lock(folder, other.owner, { folder: FOLDER });
    await changeFolderPassword(linuxDisk, { path: Buffer.from(folder), access: other.access, keptHeader: null }, own);
    await expect(
      adopt(person, Buffer.from(folder), { kind: "password", password: PASSWORD, folderPassword: null }),
    ).rejects.toMatchObject({ code: "needs-folder-password" });
    await adopt(other, Buffer.from(folder), {
      kind: "root",
      rootKey: other.access.rootKey,
      devices: [],
      folder: { kind: "password", password: own.password },
    });
    await expect(release(folder, other.access)).rejects.toMatchObject({ code: "needs-folder-password" });
    await adopt(person, Buffer.from(folder), { kind: "password", password: PASSWORD, folderPassword: own.password });
    await release(folder, person.access);
  });

  it("that is barred, too: its own permissions come back", async () => {
    const before = snapshot(folder);
    const { path: at } = await guardFolder(
      linuxDisk,
      {
        guard: "barred",
        bars: { others: "nothing", own: "list" },
        visibility: "tucked",
        path: Buffer.from(folder),
        folder: FOLDER,
        owner: other.access.owner,
        places: [Buffer.from(base)],
      },
      silentHooks,
    );
    const [one] = await found();
    expect(one).toMatchObject({ guard: "barred", visibility: "tucked", owner: other.access.owner.owner });
    await expect(adopt(person, at)).rejects.toMatchObject({ code: "wrong-password" });
    const adopted = await adopt(person, at, { kind: "password", password: PASSWORD, folderPassword: null });
    expect([adopted.path.toString(), adopted.bars]).toEqual([folder, { others: "nothing", own: "list" }]);
    expect((await adopt(person, at)).path.toString()).toBe(folder);
    await openGuarded(linuxDisk, { path: at, place: Buffer.from(folder) });
    await releaseGuarded(linuxDisk, { path: Buffer.from(folder), place: Buffer.from(folder) });
    expect(snapshot(folder)).toEqual(before);
  });
});

it("a scan names what it can't look into, can be stopped, and tells what is damaged", async () => {
  await lock(folder, person.owner, { folder: FOLDER });
  fs.writeFileSync(path.join(folder, ".eremos", "header.json"), "{}");
  fs.writeFileSync(path.join(folder, ".eremos", "header.twin.json"), "{}");
  expect(await found()).toMatchObject([
    {
      folder: null,
      guard: null,
      problems: [expect.stringContaining("Both copies of what says how this folder opens are damaged")],
    },
  ]);
  let looked = 0;
  const end = await scan({
    places: [Buffer.from("/usr")],
    onFound: () => undefined,
    onProgress: () => void looked++,
    isStopped: () => looked > 1,
  });
  expect(end).toMatchObject({ isStopped: true });
});
