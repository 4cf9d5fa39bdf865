import * as fs from "node:fs";
import * as path from "node:path";
import { expect } from "vitest";
import { changeOwner, openFolderKey } from "../../src/engine/access/change-owner";
import { closeToOthers } from "../../src/engine/upkeep/close-to-others";
import { changeVisibility } from "./guarding";
import { type GuardedInput, type Guarding, changeGuarded, guardFolder, openGuarded, releaseGuarded } from "./guarding";
import type { Locked } from "../../src/engine/guards/guard";
import { EremosError } from "../../src/errors/eremos-error";
import { setInsurance } from "../../src/insurance/insure";
import { repairFolder } from "../../src/engine/upkeep/repair";
import { silentHooks } from "../../src/engine/ground/hooks";
import { NO_BARS } from "../../src/format/guards";
import type { Disk } from "../../src/platform/port";
import { HELD_NAME } from "../../src/engine/visibility/hide";
import { locateFolder } from "../../src/engine/upkeep/locate";
import type { OpenNote, Signer } from "../../src/engine/contents/sealing-input";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { releaseOpenFolder } from "./guarding";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { crampedDisk } from "./crashing-disk";
import { FOLDER, OWN_PASSWORD, type Scene, type Stage } from "./scene";
import { INSIDE } from "./scenes-inside";
import { ICON, PAGE, type Person, lock, newDirectory, release, snapshot, unlock } from "./world";
import { VISIBILITIES } from "../../src/format/choices";

/** Every verb from every state it starts in, on the real file system, to be cut off anywhere. */
function makeTree(folder: string): void {
  fs.mkdirSync(path.join(folder, "inner", "deeper"), { recursive: true });
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  fs.writeFileSync(path.join(folder, "inner", "large.bin"), Buffer.alloc(1_100_000, "large"));
  fs.writeFileSync(path.join(folder, "inner", "second.bin"), Buffer.alloc(1_050_000, "second"));
  fs.writeFileSync(path.join(folder, "inner", "deeper", "empty"), "");
  fs.linkSync(path.join(folder, "letter.txt"), path.join(folder, "inner", "same.txt"));
  fs.symlinkSync("letter.txt", path.join(folder, "link"));
  fs.chmodSync(path.join(folder, "inner", "deeper"), 0o500);
  fs.mkdirSync(path.join(folder, "read only"), { mode: 0o555 });
  for (const name of ["inner/large.bin", "inner/deeper", "inner", "read only", ""])
    fs.utimesSync(path.join(folder, name), 1_400_000_000, 1_400_000_000);
}

/** In memory, if there is such a place: what is tried thousands of times need not reach a disk. */
export function campaignDirectory(): string {
  return newDirectory(fs.existsSync("/dev/shm") ? "/dev/shm" : undefined);
}

/** A stage set up in a directory of its own, which the caller removes. */
export async function setUp(
  person: Person,
  base: string,
  stage: Stage,
): Promise<{ readonly scene: Scene; readonly parent: string }> {
  const parent = fs.mkdtempSync(path.join(base, "at-"));
  const folder = path.join(parent, "Payroll");
  fs.mkdirSync(folder);
  makeTree(folder);
  return { scene: await stage(person, folder), parent };
}

/** Room for one of the two large files at a time. */
const CRAMPED = 4 * 1024 * 1024 + 1_300_000;

const changes = VISIBILITIES.flatMap((from) => VISIBILITIES.filter((to) => to !== from).map((to) => ({ from, to })));

