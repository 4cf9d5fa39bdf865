import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { releaseOpenFolder } from "../support/guarding";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk, Holding } from "../../src/platform/port";
import { type CrashMode, crashingDisk } from "../support/crashing-disk";
import { type Place, usePlace } from "../support/place";
import { FOLDER } from "../support/scene";
import { campaignDirectory } from "../support/scenes";
import { strided } from "../support/stride";
import { lock, release, removeDirectory, snapshot, unlock } from "../support/world";

/**
 * A disk that is taken for one that holds neither names, permissions, attributes nor fine times; what happens between,
 * and after a kill, is real.
 */
function meagre(real: Disk): Disk {
  const holding: Holding = {
    permissions: false,
    attributes: false,
    names: false,
    tellsCase: false,
    timeStepNs: 2_000_000_000n,
  };
  return new Proxy(real, {
    get: (target, name: keyof Disk) =>
      name === "holds" ? (): Holding => holding : name === "identifies" ? (): boolean => false : target[name],
  });
}

const CHANGES = strided(31);

let { person, base } = {} as Place;
usePlace((place) => ({ person, base } = place), campaignDirectory);

function makeFolder(): string {
  const folder = path.join(fs.mkdtempSync(path.join(base, "at-")), "Payroll");
  fs.mkdirSync(path.join(folder, "what: now"), { recursive: true, mode: 0o750 });
  for (const [name, mode] of [
    ["is it?.txt", 0o604],
    ["IS IT?.txt", 0o640],
    ["what: now/con", 0o600],
    ["plain.txt", 0o444],
  ] as const) {
    fs.writeFileSync(path.join(folder, name), `this is ${name}`);
    fs.chmodSync(path.join(folder, name), mode);
  }
  fs.utimesSync(path.join(folder, "what: now"), 1_400_000_000.5, 1_400_000_000.5);
  return folder;
}

const onDisk = (folder: string): string[] =>
  fs
    .readdirSync(folder, { recursive: true, encoding: "utf8" })
    .filter((name) => !name.startsWith(".eremos"))
    .sort();
const FORMS = ["IS IT%3f.txt", "is it%3f%~2.txt", "plain.txt", "what%3a now", "what%3a now/%63on"];

describe("a folder on a disk that holds neither its names nor its permissions", () => {
  it("lies open there under other forms of its names; what is edited, added and renamed there is all that changes in it", async () => {
    const folder = makeFolder();
    const first = await lock(folder, person.owner, { folder: FOLDER });
    const { note } = await unlock(folder, person.access, { disk: meagre(linuxDisk) });
    expect(onDisk(folder)).toEqual(FORMS);
    fs.writeFileSync(path.join(folder, "is it%3f%~2.txt"), "it is");
    fs.renameSync(path.join(folder, "what%3a now", "%63on"), path.join(folder, "what%3a now", "named anew"));
    fs.writeFileSync(path.join(folder, "100%41 mine.txt"), "mine");
    await lock(folder, person.owner, { disk: meagre(linuxDisk), folder: first.folder, note });
    await release(folder, person.access);
    expect(onDisk(folder)).toEqual([
      "100%41 mine.txt",
      "IS IT?.txt",
      "is it?.txt",
      "plain.txt",
      "what: now",
      "what: now/named anew",
    ]);
    expect(fs.readFileSync(path.join(folder, "is it?.txt"), "utf8")).toBe("it is");
    expect(
      ["is it?.txt", "IS IT?.txt", "plain.txt", "what: now"].map(
        (name) => fs.statSync(path.join(folder, name)).mode & 0o777,
      ),
    ).toEqual([0o604, 0o640, 0o444, 0o750]);
  });

  it("is not released there, open or locked, since that would lose them; nobody locks it while signed out who does not know what was opened", async () => {
    const folder = makeFolder();
    await lock(folder, person.owner, { folder: FOLDER });
    const { note } = await unlock(folder, person.access, { disk: meagre(linuxDisk) });
    await expect(releaseOpenFolder(meagre(linuxDisk), Buffer.from(folder))).rejects.toThrow(/would be lost/);
    await expect(
      lock(folder, person.device, { disk: meagre(linuxDisk), folder: FOLDER, note: note && { ...note, opened: "" } }),
    ).rejects.toMatchObject({ code: "needs-sign-in" });
    expect(onDisk(folder)).toEqual(FORMS);
    await lock(folder, person.device, { disk: meagre(linuxDisk), folder: FOLDER, note });
    await release(folder, person.access);
    expect(onDisk(folder)).toEqual(["IS IT?.txt", "is it?.txt", "plain.txt", "what: now", "what: now/con"]);
  });

  it.each<readonly [string, CrashMode]>([
    ["opening", "before"],
    ["opening", "torn"],
    ["locking", "after"],
  ])(
    `killed at ${CHANGES.of("change")} while %s (%s), it has all of them again after the next lock`,
    async (what, mode) => {
      for (let at = CHANGES.from; ; at += CHANGES.step) {
        const folder = makeFolder();
        const before = snapshot(folder);
        await lock(folder, person.owner, { folder: FOLDER });
        const crashing = crashingDisk(linuxDisk, at, mode);
        let known = null;
        if (what === "opening") await unlock(folder, person.access, { disk: meagre(crashing.disk) }).catch(() => null);
        else {
          ({ note: known } = await unlock(folder, person.access, { disk: meagre(linuxDisk) }));
          await lock(folder, person.owner, { disk: meagre(crashing.disk), folder: FOLDER, note: known }).catch(
            () => null,
          );
        }
        recoverFolder(meagre(linuxDisk), Buffer.from(folder));
        if (inspectFolder(linuxDisk, Buffer.from(folder))?.state === "open")
          await lock(folder, person.owner, { disk: meagre(linuxDisk), folder: FOLDER, note: known });
        await release(folder, person.access);
        expect(snapshot(folder).slice(1), `killed at ${at}`).toEqual(before.slice(1));
        removeDirectory(path.dirname(folder));
        if (!crashing.crashed()) return;
      }
    },
  );
});
