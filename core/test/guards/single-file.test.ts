import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { EremosError } from "../../src/errors/eremos-error";
import { changeGuarded, guardFolder, openGuarded, releaseGuarded } from "../support/guarding";
import { HELD_NAME } from "../../src/engine/visibility/hide";
import { silentHooks } from "../../src/engine/ground/hooks";
import { lastChange } from "../../src/engine/records/last-change";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { previewSealing } from "../../src/engine/guards/sealed/lock";
import { recoverFolder } from "../../src/engine/guards/recover";
import { releaseOpenFolder } from "../support/guarding";
import { writeFileRecord } from "../../src/format/file-record";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { OTHER, OWN, asOwner } from "../support/accounts";
import { crashingDisk, failingDisk } from "../support/crashing-disk";
import { strided } from "../support/stride";
import {
  type Person,
  lock,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";
import { VISIBILITIES } from "../../src/format/choices";

const ID = Buffer.alloc(16, 7).toString("hex");
const TEXT = "Dear Jonas,\nthe cello is a surprise.\n";

let person: Person;
let base: string;
let file: string;
let before: string[];
beforeAll(async () => {
  person = await newPerson();
});
beforeEach(() => {
  base = newDirectory();
  file = path.join(base, "letter.txt");
  fs.writeFileSync(file, TEXT, { mode: 0o640 });
  fs.utimesSync(file, 1_700_000_000, 1_600_000_000);
  fs.writeFileSync(path.join(base, "neighbour.txt"), "stays");
  before = entriesOf(base);
});
afterEach(() => removeDirectory(base));
afterAll(() => undefined);

/** All but the directory itself, whose own time changes with what comes and goes. */
function entriesOf(directory: string): string[] {
  return snapshot(directory).slice(1);
}

const guarding = (visibility: "view" | "hidden" | "tucked") =>
  ({ guard: "barred", bars: { others: "nothing", own: "read" }, visibility, places: [Buffer.from(base)] }) as const;
const guardIt = async (disk: Disk = linuxDisk, visibility: "view" | "hidden" | "tucked" = "tucked"): Promise<Buffer> =>
  (
    await guardFolder(
      disk,
      { ...guarding(visibility), path: Buffer.from(file), folder: ID, owner: person.access.owner },
      silentHooks,
    )
  ).path;

/**
 * Whatever it is now (a held area may stay behind, empty): put right, then an ordinary file again by whatever way its
 * state calls for.
 */
async function plainAgain(): Promise<string[]> {
  const at = locateFolder(linuxDisk, Buffer.from(file), ID)?.realPath ?? Buffer.from(file);
  try {
    recoverFolder(linuxDisk, at);
  } catch (error) {
    if (!(error instanceof EremosError) || error.code !== "not-protected") throw error;
  }
  const now = locateFolder(linuxDisk, Buffer.from(file), ID);
  if (now) {
    expect(["sealed", "locked", "open"]).toContain(now.inspection.state);
    if (now.inspection.state !== "open")
      expect(fs.existsSync(file) && fs.statSync(file).isFile(), "nothing readable while it is locked").toBe(false);
    if (now.inspection.guard !== "sealed")
      await releaseGuarded(linuxDisk, { path: now.realPath, place: Buffer.from(file) });
    else if (now.inspection.state === "open") await releaseOpenFolder(linuxDisk, now.realPath);
    else await release(now.realPath, person.access);
  }
  const held = path.join(base, HELD_NAME.toString());
  if (fs.existsSync(held)) fs.rmdirSync(held);
  return entriesOf(base);
}

describe("a single file", () => {
  it.each(VISIBILITIES)(
    "locks %s, shows no name where it hides, opens at its place, follows edits, and is an ordinary file again",
    async (visibility) => {
      expect(previewSealing(linuxDisk, { path: Buffer.from(file), visibility, places: [] })).toMatchObject({
        files: 1,
        bytes: TEXT.length,
      });
      const { realPath } = await lock(file, person.owner, { folder: ID, visibility });
      expect(fs.readdirSync(base).includes("letter.txt")).toBe(visibility === "view");
      const everything = fs
        .readdirSync(realPath.toString(), { recursive: true, encoding: "utf8" })
        .map((name) => path.join(realPath.toString(), name));
      const written = [
        ...everything,
        ...everything.filter((one) => fs.statSync(one).isFile()).map((one) => fs.readFileSync(one, "latin1")),
      ]
        .join("\n")
        .replaceAll(realPath.toString(), "");
      for (const name of ["letter.txt", Buffer.from("letter.txt").toString("base64"), "cello"])
        expect(written).not.toContain(name);

      const opened = await unlock(realPath, person.access);
      expect(opened.path.toString()).toBe(file);
      expect(entriesOf(base).filter((line) => !line.includes("/.") && !line.startsWith("."))).toEqual(
        expect.arrayContaining(before),
      );
      expect(locateFolder(linuxDisk, Buffer.from(file), ID)).toMatchObject({
        realPath: Buffer.from(file),
        inspection: { state: "open", single: true },
      });
      expect(lastChange(linuxDisk, { path: Buffer.from(file) })).toBeGreaterThan(Date.now() - 60_000);

      // As programs save: written beside, renamed over.
      fs.writeFileSync(`${file}.new`, "edited");
      fs.renameSync(`${file}.new`, file);
      await lock(file, person.device, { folder: ID, visibility, note: opened.note });
      const again = locateFolder(linuxDisk, Buffer.from(file), ID)?.realPath ?? Buffer.alloc(0);
      await release(again, person.access);
      expect(fs.readFileSync(file, "utf8")).toBe("edited");
      expect(fs.readdirSync(base).sort()).toEqual(["letter.txt", "neighbour.txt"]);
    },
  );

  it("keeps what was put into it while it was locked in view beside it, and never replaces anything", async () => {
    const { realPath } = await lock(file, person.owner, { folder: ID });
    fs.writeFileSync(path.join(file, "dropped.txt"), "a newcomer");
    fs.writeFileSync(path.join(base, "dropped.txt"), "was there");
    await release(realPath, person.access);
    expect(fs.readdirSync(base).sort()).toEqual([
      "dropped (arrived while locked).txt",
      "dropped.txt",
      "letter.txt",
      "neighbour.txt",
    ]);
    expect(fs.readFileSync(path.join(base, "dropped.txt"), "utf8")).toBe("was there");
    expect(fs.readFileSync(file, "utf8")).toBe(TEXT);
  });

  it("that was moved away while it lay open is asked for, and a refused or cancelled lock leaves it as it was", async () => {
    await expect(
      lock(file, person.owner, { folder: ID, hooks: { ...silentHooks, cancelled: () => true } }),
    ).rejects.toMatchObject({ code: "cancelled" });
    expect(entriesOf(base)).toEqual(before);
    const { realPath } = await lock(file, person.owner, { folder: ID, visibility: "hidden" });
    const { note } = await unlock(realPath, person.access);
    fs.renameSync(file, path.join(base, "moved.txt"));
    await expect(lock(file, person.owner, { folder: ID, note })).rejects.toMatchObject({ code: "not-found" });
    fs.renameSync(path.join(base, "moved.txt"), file);
    await releaseOpenFolder(linuxDisk, Buffer.from(file));
    expect(entriesOf(base)).toEqual(before);
  });

  it("can be barred or put out of sight as well, changed while it is locked, and opens with the permissions it had", async () => {
    const first = await guardIt();
    expect(fs.existsSync(file)).toBe(false);
    const { path: now } = await changeGuarded(linuxDisk, {
      ...guarding("view"),
      path: first,
      place: Buffer.from(file),
    });
    expect(fs.readFileSync(path.join(now.toString(), "letter.txt"), "utf8")).toBe(TEXT);
    const opened = await openGuarded(linuxDisk, { path: now, place: Buffer.from(file) });
    expect(opened.path.toString()).toBe(file);
    expect(fs.statSync(file).mode & 0o777).toBe(0o640);
    await releaseGuarded(linuxDisk, { path: Buffer.from(file), place: Buffer.from(file) });
    expect(entriesOf(base)).toEqual(before);
  });
});

it.runIf(process.getuid?.() === 0)("takes no directory of another account for its container", async () => {
  for (const directory of [base, file]) fs.chownSync(directory, OWN, OWN);
  fs.chmodSync(base, 0o777);
  const planted = path.join(base, `.${"0".repeat(20)}`);
  fs.mkdirSync(path.join(planted, ".eremos"), { recursive: true });
  fs.writeFileSync(path.join(planted, ".eremos", "file.json"), writeFileRecord(Buffer.from("letter.txt"), null));
  for (const directory of [planted, path.join(planted, ".eremos")]) {
    fs.chownSync(directory, OTHER, OTHER);
    fs.chmodSync(directory, 0o777);
  }
  const { realPath } = await asOwner(() => lock(file, person.owner, { folder: ID, visibility: "hidden" }));
  expect(realPath.toString()).not.toBe(planted);
  expect(fs.readdirSync(planted)).toEqual([".eremos"]);
});

it.runIf(process.getuid?.() === 0)(
  "locks and opens beside a hidden folder that this account barred for itself",
  async () => {
    const barred = path.join(base, "Payroll");
    fs.mkdirSync(barred);
    for (const entry of [base, file, barred]) fs.chownSync(entry, OWN, OWN);
    await asOwner(async () => {
      await guardFolder(
        linuxDisk,
        {
          guard: "barred",
          bars: { others: "nothing", own: "nothing" },
          visibility: "hidden",
          places: [Buffer.from(base)],
          path: Buffer.from(barred),
          folder: Buffer.alloc(16, 8).toString("hex"),
          owner: person.access.owner,
        },
        silentHooks,
      );
      const { realPath } = await lock(file, person.owner, { folder: ID, visibility: "hidden" });
      await unlock(realPath, person.access);
      await releaseOpenFolder(linuxDisk, Buffer.from(file));
    });
    expect(fs.readFileSync(file, "utf8")).toBe(TEXT);
  },
);

type Scene = () => Promise<(disk: Disk) => unknown>;
const SCENES: Readonly<Record<string, Scene>> = {
  ...Object.fromEntries(
    VISIBILITIES.map((visibility): [string, Scene] => [
      `first lock, ${visibility}`,
      async () => (disk) => lock(file, person.owner, { disk, folder: ID, visibility }),
    ]),
  ),
  "lock again": async () => {
    const { realPath } = await lock(file, person.owner, { folder: ID, visibility: "tucked" });
    const { note } = await unlock(realPath, person.access);
    return (disk) => lock(file, person.device, { disk, folder: ID, visibility: "view", note });
  },
  ...Object.fromEntries(
    (["view", "tucked"] as const).flatMap((visibility): [string, Scene][] => [
      [
        `open, ${visibility}`,
        async () => {
          const { realPath } = await lock(file, person.owner, { folder: ID, visibility });
          return (disk) => unlock(realPath, person.access, { disk });
        },
      ],
      [
        `release, ${visibility}`,
        async () => {
          const { realPath } = await lock(file, person.owner, { folder: ID, visibility });
          return (disk) => release(realPath, person.access, { disk });
        },
      ],
      [`barred, ${visibility}`, async () => (disk) => guardIt(disk, visibility)],
      [
        `opened from barred, ${visibility}`,
        async () => {
          const at = await guardIt(linuxDisk, visibility);
          return (disk) => openGuarded(disk, { path: at, place: Buffer.from(file), guard: "barred" });
        },
      ],
    ]),
  ),
  "sealed, locked, becomes out of sight": async () => {
    const { realPath } = await lock(file, person.owner, { folder: ID, visibility: "tucked" });
    return async (disk) => {
      await unlock(realPath, person.access, { disk, closed: true });
      await guardIt(disk, "hidden");
    };
  },
  "barred, locked, becomes sealed": async () => {
    const at = await guardIt(linuxDisk, "hidden");
    return async (disk) => {
      await openGuarded(disk, { path: at, place: Buffer.from(file), guard: "barred", closed: true });
      await lock(file, person.owner, { disk, folder: ID, visibility: "view" });
    };
  },
  "release of an open one": async () => {
    const { realPath } = await lock(file, person.owner, { folder: ID });
    await unlock(realPath, person.access);
    return (disk) => releaseOpenFolder(disk, Buffer.from(file));
  },
  "release of a barred one": async () => {
    const at = await guardIt(linuxDisk, "hidden");
    return (disk) => releaseGuarded(disk, { path: at, place: Buffer.from(file), guard: "barred" });
  },
};

/** Every scene in every way in the deep campaign; daily, each in one of them. */
function inTurn<W>(ways: readonly W[]): readonly { readonly name: string; readonly scene: Scene; readonly way: W }[] {
  const isDeep = process.env["EREMOS_DEEP"] === "1";
  return Object.entries(SCENES).flatMap(([name, scene], i) =>
    ways.filter((_way, w) => isDeep || w === i % ways.length).map((way) => ({ name, scene, way })),
  );
}

const CHANGES = strided(61);
const CALLS = strided(61);

describe(`crashed at ${CHANGES.of("change")}, a single file is whole and at its place again, or wholly locked`, () => {
  let tried = 0;
  afterAll(() => void process.stdout.write(`crash points tried: ${tried}\n`));
  it.each(inTurn(["before", "after", "torn"] as const).map(({ name, scene, way }) => ({ name, scene, mode: way })))(
    "$name, $mode",
    async ({ mode, scene }) => {
      for (let at = CHANGES.from; ; at += CHANGES.step) {
        const run = await scene();
        const crashing = crashingDisk(linuxDisk, at, mode);
        await (async () => run(crashing.disk))().catch((error: unknown) => {
          if (!crashing.crashed()) throw error;
        });
        tried++;
        expect(await plainAgain(), `operation ${at}`).toEqual(before);
        if (!crashing.crashed()) break;
      }
    },
  );
});

describe(`where ${CALLS.of("call")} fails, a single file is whole and at its place again, or wholly locked`, () => {
  let failed = 0;
  afterAll(() => void process.stdout.write(`system calls failed: ${failed}\n`));
  it.each(inTurn(["EIO", "EACCES", "ENOSPC"] as const).map(({ name, scene, way }) => ({ name, scene, code: way })))(
    "$name, $code",
    async ({ code, scene }) => {
      for (let at = CALLS.from; ; at += CALLS.step) {
        const run = await scene();
        const failing = failingDisk(linuxDisk, at, code);
        const outcome = await (async () => run(failing.disk))().then(
          () => null,
          (error: unknown) => error,
        );
        if (outcome !== null) expect(outcome, `call ${at} (${failing.failed()})`).toBeInstanceOf(EremosError);
        expect(await plainAgain(), `call ${at} (${failing.failed()})`).toEqual(before);
        if (failing.failed() === null) break;
        failed++;
      }
    },
  );
});

it.each([
  ["barred", (disk: Disk) => guardIt(disk, "view")],
  ["sealed", (disk: Disk) => lock(file, person.owner, { disk, folder: ID })],
] as const)(
  "a first lock, %s: each of its first 100 calls fails with EIO: where that is told, the file is as it was and nothing is beside it",
  async (_guard, run) => {
    let told = 0;
    for (let at = 0; at < 100; at++) {
      removeDirectory(base);
      fs.mkdirSync(base);
      fs.writeFileSync(file, TEXT);
      const was = entriesOf(base);
      const failing = failingDisk(linuxDisk, at, "EIO");
      const isDone = await run(failing.disk).then(
        () => true,
        () => false,
      );
      if (isDone) continue;
      expect(entriesOf(base), `call ${at} (${failing.failed()})`).toEqual(was);
      told++;
    }
    expect(told).toBeGreaterThan(80);
  },
);
