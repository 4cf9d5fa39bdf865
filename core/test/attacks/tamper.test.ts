import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { checkFolder } from "../../src/engine/upkeep/check";
import { silentHooks } from "../../src/engine/ground/hooks";
import { EremosError } from "../../src/errors/eremos-error";
import { readState, writeState } from "../../src/format/state";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { stateFile } from "../support/records";
import { strided } from "../support/stride";
import {
  type Person,
  lock,
  makeMixedTree,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";

const PLACES = strided(3);
let person: Person;
let base: string;
let sealed: string;
let before: string[];

beforeAll(async () => {
  person = await newPerson();
  base = newDirectory(fs.existsSync("/dev/shm") ? "/dev/shm" : undefined);
  sealed = path.join(base, "Sealed");
  fs.mkdirSync(sealed);
  makeMixedTree(sealed);
  before = snapshot(sealed);
  await lock(sealed, person.owner);
});
afterAll(() => removeDirectory(base));

const ownDir = (folder: string): string => path.join(folder, ".eremos");

function filesIn(folder: string): string[] {
  return fs
    .readdirSync(ownDir(folder), { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && entry.name !== "lock")
    .map((entry) => path.relative(ownDir(folder), path.join(entry.parentPath, entry.name)))
    .sort();
}

let copies = 0;
function freshCopy(): string {
  const copy = path.join(base, `copy-${copies++}`);
  fs.cpSync(sealed, copy, { recursive: true, preserveTimestamps: true });
  return copy;
}

/**
 * Whatever was done to the copy: the check names it or refuses, and an opening either refuses or gives back exactly
 * what was locked.
 */
async function expectDetected(copy: string, what: string): Promise<void> {
  const checked = await checkFolder(
    linuxDisk,
    { path: Buffer.from(copy), access: person.access, keptHeader: null, expected: null },
    silentHooks,
  ).catch((error: unknown) => error);
  if (checked instanceof EremosError) expect(checked.class, what).toBe("damage");
  else expect(checked, what).toMatchObject({ ok: false });
  const opened = await release(copy, person.access).then(
    () => "opened",
    (error: unknown) => error,
  );
  if (opened === "opened") expect(snapshot(copy), what).toEqual(before);
  else expect(opened, what).toMatchObject({ class: "damage" });
  removeDirectory(copy);
}

describe("a sealed folder that somebody changed", () => {
  it(`shows a flipped bit in any file, near its ends, its borders and its middle: at ${PLACES.of("place")}`, async () => {
    let place = 0;
    for (const file of filesIn(sealed)) {
      const size = fs.statSync(path.join(ownDir(sealed), file)).size;
      for (const at of new Set(
        [0, 9, 20, 40, 60, 80, 103, 104, Math.floor(size / 2), size - 17, size - 2].filter(
          (position) => position >= 0 && position < size - 1,
        ),
      )) {
        if (place++ % PLACES.step !== PLACES.from) continue;
        const copy = freshCopy();
        const target = path.join(ownDir(copy), file);
        const bytes = fs.readFileSync(target);
        bytes[at] = (bytes[at] ?? 0) ^ 4;
        fs.writeFileSync(target, bytes);
        await expectDetected(copy, `${file} at ${at}`);
      }
    }
  });

  it("shows a truncated, extended, emptied or missing file", async () => {
    for (const file of filesIn(sealed)) {
      for (const spoil of [
        (target: string) => fs.truncateSync(target, fs.statSync(target).size - 3),
        (target: string) => fs.appendFileSync(target, "x"),
        (target: string) => fs.truncateSync(target, 0),
        (target: string) => fs.rmSync(target),
      ]) {
        const copy = freshCopy();
        spoil(path.join(ownDir(copy), file));
        await expectDetected(copy, `${file} ${String(spoil)}`);
      }
    }
  });

  it("shows packs put in one another's place, chunks exchanged and a last chunk cut off at its border", async () => {
    const packs = filesIn(sealed).filter((file) => file.startsWith("packs/"));
    expect(packs.length).toBeGreaterThanOrEqual(2);
    const [a = "", b = ""] = packs;
    const copy = freshCopy();
    fs.copyFileSync(path.join(ownDir(sealed), a), path.join(ownDir(copy), b));
    fs.copyFileSync(path.join(ownDir(sealed), b), path.join(ownDir(copy), a));
    await expectDetected(copy, "swapped packs");

    const largest =
      packs.toSorted(
        (x, y) => fs.statSync(path.join(ownDir(sealed), y)).size - fs.statSync(path.join(ownDir(sealed), x)).size,
      )[0] ?? "";
    const bytes = fs.readFileSync(path.join(ownDir(sealed), largest));
    const chunk = 65_536 + 16;
    const exchanged = Buffer.from(bytes);
    bytes.copy(exchanged, 104, 104 + chunk, 104 + 2 * chunk);
    bytes.copy(exchanged, 104 + chunk, 104, 104 + chunk);
    for (const changed of [exchanged, bytes.subarray(0, 104 + chunk * Math.floor((bytes.length - 105) / chunk))]) {
      const target = freshCopy();
      fs.writeFileSync(path.join(ownDir(target), largest), changed);
      await expectDetected(target, "chunks");
    }
  });

  it("shows an index or a generation of an earlier lock put back", async () => {
    const folder = freshCopy();
    const old = freshCopy();
    const opened = await unlock(folder, person.access);
    fs.appendFileSync(path.join(folder, "letter.txt"), "changed");
    await lock(folder, person.owner, { folder: opened.folder, note: opened.note });
    const [oldIndex = ""] = filesIn(old).filter((file) => file.startsWith("index/"));
    const [newIndex = ""] = filesIn(folder).filter((file) => file.startsWith("index/"));
    fs.copyFileSync(path.join(ownDir(old), oldIndex), path.join(ownDir(folder), newIndex));
    await expect(release(folder, person.access)).rejects.toMatchObject({ class: "damage" });
  });

  it("does not open for another owner, and says so without touching it", async () => {
    const other = await newPerson();
    const copy = freshCopy();
    await expect(unlock(copy, other.access)).rejects.toMatchObject({ code: "wrong-password" });
    expect(filesIn(copy)).toEqual(filesIn(sealed));
  });

  it("takes no path from a record that anybody could write", () => {
    const state = readState(fs.readFileSync(path.join(ownDir(sealed), stateFile(sealed))));
    for (const hostile of [
      { folder: "../../../../etc/cron.d/x" },
      { lockedName: "../elsewhere" },
      { lockedName: ".." },
      { visibility: "hidden", lockedName: "visible" },
      { visibility: "view", lockedName: `.${"0".repeat(20)}` },
    ] as const) {
      expect(() => readState(writeState({ ...state, ...hostile }))).toThrow(
        expect.objectContaining({ code: "damaged" }),
      );
    }
  });

  it("opens from one whole copy of the header, and the check names the other", async () => {
    const copy = freshCopy();
    fs.writeFileSync(path.join(ownDir(copy), "header.json"), "{}");
    const checked = await checkFolder(
      linuxDisk,
      { path: Buffer.from(copy), access: person.access, keptHeader: null, expected: null },
      silentHooks,
    );
    expect(checked.damaged).toMatchObject([{ path: ".eremos/header.json" }]);
    await release(copy, person.access);
    expect(snapshot(copy)).toEqual(before);
  });
});
