import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import { type CrashMode, crashingDisk } from "./crashing-disk";
import { campaignDirectory, casesOf, expectClosed, plainAfterRecovery, setUp } from "./scenes";
import { type Person, newPerson, removeDirectory } from "./world";

const DEEP = process.env["EREMOS_DEEP"] === "1";
const STRIDE = DEEP ? 1 : 11;
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

/** Directory times may differ where the crash fell between the last record and setting them; nothing else may. */
function withoutTopTime(lines: readonly string[]): string[] {
  return lines.map((line, i) => (i === 0 ? line.replace(/mtime=\d+/, "") : line));
}

describe.each(casesOf(MODES))("killed at every change: $name", ({ stage, ways }) => {
  it.each(ways)("%s", async (mode) => {
    for (let at = 0; ; at += STRIDE) {
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
      const after = withoutTopTime(await plainAfterRecovery(person, scene.folder));
      expect(scene.acceptable.map(withoutTopTime), `crash at change ${at}, ${mode}`).toContainEqual(after);
      removeDirectory(parent);
    }
  });
});
