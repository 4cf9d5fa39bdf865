import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { type CrashMode, crashingDisk } from "../support/crashing-disk";
import { campaignDirectory, casesOf, expectClosed, expectWhole, plainAfterRecovery, setUp } from "../support/scenes";
import { strided } from "../support/stride";
import { type Person, newPerson, removeDirectory } from "../support/world";

const CHANGES = strided(61);
const MODES: readonly CrashMode[] = ["before", "after", "torn"];

let person: Person;
let base: string;
let tried = 0;

beforeAll(async () => {
  person = await newPerson();
  base = campaignDirectory();
});
afterAll(() => {
  removeDirectory(base);
  process.stdout.write(`crash points tried: ${tried}\n`);
});

describe.each(casesOf(MODES))(`killed at ${CHANGES.of("change")}: %s`, (_name, { stage, ways }) => {
  it.each(ways)("%s", async (mode) => {
    for (let at = CHANGES.from; ; at += CHANGES.step) {
      const { scene, parent } = await setUp(person, base, stage);
      const crashing = crashingDisk(linuxDisk, at, mode);
      const failure = await scene.run(crashing.disk).then(
        () => null,
        (error: unknown) => error,
      );
      if (!crashing.crashed()) {
        expect(failure).toBeNull();
        removeDirectory(parent);
        return;
      }
      tried++;
      if (scene.isClosed) expectClosed(scene.folder);
      const after = await plainAfterRecovery(person, scene.folder);
      expectWhole(scene, after, `crash at change ${at}, ${mode}`, crashing.keptNoTime() ? "but its time" : "whole");
      removeDirectory(parent);
    }
  });
});