export const STAGES: Record<string, Stage> = {
  ...Object.fromEntries(
    VISIBILITIES.map((visibility): [string, Stage] => [
      `first lock, ${visibility}`,
      async (person, folder) => ({
        folder,
        acceptable: [snapshot(folder)],
        run: (disk) => lock(folder, person.owner, { disk, visibility, folder: FOLDER }),
      }),
    ]),
  ),
  "first lock while signed out": async (person, folder) => ({
    folder,
    acceptable: [snapshot(folder)],
    run: (disk) => lock(folder, person.device, { disk, folder: FOLDER }),
  }),
  ...Object.fromEntries(
    VISIBILITIES.map((visibility): [string, Stage] => [
      `open, ${visibility}`,
      async (person, folder) => {
        const before = snapshot(folder);
        const { realPath } = await lock(folder, person.owner, { visibility, folder: FOLDER });
        return { folder, acceptable: [before], run: (disk) => unlock(realPath, person.access, { disk }) };
      },
    ]),
  ),
  "lock again after edits": async (person, folder) => relock(person, folder, true, person.owner),
  "lock again after edits, while signed out": async (person, folder) => relock(person, folder, true, person.device),
  "lock again, nothing changed": async (person, folder) => relock(person, folder, false, person.owner),
  ...Object.fromEntries(
    (["signed in", "signed out"] as const).map((how): [string, Stage] => [
      `lock again after edits, insured, ${how}`,
      async (person, folder) => {
        const { realPath, folder: id } = await lock(folder, person.owner, { folder: FOLDER });
        setInsurance(linuxDisk, realPath, { data: 20, parity: 2 });
        const { note } = await unlock(realPath, person.access);
        fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas, it is no surprise any more");
        return {
          folder,
          acceptable: [snapshot(folder, { withoutOwnDir: true })],
          run: (disk) => lock(folder, how === "signed in" ? person.owner : person.device, { disk, folder: id, note }),
        };
      },
    ]),
  ),
  "insuring a locked folder": async (person, folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { folder: FOLDER });
    return { folder, acceptable: [before], run: async (disk) => setInsurance(disk, realPath, { data: 20, parity: 2 }) };
  },
  "release of a locked folder": async (person, folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility: "hidden", folder: FOLDER });
    return { folder, acceptable: [before], run: (disk) => release(realPath, person.access, { disk }) };
  },
  "first lock, file by file": async (person, folder) => ({
    folder,
    acceptable: [snapshot(folder)],
    run: (disk) =>
      lock(folder, person.owner, { disk: crampedDisk(disk, CRAMPED), visibility: "hidden", folder: FOLDER }),
  }),
  "first lock while signed out, file by file": async (person, folder) => ({
    folder,
    acceptable: [snapshot(folder)],
    run: (disk) => lock(folder, person.device, { disk: crampedDisk(disk, CRAMPED), folder: FOLDER }),
  }),
  "first lock, overwriting": async (person, folder) => ({
    folder,
    acceptable: [snapshot(folder)],
    run: (disk) => lock(folder, person.owner, { disk, folder: FOLDER, overwrite: 1 }),
  }),
  "first lock, file by file, overwriting": async (person, folder) => ({
    folder,
    acceptable: [snapshot(folder)],
    run: (disk) =>
      lock(folder, person.owner, {
        disk: crampedDisk(disk, CRAMPED),
        visibility: "hidden",
        folder: FOLDER,
        overwrite: 1,
      }),
  }),
  "lock again after edits, file by file": async (person, folder) => {
    const scene = await relock(person, folder, true, person.owner);
    fs.appendFileSync(path.join(folder, "inner", "large.bin"), "more");
    fs.appendFileSync(path.join(folder, "inner", "second.bin"), "more");
    const now = snapshot(folder, { withoutOwnDir: true });
    return {
      ...scene,
      acceptable: [now],
      run: (disk) =>
        lock(folder, person.owner, { disk: crampedDisk(disk, CRAMPED), folder: FOLDER, visibility: "hidden", note }),
    };
  },
  "open, file by file": async (person, folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility: "hidden", folder: FOLDER });
    return {
      folder,
      acceptable: [before],
      run: (disk) => unlock(realPath, person.access, { disk: crampedDisk(disk, CRAMPED) }),
    };
  },
  ...Object.fromEntries(
    changes.map(({ from, to }): [string, Stage] => [
      `a locked folder, ${from}, becomes ${to}`,
      async (person, folder) => {
        const before = snapshot(folder);
        const { realPath } = await lock(folder, person.owner, { folder: FOLDER, visibility: from });
        const places = [Buffer.from(path.dirname(folder))];
        return {
          folder,
          acceptable: [before],
          run: async (disk) =>
            await changeVisibility(disk, {
              path: realPath,
              place: Buffer.from(folder),
              visibility: to,
              places,
              page: PAGE,
            }),
        };
      },
    ]),
  ),
  "first lock, under a cover name and another icon": async (person, folder) => {
    return {
      folder,
      acceptable: [snapshot(folder)],
      run: (disk) => lock(folder, person.owner, { disk, folder: FOLDER, cover: "Recipes", icon: ICON }),
    };
  },
  "open, from under a cover name": async (person, folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { folder: FOLDER, cover: "Recipes", icon: ICON });
    return { folder, acceptable: [before], run: (disk) => unlock(realPath, person.access, { disk }) };
  },
  ...Object.fromEntries(
    (
      [
        ["its own name", null, "view", "Recipes"],
        ["a cover name", "Recipes", "view", "Old bills"],
        ["a cover name", "Recipes", "view", null],
        ["a cover name", "Recipes", "hidden", null],
      ] as const
    ).map(([from, cover, visibility, to]): [string, Stage] => [
      `a locked folder under ${from} becomes ${to ?? visibility}`,
      async (person, folder) => {
        const before = snapshot(folder);
        const { realPath } = await lock(folder, person.owner, {
          folder: FOLDER,
          cover,
          icon: cover === null ? null : ICON,
        });
        const places = [Buffer.from(path.dirname(folder))];
        return {
          folder,
          acceptable: [before],
          run: async (disk) =>
            await changeVisibility(disk, {
              path: realPath,
              place: Buffer.from(folder),
              visibility,
              cover: to,
              places,
              page: PAGE,
              icon: to === null ? null : ICON,
            }),
        };
      },
    ]),
  ),
  "new master password of a locked folder": async (person, folder) => {
    const before = snapshot(folder);
    await lock(folder, person.device, { folder: FOLDER });
    return {
      folder,
      acceptable: [before],
      run: (disk) => changeOwner(disk, { path: Buffer.from(folder), access: person.renewed, keptHeader: null }),
    };
  },
  "closed to others at a stop": async (person, folder) => {
    const before = snapshot(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    await unlock(folder, person.access);
    return { folder, acceptable: [before], run: async (disk) => closeToOthers(disk, Buffer.from(folder)) };
  },
  "lock again, closed to others before": async (person, folder) => {
    const scene = await relock(person, folder, true, person.device);
    const before = snapshot(folder, { withoutOwnDir: true });
    closeToOthers(linuxDisk, Buffer.from(folder));
    return { ...scene, acceptable: [before] };
  },
  "release of an open folder": async (person, folder) => {
    const before = snapshot(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    await unlock(folder, person.access);
    return { folder, acceptable: [before], run: async (disk) => releaseOpenFolder(disk, Buffer.from(folder)) };
  },
};

/** Each way of guarding without encryption: reaching the folder only, its top, or everything in it. */
const GUARDINGS = {
  "barred to others": { guard: "barred", bars: { others: "nothing", own: "everything" }, visibility: "view" },
  "barred to this account too": { guard: "barred", bars: { others: "nothing", own: "list" }, visibility: "tucked" },
  "read only": { guard: "barred", bars: { others: "read", own: "change" }, visibility: "hidden" },
  "out of sight": { guard: "sight", bars: NO_BARS, visibility: "tucked" },
} as const satisfies Readonly<Record<string, Omit<Guarding, "places">>>;

function guard(
  person: Person,
  folder: string,
  guarding: Omit<Guarding, "places">,
  disk: Disk = linuxDisk,
): Promise<Locked> {
  return guardFolder(
    disk,
    {
      ...guarding,
      path: Buffer.from(folder),
      folder: FOLDER,
      owner: person.owner.owner,
      places: [Buffer.from(path.dirname(folder))],
    },
    silentHooks,
  );
}

const guardings = Object.entries(GUARDINGS);

Object.assign(
  STAGES,
  {
    ...Object.fromEntries(
      guardings.flatMap(([name, guarding]): [string, Stage][] => [
        [
          `${name}: first lock`,
          async (person, folder) => ({
            folder,
            acceptable: [snapshot(folder)],
            run: (disk) => guard(person, folder, guarding, disk),
          }),
        ],
        [`${name}: opened`, async (person, folder) => leaving(person, folder, guarding, openGuarded)],
        [`${name}: released`, async (person, folder) => leaving(person, folder, guarding, releaseGuarded)],
      ]),
    ),
    ...Object.fromEntries(
      guardings.flatMap(([from, guarding]) =>
        guardings
          .filter(([to]) => to !== from)
          .map(([to, other]): [string, Stage] => [
            `${from} becomes ${to}`,
            async (person, folder) => {
              return leaving(person, folder, guarding, (disk, input) =>
                changeGuarded(disk, { ...input, ...other, places: [Buffer.from(path.dirname(folder))] }),
              );
            },
          ]),
      ),
    ),
    "sealed and open becomes barred": async (person, folder) => {
      const before = snapshot(folder);
      await lock(folder, person.owner, { folder: FOLDER });
      await unlock(folder, person.access);
      return { folder, acceptable: [before], run: (disk) => guard(person, folder, GUARDINGS["read only"], disk) };
    },
    "barred and open becomes sealed": async (person, folder) => {
      const before = snapshot(folder);
      const { path: now } = await guard(person, folder, GUARDINGS["read only"]);
      await openGuarded(linuxDisk, { path: now, place: Buffer.from(folder) });
      return {
        folder,
        acceptable: [before],
        run: (disk) => lock(folder, person.owner, { disk, folder: FOLDER, visibility: "hidden" }),
      };
    },
    ...Object.fromEntries(
      guardings.flatMap(([name, guarding]): [string, Stage][] => [
        [
          `sealed, locked, becomes ${name}`,
          async (person, folder) => {
            const before = snapshot(folder);
            const { realPath } = await lock(folder, person.owner, { folder: FOLDER, visibility: "hidden" });
            return {
              folder,
              acceptable: [before],
              isClosed: guarding.bars.others === "nothing",
              run: async (disk) => {
                await unlock(realPath, person.access, { disk, closed: true });
                await guard(person, folder, guarding, disk);
              },
            };
          },
        ],
        [
          `${name}, locked, becomes sealed`,
          async (person, folder) => {
            const scene = await leaving(person, folder, guarding, (disk, input) =>
              openGuarded(disk, { ...input, closed: true }),
            );
            return {
              ...scene,
              isClosed: guarding.bars.others === "nothing",
              run: async (disk) => {
                await scene.run(disk);
                await lock(folder, person.owner, { disk, folder: FOLDER, visibility: "hidden" });
              },
            };
          },
        ],
      ]),
    ),
  } satisfies Record<string, Stage>,
  INSIDE,
);

/** Nothing of the folder is readable but behind the folder's own closed door: neither now nor when it was put right. */
export function expectClosed(folder: string): void {
  expectClosedNow(folder);
  const located = locateFolder(linuxDisk, Buffer.from(folder), FOLDER);
  if (located) recoverFolder(linuxDisk, located.realPath);
  expectClosedNow(folder);
}

function expectClosedNow(folder: string): void {
  const at = locateFolder(linuxDisk, Buffer.from(folder), FOLDER)?.realPath ?? Buffer.from(folder);
  const readable = fs
    .readdirSync(at)
    .filter((name) => name !== ".eremos" && name !== "Locked with Eremos.html" && name !== ".directory");
  if (readable.length > 0) expect(fs.statSync(at).mode & 0o077).toBe(0);
}

/** Every stage with every way of failing in the deep campaign; daily, each way with every third stage. */
export function casesOf<W>(
  ways: readonly W[],
): readonly (readonly [name: string, { readonly stage: Stage; readonly ways: readonly W[] }])[] {
  const isDeep = process.env["EREMOS_DEEP"] === "1";
  // As pairs: a name in a title is whole then.
  return Object.entries(STAGES).map(([name, stage], i) => [
    name,
    { stage, ways: ways.filter((_way, w) => isDeep || w === i % ways.length) },
  ]);
}

async function leaving(
  person: Person,
  folder: string,
  guarding: Omit<Guarding, "places">,
  way: (disk: Disk, input: GuardedInput) => Promise<unknown>,
): Promise<Scene> {
  const before = snapshot(folder);
  const { path: now } = await guard(person, folder, guarding);
  return {
    folder,
    acceptable: [before],
    run: async (disk) => way(disk, { path: now, place: Buffer.from(folder), guard: guarding.guard }),
  };
}

async function relock(person: Person, folder: string, edited: boolean, signer: Signer): Promise<Scene> {
  await lock(folder, person.owner, { folder: FOLDER, visibility: "hidden" })
    .then(({ realPath }) => unlock(realPath, person.access))
    .then((opened) => {
      note = opened.note;
    });
  if (edited) {
    fs.appendFileSync(path.join(folder, "letter.txt"), ", PS");
    fs.rmSync(path.join(folder, "link"));
    fs.writeFileSync(path.join(folder, "inner", "new.txt"), "new");
  }
  return {
    folder,
    acceptable: [snapshot(folder, { withoutOwnDir: true })],
    run: (disk) => lock(folder, signer, { disk, folder: FOLDER, visibility: "hidden", note }),
  };
}
let note: OpenNote | null = null;

/**
 * Recovers with the real disk, then asks for the plain tree by whatever way the state found calls for. Of a sealed
 * folder nothing is readable, unless it arrived meanwhile.
 */
export async function plainAfterRecovery(
  person: Person,
  folder: string,
  arrivals: readonly string[] = [],
): Promise<string[]> {
  const located = locateFolder(linuxDisk, Buffer.from(folder), FOLDER);
  const at = located?.realPath ?? Buffer.from(folder);
  if (fs.existsSync(Buffer.concat([at, Buffer.from("/.eremos")]))) {
    const { state, path: now } = recoverFolder(linuxDisk, at);
    expect([null, "open", "sealed", "mixed", "locked"]).toContain(state);
    if (state !== null) expect(recoverFolder(linuxDisk, now).steps).toEqual([]);
    const isGuarded = state !== null && inspectFolder(linuxDisk, now)?.guard !== "sealed";
    if (state === "sealed") {
      const readable = fs
        .readdirSync(now)
        .filter(
          (name) =>
            name !== ".eremos" &&
            name !== "Locked with Eremos.html" &&
            name !== ".directory" &&
            !arrivals.includes(name),
        );
      expect(readable).toEqual([]);
      await releaseAnyhow(person, now);
    }
    if (state === "mixed") await release(now, person.access);
    if (isGuarded) await releaseGuarded(linuxDisk, { path: now, place: Buffer.from(folder) });
    else if (state === "open") await releaseOpenFolder(linuxDisk, now);
  }
  expect(fs.readdirSync(path.dirname(folder)).filter((name) => name !== HELD_NAME.toString())).toEqual([
    path.basename(folder),
  ]);
  const heldArea = path.join(path.dirname(folder), HELD_NAME.toString());
  if (fs.existsSync(heldArea)) expect(fs.readdirSync(heldArea)).toEqual([]);
  return snapshot(folder);
}

/** By its own password, where it got one; repaired first, where that had not come far. */
async function releaseAnyhow(person: Person, folder: Buffer): Promise<void> {
  const asked = { path: folder, access: person.access, keptHeader: null };
  const again = async (error: unknown): Promise<unknown> => {
    const code = error instanceof EremosError ? error.code : null;
    if (code === "needs-folder-password")
      return release(folder, {
        ...person.access,
        folderKey: await openFolderKey(linuxDisk, asked, { kind: "password", password: OWN_PASSWORD }),
      });
    if (code !== "files-damaged") throw error;
    await repairFolder(linuxDisk, asked, silentHooks);
    return release(folder, person.access);
  };
  await release(folder, person.access).catch(again);
}

/** What of the folder itself is compared. */
const TOP = {
  whole: (line: string): string => line,
  "but its time": (line: string): string => line.replace(/mtime=\d+/, ""),
  nothing: (): string => "",
};

/** Fails where what came back is none of what must. */
export function expectWhole(
  scene: Scene,
  after: readonly string[],
  where: string,
  top: keyof typeof TOP = "whole",
): void {
  const shown = ([first = "", ...rest]: readonly string[]): readonly string[] =>
    (scene.shown ?? ((all) => all))([TOP[top](first), ...rest]);
  expect(scene.acceptable.map(shown), where).toContainEqual(shown(after));
}
