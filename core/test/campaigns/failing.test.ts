import * as fs from "node:fs";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { EremosError } from "../../src/errors/eremos-error";
import { failingDisk } from "../support/crashing-disk";
import { campaignDirectory, casesOf, expectWhole, plainAfterRecovery, setUp } from "../support/scenes";
import { strided } from "../support/stride";
import { type Person, newPerson, removeDirectory } from "../support/world";

const CALLS = strided(151);
const CODES = ["EIO", "EACCES", "ENOSPC"] as const;

let person: Person;
let base: string;
let tried = 0;
beforeAll(async () => {
  person = await newPerson();
  base = campaignDirectory();
});
afterAll(() => {
  removeDirectory(base);
  process.stdout.write(`system calls failed: ${tried}\n`);
});

function openDescriptors(): string[] {
  return fs
    .readdirSync("/proc/self/fd")
    .flatMap((fd) => {
      try {
        return [`${fd} ${fs.readlinkSync(`/proc/self/fd/${fd}`)}`];
      } catch {
        return [];
      }
    })
    .filter((open) => open.includes("/at-"));
}

describe.each(casesOf(CODES))(`${CALLS.of("call")} fails: %s`, (_name, { stage, ways }) => {
  it.each(ways)("with %s: a clear reason, and nothing is lost", async (code) => {
    for (let at = CALLS.from; ; at += CALLS.step) {
      const { scene, parent } = await setUp(person, base, stage);
      const failing = failingDisk(linuxDisk, at, code);
      const descriptors = openDescriptors();
      const outcome = await scene.run(failing.disk).then(
        () => null,
        (error: unknown) => error,
      );
      const call = failing.failed();
      if (call === null) {
        expect(outcome).toBeNull();
        removeDirectory(parent);
        return;
      }
      tried++;
      const left = openDescriptors().filter((open) => !descriptors.includes(open));
      const where = `call ${at} (${call}), ${code}`;
      expect(left, `${where}: descriptors left open`).toEqual([]);
      // Some failures change nothing, such as an attribute that can't be read; every other one is told.
      if (outcome !== null) expect(outcome, where).toBeInstanceOf(EremosError);
      const after = await plainAfterRecovery(person, scene.folder);
      expectWhole(scene, after, where, "nothing");
      removeDirectory(parent);
    }
  });
});
