import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { Backing } from "../support/mounts";
import { type Person, lock, newPerson, release, snapshot, unlock } from "../support/world";

const IS_ROOT = process.getuid?.() === 0;

/** A disk that believes to have room, so that it runs into the real end of it. */
const hopeful: Disk = { ...linuxDisk, freeBytes: () => Number.MAX_SAFE_INTEGER };

describe.runIf(IS_ROOT)("a full disk (a real one, of 24 MiB)", () => {
  let person: Person;
  let backing: Backing;
  let mount: string;
  let folder: string;
  beforeAll(async () => {
    person = await newPerson();
    backing = new Backing(24);
    mount = backing.at;
    folder = path.join(mount, "Payroll");
    fs.mkdirSync(folder);
  });
  afterAll(() => backing.remove());

  it("a lock is refused with the numbers, before anything is touched", async () => {
    fs.writeFileSync(path.join(folder, "large.bin"), Buffer.alloc(14_000_000, "large"));
    const before = snapshot(folder);
    await expect(lock(folder, person.owner)).rejects.toMatchObject({
      code: "no-space",
      data: { needed: expect.any(Number), free: expect.any(Number) },
    });
    expect(snapshot(folder)).toEqual(before);
  });

  it("a lock that runs into the end puts everything back", async () => {
    const before = snapshot(folder);
    await expect(lock(folder, person.owner, { disk: hopeful })).rejects.toMatchObject({ code: "no-space" });
    expect(snapshot(folder)).toEqual(before);
  });

  it("an opening that runs into the end leaves the folder locked, and opens when there is room", async () => {
    fs.truncateSync(path.join(folder, "large.bin"), 8_000_000);
    const before = snapshot(folder);
    await lock(folder, person.owner);
    fs.writeFileSync(path.join(mount, "filler"), Buffer.alloc(12_000_000));
    await expect(unlock(folder, person.access)).rejects.toMatchObject({ code: "no-space" });
    await expect(unlock(folder, person.access, { disk: hopeful })).rejects.toMatchObject({ code: "no-space" });
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    fs.rmSync(path.join(mount, "filler"));
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });
});
