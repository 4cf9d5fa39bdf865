import * as fs from "node:fs";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { EremosError } from "../../src/errors/eremos-error";
import { failingDisk } from "../support/crashing-disk";
import { STAGES, campaignDirectory, casesOf, expectWhole, plainAfterRecovery, setUp } from "../support/scenes";
import { strided } from "../support/stride";
import { type Person, newPerson, removeDirectory, snapshot } from "../support/world";

const CALLS = strided(311);
const WAYS = ["EIO", "EACCES", "ENOSPC", "EIO from there on"] as const;

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

describe.each(casesOf(WAYS))(`${CALLS.of("call")} fails: %s`, (_name, { stage, ways }) => {
  it.each(ways)("with %s: a clear reason, and nothing is lost", async (way) => {
    const [code = "", ...rest] = way.split(" ");
    for (let at = CALLS.from; ; at += CALLS.step) {
      const { scene, parent } = await setUp(person, base, stage);
      const failing = failingDisk(linuxDisk, at, code, rest.length > 0);
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
      const where = `call ${at} (${call}), ${way}`;
      expect(left, `${where}: descriptors left open`).toEqual([]);
      // Some failures change nothing, such as an attribute that can't be read; every other one is told.
      if (outcome !== null) expect(outcome, where).toBeInstanceOf(EremosError);
      const after = await plainAfterRecovery(person, scene.folder);
      expectWhole(scene, after, where, "nothing");
      removeDirectory(parent);
    }
  });
});

it.each(["first lock, view", "read only: first lock"])(
  "%s: each of its first 60 calls fails with EIO: where that is told, everything is as it was and nothing is left",
  async (name) => {
    const stage = STAGES[name];
    if (!stage) throw new RangeError("there is no such stage");
    let told = 0;
    for (let at = 0; at < 60; at++) {
      const { scene, parent } = await setUp(person, base, stage);
      const before = snapshot(parent);
      const failing = failingDisk(linuxDisk, at, "EIO");
      const isDone = await scene.run(failing.disk).then(
        () => true,
        () => false,
      );
      if (!isDone) expect(snapshot(parent), `call ${at} (${failing.failed()})`).toEqual(before);
      if (!isDone) told++;
      removeDirectory(parent);
    }
    expect(told).toBeGreaterThan(30);
  },
);

it("a disk that is gone from any call of a barred folder's first lock on: told, and nothing is lost", async () => {
  const stage = STAGES["read only: first lock"];
  if (!stage) throw new RangeError("there is no such stage");
  for (let at = 0; ; at++) {
    const { scene, parent } = await setUp(person, base, stage);
    const failing = failingDisk(linuxDisk, at, "EIO", true);
    const outcome = await scene.run(failing.disk).then(
      () => null,
      (error: unknown) => error,
    );
    if (failing.failed() === null) {
      expect(at).toBeGreaterThan(30);
      return removeDirectory(parent);
    }
    if (outcome !== null) expect(outcome, `call ${at}`).toBeInstanceOf(EremosError);
    expectWhole(scene, await plainAfterRecovery(person, scene.folder), `call ${at}`, "nothing");
    removeDirectory(parent);
  }
});
