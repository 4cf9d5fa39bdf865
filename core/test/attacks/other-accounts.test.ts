import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { newId } from "../../src/format/ids";
import { previewSealing } from "../../src/engine/guards/sealed/lock";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { isEremosError } from "../../src/errors/eremos-error";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { OTHER, OWN, asOwner } from "../support/accounts";
import { usePlace } from "../support/place";
import { type Person, lock, release, snapshot, unlock } from "../support/world";

const IS_ROOT = process.getuid?.() === 0;

/** What another account, or an administrator, left in a folder of this account's, before and while it is locked. */
let person: Person;
let folder: string;
let base: string;
usePlace((place) => ({ person, folder, base } = place));

const at = (...names: readonly string[]): string => path.join(folder, ...names);
const own = (): void => void spawnSync("chown", ["-R", `${OWN}:${OWN}`, base]);

describe.runIf(IS_ROOT)("special rights of other owners", () => {
  it("a set-user-id program of another account comes back without that right when it can't be given back to its owner, and is counted; one's own keeps it", async () => {
    for (const name of ["theirs", "mine", "of their group"]) fs.writeFileSync(at(name), "#!/bin/sh\n", { mode: 0o755 });
    own();
    fs.chownSync(at("theirs"), OTHER, OTHER);
    fs.chownSync(at("of their group"), OWN, OTHER);
    for (const name of ["theirs", "mine", "of their group"]) fs.chmodSync(at(name), 0o6755);
    // Named before anything is touched.
    expect(
      await asOwner(() =>
        previewSealing(linuxDisk, {
          path: Buffer.from(folder),
          visibility: "view",
          cover: null,
          places: [Buffer.from(base)],
        }),
      ),
    ).toMatchObject({ foreign: ["theirs"] });
    await asOwner(() => lock(folder, person.owner));
    const { withheld } = await asOwner(() => unlock(folder, person.access));
    const modes = Object.fromEntries(
      ["theirs", "mine", "of their group"].map((name) => [
        name,
        [fs.statSync(at(name)).uid, (fs.statSync(at(name)).mode & 0o7777).toString(8)],
      ]),
    );
    expect(modes).toEqual({ theirs: [OWN, "755"], mine: [OWN, "6755"], "of their group": [OWN, "755"] });
    expect(withheld).toBe(2);
  });
});

describe.runIf(IS_ROOT)("what this account could not remove is found out before anything is sealed", () => {
  const cases: [string, () => void, string][] = [
    [
      "a directory of an administrator's, below the top",
      (): void => {
        fs.chownSync(at("inner"), 0, 0);
      },
      "inner/letter.txt",
    ],
    [
      "a directory of an administrator's, deeper",
      (): void => {
        fs.chownSync(at("inner", "deep"), 0, 0);
        fs.chmodSync(at("inner", "deep"), 0o755);
      },
      "inner/deep/note.txt",
    ],
    [
      "a file that nobody may change",
      (): void => void spawnSync("chattr", ["+i", at("inner", "letter.txt")]),
      "inner/letter.txt",
    ],
    [
      "a file that may only grow",
      (): void => void spawnSync("chattr", ["+a", at("inner", "letter.txt")]),
      "inner/letter.txt",
    ],
    [
      "another account's file in a directory with the sticky bit that is another's too",
      (): void => {
        fs.chownSync(at("inner"), OTHER, OTHER);
        fs.chmodSync(at("inner"), 0o1777);
        fs.chownSync(at("inner", "letter.txt"), OTHER, OTHER);
      },
      "inner/letter.txt",
    ],
  ];
  it.each(cases)("%s", async (_name, spoil, shown) => {
    fs.mkdirSync(at("inner", "deep"), { recursive: true });
    fs.writeFileSync(at("inner", "letter.txt"), "letter");
    fs.writeFileSync(at("inner", "deep", "note.txt"), "note");
    own();
    try {
      spoil();
      const before = snapshot(folder);
      const refused = await asOwner(() => lock(folder, person.owner)).then(
        () => null,
        (error: unknown) => error,
      );
      expect(isEremosError(refused) && refused.message).toContain(shown.split("/")[0]);
      expect(snapshot(folder)).toEqual(before);
      expect(inspectFolder(linuxDisk, Buffer.from(folder))).toBeNull();
    } finally {
      spawnSync("chattr", ["-R", "-i", "-a", folder]);
    }
  });
});

describe("an entry whose removal is refused all the same", () => {
  /** Refuses what was allowed when it was looked at. */
  const refusing = (name: string): Disk => ({
    ...linuxDisk,
    unlink: (dir, entry) => {
      if (entry.toString() === name) throw Object.assign(new Error("EPERM: unlink"), { code: "EPERM" });
      linuxDisk.unlink(dir, entry);
    },
  });

  it("stays in Eremos' directory; the folder is sealed, told of, opened and released as usual, and the left-over goes when it can", async () => {
    fs.mkdirSync(at("inner"));
    fs.writeFileSync(at("inner", "stubborn.txt"), "left over");
    fs.writeFileSync(at("letter.txt"), "letter");
    const before = snapshot(folder);
    const disk = refusing("stubborn.txt");
    const id = newId();
    await lock(folder, person.device, { disk, folder: id });
    expect(inspectFolder(disk, Buffer.from(folder))).toMatchObject({ state: "sealed", remains: 1 });
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    expect(fs.statSync(at(".eremos")).mode & 0o777).toBe(0o700);
    // Again and again, it is the same.
    expect(recoverFolder(disk, Buffer.from(folder)).state).toBe("sealed");
    await unlock(folder, person.access, { disk });
    await lock(folder, person.owner, { disk, folder: id });
    expect(inspectFolder(disk, Buffer.from(folder))).toMatchObject({ state: "sealed" });
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });
});
