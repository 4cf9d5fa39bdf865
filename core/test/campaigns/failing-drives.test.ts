import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { EremosError } from "../../src/errors/eremos-error";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { meddledDisk } from "../support/crashing-disk";
import { Backing, CAN_MOUNT, Drive } from "../support/mounts";
import { FOLDER } from "../support/scene";
import { plainAfterRecovery } from "../support/scenes";
import { strided } from "../support/stride";
import { type Person, lock, newPerson, removeDirectory, snapshot, unlock } from "../support/world";

const CALLS = strided(157);

let person: Person;
let drive: Drive;
let tried = 0;
beforeAll(async () => {
  person = await newPerson();
});
afterEach(() => drive.remove());
afterAll(() => process.stdout.write(`drives that failed: ${tried}\n`));

function putFolder(): string {
  const folder = path.join(drive.at, "home", "Payroll");
  fs.mkdirSync(path.join(folder, "inner"), { recursive: true });
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  fs.writeFileSync(path.join(folder, "inner", "large.bin"), Buffer.alloc(1_200_000, "large"));
  fs.linkSync(path.join(folder, "letter.txt"), path.join(folder, "inner", "same.txt"));
  return folder;
}

function makeDurable(): void {
  const root = linuxDisk.openRoot(Buffer.from(drive.at));
  linuxDisk.barrier(root);
  linuxDisk.closeDir(root);
}

type Work = (folder: string, disk: Disk) => Promise<unknown>;
const WORK: Readonly<Record<string, { readonly prepare: (folder: string) => Promise<unknown>; readonly work: Work }>> =
  {
    "a lock": {
      prepare: async () => undefined,
      work: (folder, disk) => lock(folder, person.owner, { disk, folder: FOLDER }),
    },
    "an opening": {
      prepare: (folder) => lock(folder, person.owner, { folder: FOLDER }),
      work: (folder, disk) => unlock(folder, person.access, { disk }),
    },
  };

describe.runIf(CAN_MOUNT).each(Object.entries(WORK))("while %s is under way, a drive", (_name, { prepare, work }) => {
  it.each([
    ["turns read-only", (): void => drive.turnReadOnly()],
    ["is pulled out", (): void => drive.pullOut()],
  ] as const)(
    `%s at ${CALLS.of("call")}: a clear reason, and nothing is lost when it comes back, elsewhere`,
    async (_what, fault) => {
      drive = new Drive("ext4", 32);
      for (let at = CALLS.from; ; at += CALLS.step) {
        const folder = putFolder();
        const before = snapshot(folder);
        await prepare(folder);
        makeDurable();
        const meddler = meddledDisk(linuxDisk, at, fault);
        const failure = await work(folder, meddler.disk).then(
          () => null,
          (error: unknown) => error,
        );
        if (meddler.isOver()) {
          expect(failure).toBeNull();
          return;
        }
        expect(meddler.happened(), `at call ${at}`).toBe(true);
        tried++;
        if (failure !== null) expect(failure, `at call ${at}`).toBeInstanceOf(EremosError);
        drive.replug(`elsewhere-${at}`);
        const there = path.join(drive.at, "home", "Payroll");
        const after = await plainAfterRecovery(person, there);
        expect(after.slice(1), `at call ${at} (${meddler.during()})`).toEqual(before.slice(1));
        removeDirectory(path.dirname(there));
      }
    },
  );
});

describe.runIf(CAN_MOUNT)("a drive that can't store what it promised", () => {
  let backing: Backing;
  beforeAll(() => {
    backing = new Backing(80);
  });
  afterAll(() => backing.remove());

  it("says so only when asked to make it durable, before the readable copy is touched", async () => {
    drive = new Drive("ext4", 128, backing.at);
    const folder = putFolder();
    fs.writeFileSync(path.join(folder, "film.bin"), Buffer.alloc(20_000_000, "film"));
    makeDurable();
    const before = snapshot(folder);
    backing.leave(3_000);

    const failure = await lock(folder, person.owner, { folder: FOLDER }).then(
      () => null,
      (error: unknown) => error,
    );
    expect(failure).toBeInstanceOf(EremosError);
    expect(snapshot(folder, { withoutOwnDir: true }).slice(1)).toEqual(before.slice(1));

    backing.leave(60_000);
    drive.replug("elsewhere");
    const there = path.join(drive.at, "home", "Payroll");
    expect((await plainAfterRecovery(person, there)).slice(1)).toEqual(before.slice(1));
    await lock(there, person.owner, { folder: FOLDER });
    expect((await plainAfterRecovery(person, there)).slice(1)).toEqual(before.slice(1));
  });
});
