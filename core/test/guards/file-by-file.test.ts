import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { silentHooks } from "../../src/engine/ground/hooks";
import { previewSealing } from "../../src/engine/guards/sealed/lock";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { Crash } from "../support/crashing-disk";
import { Backing } from "../support/mounts";
import { stateName } from "../../src/format/state";
import { stateFile } from "../support/records";
import {
  type Person,
  lock,
  makeMixedTree,
  newPerson,
  release,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";

const IS_ROOT = process.getuid?.() === 0;

describe.runIf(IS_ROOT)("a disk too small for two copies (a real one, of 40 MiB)", () => {
  let person: Person;
  let backing: Backing;
  let mount: string;
  let folder: string;
  beforeAll(async () => {
    person = await newPerson();
    backing = new Backing(40);
    mount = backing.at;
  });
  afterAll(() => backing.remove());

  function fill(): string[] {
    for (const name of fs.readdirSync(mount)) removeDirectory(path.join(mount, name));
    folder = path.join(mount, "Payroll");
    fs.mkdirSync(folder);
    makeMixedTree(folder);
    fs.mkdirSync(path.join(folder, "read only"));
    for (let i = 0; i < 5; i++)
      fs.writeFileSync(path.join(folder, "photos", `scan ${i}.bin`), Buffer.alloc(4_500_000, `scan ${i}`));
    for (let i = 0; i < 200; i++) fs.writeFileSync(path.join(folder, "read only", `note ${i}`), `note ${i}`);
    fs.chmodSync(path.join(folder, "read only"), 0o555);
    fs.utimesSync(path.join(folder, "photos"), 1_200_000_000, 1_200_000_000);
    fs.utimesSync(folder, 1_500_000_000, 1_500_000_000);
    return snapshot(folder);
  }

  function stateIs(state: string): boolean {
    if (!fs.existsSync(path.join(folder, ".eremos", stateName(linuxDisk.identity.id).toString()))) return false;
    const record = path.join(folder, ".eremos", stateFile(folder));
    return new RegExp(`"state":\\s*"${state}"`).test(fs.readFileSync(record, "utf8"));
  }

  it("locks and opens file by file, and gives everything back exactly", async () => {
    const before = fill();
    expect(previewSealing(linuxDisk, { path: Buffer.from(folder), visibility: "view", places: [] }).strategy).toBe(
      "file-by-file",
    );
    const locked = await lock(folder, person.owner);
    expect(locked.strategy).toBe("file-by-file");
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    const opened = await unlock(folder, person.access);
    expect(opened.strategy).toBe("file-by-file");
    expect(snapshot(folder, { withoutOwnDir: true }).slice(1)).toEqual(before.slice(1));

    fs.appendFileSync(path.join(folder, "letter.txt"), "PS");
    const edited = snapshot(folder, { withoutOwnDir: true });
    const again = await lock(folder, person.device, { folder: locked.folder, note: opened.note });
    expect(again.strategy).toBe("file-by-file");
    await release(folder, person.access);
    expect(snapshot(folder).slice(1)).toEqual(edited.slice(1));
  });

  it("stopped in the middle, says so, loses nothing, and goes on in either direction", async () => {
    const before = fill();
    let rounds = 0;
    const stopInTheSecondRound = { ...silentHooks, cancelled: () => stateIs("mixed") && ++rounds > 3 };
    await expect(
      lock(folder, person.owner, { folder: "0".repeat(32), hooks: stopInTheSecondRound }),
    ).rejects.toMatchObject({ code: "cancelled", message: expect.stringContaining("file by file") });
    expect(inspectFolder(linuxDisk, Buffer.from(folder))?.state).toBe("mixed");
    await lock(folder, person.owner, { folder: "0".repeat(32) });
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    rounds = 0;
    await expect(unlock(folder, person.access, { hooks: stopInTheSecondRound })).rejects.toMatchObject({
      code: "cancelled",
      message: expect.stringContaining("file by file"),
    });
    expect(inspectFolder(linuxDisk, Buffer.from(folder))?.state).toBe("mixed");
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("cut off while it removes what is sealed, goes on with no more room than there is", async () => {
    const before = fill();
    const FOLDER = "0".repeat(32);
    for (const at of [1, 120, 204]) {
      let removed = 0;
      const crash: Disk = {
        ...linuxDisk,
        unlink: (dir, name) => {
          if (/^(scan|note) /.test(name.toString()) && ++removed === at)
            throw Object.assign(new Crash("cut off"), { code: "EIO" });
          linuxDisk.unlink(dir, name);
        },
      };
      await expect(lock(folder, person.owner, { disk: crash, folder: FOLDER })).rejects.toMatchObject({
        code: "io",
        message: expect.stringMatching(/because of EIO\. A part is locked/),
      });
      expect(removed).toBe(at);
      await lock(folder, person.owner, { folder: FOLDER });
      expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
      await release(folder, person.access);
      expect(snapshot(folder)).toEqual(before);
    }
  });

  it("where not even the largest file fits, it is refused with the numbers and nothing is touched", async () => {
    fill();
    fs.writeFileSync(path.join(folder, "largest.bin"), Buffer.alloc(9_000_000, "x"));
    const before = snapshot(folder);
    await expect(lock(folder, person.owner)).rejects.toMatchObject({
      code: "no-space",
      data: { needed: expect.any(Number), better: expect.any(Number), free: expect.any(Number) },
    });
    expect(snapshot(folder)).toEqual(before);
  });
});
