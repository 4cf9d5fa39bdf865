import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { silentHooks } from "../../src/engine/ground/hooks";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { changeFolder, lockFolder, releaseFolder, unlockFolder } from "../../src/engine/guards/verbs";
import { canonicalJson, checksumOf } from "../../src/format/canonical-json";
import { GUARDS, NO_BARS, traitsOf } from "../../src/format/guards";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { directorySource } from "../../src/rescue/directory-source";
import { readGuardOwner } from "../../src/rescue/find-locked";
import { guardFolder } from "../support/guarding";
import { usePlace } from "../support/place";
import { PAGE, type Person, lock, makeMixedTree, snapshot } from "../support/world";

const ID = "c".repeat(32);
let folder: string;
let person: Person;
usePlace((place) => {
  ({ folder, person } = place);
  makeMixedTree(folder);
});

const at = (): Buffer => Buffer.from(folder);
const places = (): Buffer[] => [Buffer.from(path.dirname(folder))];
const bar = (): Promise<unknown> =>
  guardFolder(linuxDisk, {
    guard: "barred",
    bars: { others: "nothing", own: "everything" },
    visibility: "view",
    path: at(),
    folder: ID,
    owner: person.access.owner,
    places: places(),
  });

describe("a guard that this version does not know", () => {
  it("is told by its name wherever the folder is looked at, and nothing is done with it", async () => {
    await bar();
    for (const name of ["guard.json", "guard.twin.json"]) {
      const file = path.join(folder, ".eremos", name);
      const { checksum: _checksum, ...record } = JSON.parse(fs.readFileSync(file, "utf8"));
      const newer = { ...record, guard: "walled-in" };
      fs.writeFileSync(file, `${canonicalJson({ ...newer, checksum: checksumOf(newer) }).toString()}\n`);
    }
    const before = snapshot(folder);
    const asked = { path: at(), place: at(), guard: "barred", sealed: null } as const;
    const attempts: Readonly<Record<string, () => unknown>> = {
      look: () => inspectFolder(linuxDisk, at()),
      recover: () => recoverFolder(linuxDisk, at()),
      lock: () => bar(),
      seal: () => lock(folder, person.owner, { folder: ID }),
      unlock: () => unlockFolder(linuxDisk, asked, silentHooks),
      release: () => releaseFolder(linuxDisk, asked, silentHooks),
      change: () =>
        changeFolder(linuxDisk, { ...asked, bars: NO_BARS, visibility: "hidden", places: places(), page: null }),
      rescue: () => readGuardOwner(directorySource(at())),
    };
    for (const [name, attempt] of Object.entries(attempts))
      await expect((async () => attempt())(), name).rejects.toMatchObject({
        code: "unknown-version",
        message: expect.stringContaining("walled-in"),
      });
    expect(snapshot(folder)).toEqual(before);
  });
});

describe("what stands there is what was asked for", () => {
  it.each(["unlock", "release"] as const)(
    "%s refuses another guard than it was told of, and touches nothing",
    async (verb) => {
      await bar();
      const before = snapshot(folder);
      const work = verb === "unlock" ? unlockFolder : releaseFolder;
      for (const guard of GUARDS.filter((one) => one !== "barred"))
        await expect(
          work(linuxDisk, { path: at(), place: at(), guard, sealed: null }, silentHooks),
        ).rejects.toMatchObject({ code: "unvouched", message: expect.stringContaining(traitsOf(guard).word) });
      expect(snapshot(folder)).toEqual(before);
    },
  );

  it("a change does not put encryption on or take it off", async () => {
    await lock(folder, person.owner, { folder: ID });
    const before = snapshot(folder);
    const input = { path: at(), place: at(), visibility: "hidden", places: places(), page: null } as const;
    await expect(changeFolder(linuxDisk, { ...input, guard: "barred", bars: NO_BARS })).rejects.toMatchObject({
      code: "usage",
    });
    expect(snapshot(folder)).toEqual(before);
  });

  it("nothing is sealed or opened without keys", async () => {
    const before = snapshot(folder);
    const order = { path: at(), folder: ID, owner: person.access.owner, places: places(), bars: NO_BARS } as const;
    await expect(
      lockFolder(linuxDisk, { ...order, guard: "sealed", visibility: "view", sealing: null }, silentHooks),
    ).rejects.toMatchObject({ code: "usage" });
    expect(snapshot(folder)).toEqual(before);
    await lock(folder, person.owner, { folder: ID, page: PAGE });
    const locked = snapshot(folder);
    for (const work of [unlockFolder, releaseFolder])
      await expect(
        work(linuxDisk, { path: at(), place: at(), guard: "sealed", sealed: null }, silentHooks),
      ).rejects.toThrow("Nothing was touched");
    expect(snapshot(folder)).toEqual(locked);
  });
});
