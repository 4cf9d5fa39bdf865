import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { silentHooks } from "../../src/engine/ground";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { eraseFolder, inspectFolder, recoverFolder, sweepErased } from "../../src/engine/guards";
import { NO_BARS } from "../../src/format/guards";
import { VISIBILITIES, type Visibility } from "../../src/format/choices";
import { linuxDisk, linuxDiskOf } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { Crash, type CrashMode, crashingDisk } from "../support/crashing-disk";
import { guardFolder, openGuarded } from "../support/guarding";
import { CAN_MOUNT, Drive } from "../support/mounts";
import {
  type Person,
  lock,
  makeMixedTree,
  newDirectory,
  newPerson,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";
import { strided } from "../support/stride";

const ID = "00112233445566778899aabbccddeeff";
const CHANGES = strided(3);
let person: Person;
let base: string;
let folder: string;
beforeAll(async () => {
  person = await newPerson();
});
beforeEach(() => {
  base = newDirectory(fs.existsSync("/dev/shm") ? "/dev/shm" : undefined);
  folder = path.join(base, "Payroll");
});
afterEach(() => removeDirectory(base));

type GuardName = "sealed" | "barred" | "sight";
const BARS = { others: "nothing", own: "nothing" } as const;

function fill(): string[] {
  fs.rmSync(folder, { recursive: true, force: true });
  fs.mkdirSync(path.join(folder, "inner"), { recursive: true });
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  fs.writeFileSync(path.join(folder, "inner", "large.bin"), Buffer.alloc(300_000, "large"));
  fs.symlinkSync("letter.txt", path.join(folder, "link"));
  return snapshot(folder);
}

async function lockedAs(guard: GuardName, visibility: Visibility): Promise<Buffer> {
  if (guard === "sealed") return (await lock(folder, person.owner, { folder: ID, visibility })).realPath;
  const bars = guard === "barred" ? BARS : NO_BARS;
  const input = { guard, bars, visibility, path: Buffer.from(folder), folder: ID, owner: person.owner.owner };
  return (await guardFolder(linuxDisk, { ...input, places: [Buffer.from(base)] })).path;
}

const erase = (disk: Disk, at: Buffer, guard: GuardName, passes = 0): Promise<unknown> =>
  eraseFolder(disk, { path: at, folder: ID, guard, passes }, silentHooks);

/** Everything below the base, hidden areas included. */
const standing = (): string[] => fs.readdirSync(base).sort();

const CASES = (["sealed", "barred", "sight"] as const).flatMap((guard) =>
  VISIBILITIES.filter((visibility) => guard !== "sight" || visibility !== "view").map(
    (visibility) => [guard, visibility] as const,
  ),
);

describe("Removing a locked folder for good", () => {
  it.each(CASES)("%s, %s: nothing of it is left, nor of where it was hidden", async (guard, visibility) => {
    fill();
    fs.writeFileSync(path.join(base, "beside.txt"), "stays");
    await erase(linuxDisk, await lockedAs(guard, visibility), guard, visibility === "view" ? 1 : 0);
    expect(standing()).toEqual(["beside.txt"]);
  });

  it.each(CASES)(
    `%s, %s: killed at the first and at ${CHANGES.of("change")} it is whole and opens, or is gone after the next start`,
    async (guard, visibility) => {
      const tried = { whole: 0, gone: 0 };
      for (const mode of ["before", "after", "torn"] as const satisfies readonly CrashMode[])
        // The first one always: of the others, few leave it whole.
        for (let change = 0; ; change += change === 0 ? CHANGES.from || CHANGES.step : CHANGES.step) {
          const before = fill();
          const at = await lockedAs(guard, visibility);
          const crashing = crashingDisk(linuxDisk, change, mode);
          const failure: unknown = await erase(crashing.disk, at, guard, change % 2).then(
            () => null,
            (error: unknown) => error,
          );
          if (!crashing.crashed()) {
            expect(failure).toBeNull();
            break;
          }
          const isDone = !(failure instanceof Crash) && failure === null;
          expect(isDone).toBe(false);
          const located = locateFolder(linuxDisk, Buffer.from(folder), ID);
          if (located) recoverFolder(linuxDisk, located.realPath);
          sweepErased(linuxDisk, Buffer.from(folder), ID);
          const now = locateFolder(linuxDisk, Buffer.from(folder), ID);
          if (!now) {
            tried.gone++;
            expect([mode, change, standing()]).toEqual([mode, change, []]);
            continue;
          }
          tried.whole++;
          const input = { path: now.realPath, place: Buffer.from(folder) };
          await (guard === "sealed" ? unlock(now.realPath, person.access) : openGuarded(linuxDisk, input));
          expect(snapshot(folder, { withoutOwnDir: true }).slice(1)).toEqual(before.slice(1));
          removeDirectory(folder);
        }
      expect(tried.whole).toBeGreaterThan(0);
      expect(tried.gone).toBeGreaterThan(20 / CHANGES.step);
    },
  );

  it("what opens it goes first: cut off after that, no copy of header, slots, members or insurance is left", async () => {
    fill();
    const at = await lockedAs("sealed", "view");
    const seen: string[] = [];
    const watched = new Proxy(linuxDisk, {
      get(target, key: keyof Disk) {
        if (key !== "barrier") return target[key];
        return (dir: Parameters<Disk["barrier"]>[0]) => {
          seen.push(fs.readdirSync(path.join(at.toString(), ".eremos")).sort().join(" "));
          target.barrier(dir);
        };
      },
    });
    await erase(watched, at, "sealed");
    expect(seen[0]).toMatch(/packs/);
    expect(seen[0]).not.toMatch(/header|slots|members|keys|insurance/);
  });

  it("a record of removal that somebody else wrote removes nothing", async () => {
    const before = fill();
    const at = await lockedAs("sealed", "view");
    const forger = linuxDiskOf(Buffer.alloc(32, 9));
    const crashing = crashingDisk(forger, 12, "before");
    await erase(crashing.disk, at, "sealed").catch(() => undefined);
    expect(inspectFolder(linuxDisk, at)?.state).toBe("erasing");
    recoverFolder(linuxDisk, at);
    expect((await unlock(at, person.access)).files).toBe(2);
    expect(snapshot(folder, { withoutOwnDir: true }).slice(1)).toEqual(before.slice(1));
  });

  it("another folder at its path, or one that lies open, is refused and stays", async () => {
    fill();
    const at = await lockedAs("sealed", "view");
    await expect(
      eraseFolder(linuxDisk, { path: at, folder: "ff".repeat(16), guard: "sealed", passes: 0 }, silentHooks),
    ).rejects.toMatchObject({ code: "unvouched" });
    await expect(erase(linuxDisk, at, "barred")).rejects.toMatchObject({ code: "unvouched" });
    await unlock(at, person.access);
    await expect(erase(linuxDisk, at, "sealed")).rejects.toMatchObject({ code: "not-locked" });
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("a directory of the name it has at the end is swept only where it holds nothing but records", () => {
    const gone = path.join(base, `.eremos-gone-${ID}`);
    fs.mkdirSync(path.join(gone, ".eremos"), { recursive: true });
    fs.writeFileSync(path.join(gone, "mine.txt"), "mine");
    sweepErased(linuxDisk, Buffer.from(folder), ID);
    expect(fs.existsSync(path.join(gone, "mine.txt"))).toBe(true);
  });

  it("a single file goes with its container", async () => {
    fs.mkdirSync(base, { recursive: true });
    fs.writeFileSync(folder, "one file");
    const { realPath } = await lock(folder, person.owner, { folder: ID, visibility: "hidden" });
    await erase(linuxDisk, realPath, "sealed");
    expect(standing()).toEqual([]);
  });

  it.runIf(CAN_MOUNT)("of a drive all that is on it goes, and the drive stays mounted", async () => {
    const drive = new Drive("ext4");
    try {
      makeMixedTree(drive.at);
      const { realPath } = await lock(drive.at, person.owner, { folder: ID });
      await erase(linuxDisk, realPath, "sealed", 1);
      expect(fs.readdirSync(drive.at)).toEqual(["lost+found"]);
    } finally {
      drive.remove();
    }
  });
});
