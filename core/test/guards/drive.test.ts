import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { changeVisibility } from "../support/guarding";
import { type Guarding, changeGuarded, guardFolder, openGuarded, releaseGuarded } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { NO_BARS } from "../../src/format/guards";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { crashingDisk } from "../support/crashing-disk";
import { CAN_MOUNT, Drive } from "../support/mounts";
import { PAGE, type Person, lock, makeMixedTree, newPerson, release, snapshot, unlock } from "../support/world";

const ID = Buffer.alloc(16, 9).toString("hex");

describe.runIf(CAN_MOUNT)("a drive's whole contents", () => {
  let person: Person;
  let drive: Drive;
  let before: string[];
  beforeAll(async () => {
    person = await newPerson();
  });
  beforeEach(() => {
    drive = new Drive("ext4");
    makeMixedTree(drive.at);
    before = contents();
  });
  afterEach(() => drive.remove());

  /** All but the drive's top and its file system's own directory, whose times change. */
  const contents = (): string[] =>
    snapshot(drive.at, { withoutOwnDir: true })
      .slice(1)
      .filter((line) => !line.includes("lost+found"));
  const top = (): string[] =>
    fs
      .readdirSync(drive.at)
      .filter((name) => name !== "lost+found")
      .sort();
  const at = (): Buffer => Buffer.from(drive.at);
  const sight: Guarding = { guard: "sight", bars: NO_BARS, visibility: "hidden", places: [] };
  const guard = (guarding: Guarding, disk: Disk = linuxDisk): Promise<unknown> =>
    guardFolder(disk, { ...guarding, path: at(), folder: ID, owner: person.access.owner }, silentHooks);

  it("is sealed in view or hidden, changed while locked, opened where it is mounted now, and given back as it was", async () => {
    await lock(drive.at, person.owner, { folder: ID });
    expect(top()).toEqual([".eremos", "Locked with Eremos.html"]);
    await changeVisibility(linuxDisk, { path: at(), place: at(), visibility: "hidden", places: [], page: null });
    expect(top()).toEqual([".eremos"]);
    expect(inspectFolder(linuxDisk, at())).toMatchObject({ state: "sealed", visibility: "hidden", arrivals: 0 });
    drive.replug("mounted elsewhere");
    const { path: opened, note } = await unlock(drive.at, person.access);
    expect(opened).toEqual(at());
    expect(contents()).toEqual(before);
    await lock(drive.at, person.device, { folder: ID, note, visibility: "hidden" });
    await changeVisibility(linuxDisk, { path: at(), place: at(), visibility: "view", places: [], page: PAGE });
    expect(top()).toEqual([".eremos", "Locked with Eremos.html"]);
    await release(drive.at, person.access);
    expect(contents()).toEqual(before);
    expect(fs.existsSync(path.join(drive.at, "lost+found"))).toBe(true);
  });

  it("can't be tucked away or get a cover name: refused before anything is touched", async () => {
    await expect(lock(drive.at, person.owner, { visibility: "tucked" })).rejects.toMatchObject({ code: "unsupported" });
    await expect(lock(drive.at, person.owner, { cover: "Recipes" })).rejects.toMatchObject({ code: "unsupported" });
    await expect(guard({ ...sight, visibility: "tucked" })).rejects.toMatchObject({ code: "unsupported" });
    expect(contents()).toEqual(before);
    expect(top()).not.toContain(".eremos");
  });

  it("out of sight it looks empty; what arrives is kept, and nothing is replaced", async () => {
    await guard(sight);
    expect(top()).toEqual([".eremos"]);
    expect(fs.statSync(path.join(drive.at, ".eremos")).mode & 0o777).toBe(0o700);
    fs.writeFileSync(path.join(drive.at, "letter.txt"), "a newcomer");
    expect(inspectFolder(linuxDisk, at())).toMatchObject({ state: "locked", arrivals: 1 });
    await openGuarded(linuxDisk, { path: at(), place: at() });
    expect(fs.readFileSync(path.join(drive.at, "letter (arrived while locked).txt"), "utf8")).toBe("a newcomer");
    fs.rmSync(path.join(drive.at, "letter (arrived while locked).txt"));
    expect(contents()).toEqual(before);
    await releaseGuarded(linuxDisk, { path: at(), place: at() });
    expect(contents()).toEqual(before);
    expect(top()).not.toContain(".eremos");
  });

  it("crashed at any operation of hiding, changing and showing it, the contents are all there and come back exactly", async () => {
    const barred: Guarding = {
      guard: "barred",
      bars: { others: "read", own: "read" },
      visibility: "hidden",
      places: [],
    };
    const ways: readonly ((disk: Disk) => unknown)[] = [
      (disk) => guard(sight, disk),
      (disk) => guard(barred, disk),
      (disk) => changeGuarded(disk, { ...barred, visibility: "view", path: at(), place: at() }),
      (disk) => openGuarded(disk, { path: at(), place: at() }),
      (disk) => releaseGuarded(disk, { path: at(), place: at() }),
    ];
    let tried = 0;
    for (const [number, way] of ways.entries()) {
      for (let operation = 0; ; operation += process.env["EREMOS_DEEP"] === "1" ? 1 : 7) {
        if (number >= 2) await guard(number === 2 ? sight : barred);
        const crashing = crashingDisk(
          linuxDisk,
          operation,
          (["before", "after", "torn"] as const)[operation % 3] ?? "before",
        );
        await (async () => way(crashing.disk))().catch((error: unknown) => {
          if (!crashing.crashed()) throw error;
        });
        tried++;
        if (fs.existsSync(path.join(drive.at, ".eremos"))) recoverFolder(linuxDisk, at());
        if (inspectFolder(linuxDisk, at())) await releaseGuarded(linuxDisk, { path: at(), place: at() });
        expect(contents(), `way ${number}, operation ${operation}`).toEqual(before);
        if (!crashing.crashed()) break;
      }
    }
    process.stdout.write(`crash points tried: ${tried}\n`);
  });
});
