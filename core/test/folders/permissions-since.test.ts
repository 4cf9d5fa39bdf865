import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { expect, it } from "vitest";
import { accessProblems, repairAccess } from "../../src/engine/access/access";
import { silentHooks } from "../../src/engine/ground/hooks";
import { type PermissionsOutcome, permissionsSinceLock } from "../../src/engine/upkeep/permissions-since";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { OTHER, OWN, asOwner } from "../support/accounts";
import { usePlace } from "../support/place";
import { type Person, lock, makeMixedTree, snapshot, unlock } from "../support/world";

let person: Person;
let folder: string;
usePlace((place) => ({ person, folder } = place));
const IS_ROOT = process.getuid?.() === 0;

const look = (repair: boolean): Promise<PermissionsOutcome> =>
  permissionsSinceLock(
    linuxDisk,
    { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null, accept: [], repair },
    silentHooks,
  );
const changed = ({ changes }: PermissionsOutcome): string[] =>
  changes.map(({ path: parts }) => parts.map(String).join("/")).sort();

it.runIf(IS_ROOT)(
  "modes, owners and access lists that changed since the last lock are shown against what was recorded, and set back exactly",
  async () => {
    makeMixedTree(folder);
    spawnSync("setfacl", ["-m", "u:4302:r", path.join(folder, "script.sh")]);
    await lock(folder, person.owner);
    await unlock(folder, person.access);
    const before = snapshot(folder, { withoutOwnDir: true });
    expect(await look(false)).toMatchObject({ changes: [], repaired: 0 });
    fs.chmodSync(path.join(folder, "letter.txt"), 0o000);
    fs.chmodSync(path.join(folder, "photos"), 0o777);
    fs.chownSync(path.join(folder, "photos", "large.bin"), OTHER, OTHER);
    spawnSync("setfacl", ["-b", path.join(folder, "script.sh")]);
    spawnSync("setfacl", ["-m", "u:4302:rw", path.join(folder, "empty.dat")]);
    const seen = await look(false);
    expect(changed(seen)).toEqual([
      "empty.dat",
      "letter.txt",
      "photos",
      "photos/large.bin",
      "photos/same letter.txt",
      "script.sh",
    ]);
    expect(seen.changes.find(({ path: parts }) => String(parts.at(-1)) === "large.bin")).toMatchObject({
      was: { mode: 0o600, uid: 0 },
      is: { uid: OTHER },
    });
    // Of a file with two names, the second is right when the first was set back.
    expect(await look(true)).toMatchObject({ repaired: 5 });
    expect(await look(false)).toMatchObject({ changes: [] });
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  },
);

it("a folder that is locked is not compared", async () => {
  makeMixedTree(folder);
  await lock(folder, person.owner);
  await expect(look(false)).rejects.toMatchObject({ code: "not-open" });
});

it.runIf(IS_ROOT)(
  "another account's folder, and one whose permissions refuse its owner, are told apart; the second is repaired",
  async () => {
    makeMixedTree(folder);
    spawnSync("chown", ["-R", `${OWN}:${OWN}`, folder, path.dirname(folder)]);
    await asOwner(() => lock(folder, person.owner));
    await asOwner(() => expect(accessProblems(linuxDisk, Buffer.from(folder))).toEqual([]));
    fs.chmodSync(path.join(folder, ".eremos", "packs"), 0o000);
    fs.chmodSync(path.join(folder, ".eremos"), 0o000);
    await asOwner(() => {
      expect(accessProblems(linuxDisk, Buffer.from(folder)).map(({ kind }) => kind)).toEqual(["refused"]);
      expect(repairAccess(linuxDisk, Buffer.from(folder))).toEqual([]);
    });
    await asOwner(() => unlock(folder, person.access));
    spawnSync("chown", ["-R", "0:0", path.join(folder, ".eremos")]);
    await asOwner(() =>
      expect(repairAccess(linuxDisk, Buffer.from(folder))).toMatchObject([{ kind: "another-account", uid: 0 }]),
    );
  },
);
