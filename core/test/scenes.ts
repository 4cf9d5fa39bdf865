import * as fs from "node:fs";
import * as path from "node:path";
import { expect } from "vitest";
import { changeOwner } from "../src/engine/change-owner";
import { changeVisibility } from "../src/engine/change-visibility";
import { locateFolder } from "../src/engine/locate";
import type { OpenNote, Signer } from "../src/engine/lock";
import { recoverFolder } from "../src/engine/recover";
import { releaseOpenFolder } from "../src/engine/unlock";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import { crampedDisk } from "./crashing-disk";
import { PAGE, type Person, lock, newDirectory, release, snapshot, unlock } from "./world";

/** Every verb from every state it starts in, on the real file system, to be cut off anywhere. */
export const FOLDER = "AAAAAAAAAAAAAAAAAAAAAA";

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
  for (const name of ["inner/large.bin", "inner/deeper", "inner", "read only", ""]) fs.utimesSync(path.join(folder, name), 1_400_000_000, 1_400_000_000);
}

/** In memory, if there is such a place: what is tried thousands of times need not reach a disk. */
export function campaignDirectory(): string {
  return newDirectory(fs.existsSync("/dev/shm") ? "/dev/shm" : undefined);
}

/** A stage set up in a directory of its own, which the caller removes. */
export async function setUp(person: Person, base: string, stage: Stage): Promise<{ readonly scene: Scene; readonly parent: string }> {
  const parent = fs.mkdtempSync(path.join(base, "at-"));
  const folder = path.join(parent, "Payroll");
  fs.mkdirSync(folder);
  makeTree(folder);
  return { scene: await stage(person, folder), parent };
}

/** Room for one of the two large files at a time. */
const CRAMPED = 4 * 1024 * 1024 + 1_300_000;

export interface Scene {
  readonly folder: string;
  /** What must come back, whatever happens. Either of these. */
  readonly acceptable: readonly (readonly string[])[];
  readonly run: (disk: typeof linuxDisk) => Promise<unknown>;
}

export type Stage = (person: Person, folder: string) => Promise<Scene>;

const visibilities = ["view", "hidden"] as const;

export const STAGES: Readonly<Record<string, Stage>> = {
  ...Object.fromEntries(visibilities.map((visibility): [string, Stage] => [`first lock, ${visibility}`, async (person, folder) => ({
    folder, acceptable: [snapshot(folder)], run: (disk) => lock(folder, person.owner, { disk, visibility, folder: FOLDER }),
  })])),
  "first lock while signed out": async (person, folder) => ({ folder, acceptable: [snapshot(folder)], run: (disk) => lock(folder, person.device, { disk, folder: FOLDER }) }),
  ...Object.fromEntries(visibilities.map((visibility): [string, Stage] => [`open, ${visibility}`, async (person, folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility, folder: FOLDER });
    return { folder, acceptable: [before], run: (disk) => unlock(realPath, person.access, { disk }) };
  }])),
  "lock again after edits": async (person, folder) => relock(person, folder, true, person.owner),
  "lock again after edits, while signed out": async (person, folder) => relock(person, folder, true, person.device),
  "lock again, nothing changed": async (person, folder) => relock(person, folder, false, person.owner),
  "release of a locked folder": async (person, folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility: "hidden", folder: FOLDER });
    return { folder, acceptable: [before], run: (disk) => release(realPath, person.access, { disk }) };
  },
  "first lock, file by file": async (person, folder) => ({ folder, acceptable: [snapshot(folder)], run: (disk) => lock(folder, person.owner, { disk: crampedDisk(disk, CRAMPED), visibility: "hidden", folder: FOLDER }) }),
  "first lock while signed out, file by file": async (person, folder) => ({ folder, acceptable: [snapshot(folder)], run: (disk) => lock(folder, person.device, { disk: crampedDisk(disk, CRAMPED), folder: FOLDER }) }),
  "lock again after edits, file by file": async (person, folder) => {
    const scene = await relock(person, folder, true, person.owner);
    fs.appendFileSync(path.join(folder, "inner", "large.bin"), "more");
    fs.appendFileSync(path.join(folder, "inner", "second.bin"), "more");
    const now = snapshot(folder, { withoutVault: true });
    return { ...scene, acceptable: [now], run: (disk) => lock(folder, person.owner, { disk: crampedDisk(disk, CRAMPED), folder: FOLDER, visibility: "hidden", note }) };
  },
  "open, file by file": async (person, folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility: "hidden", folder: FOLDER });
    return { folder, acceptable: [before], run: (disk) => unlock(realPath, person.access, { disk: crampedDisk(disk, CRAMPED) }) };
  },
  ...Object.fromEntries(visibilities.map((visibility): [string, Stage] => [`a locked folder becomes ${visibility}`, async (person, folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { folder: FOLDER, visibility: visibility === "view" ? "hidden" : "view" });
    return { folder, acceptable: [before], run: (disk) => changeVisibility(disk, { path: realPath, access: person.access, keptHeader: null, visibility, page: PAGE }) };
  }])),
  "new master password of a locked folder": async (person, folder) => {
    const before = snapshot(folder);
    await lock(folder, person.device, { folder: FOLDER });
    return { folder, acceptable: [before], run: (disk) => changeOwner(disk, { path: Buffer.from(folder), access: person.renewed, keptHeader: null }) };
  },
  "release of an open folder": async (person, folder) => {
    const before = snapshot(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    await unlock(folder, person.access);
    return { folder, acceptable: [before], run: async (disk) => releaseOpenFolder(disk, Buffer.from(folder)) };
  },
};

async function relock(person: Person, folder: string, edited: boolean, signer: Signer): Promise<Scene> {
  await lock(folder, person.owner, { folder: FOLDER, visibility: "hidden" }).then(({ realPath }) => unlock(realPath, person.access)).then((opened) => {
    note = opened.note;
  });
  if (edited) {
    fs.appendFileSync(path.join(folder, "letter.txt"), ", PS");
    fs.rmSync(path.join(folder, "link"));
    fs.writeFileSync(path.join(folder, "inner", "new.txt"), "new");
  }
  return { folder, acceptable: [snapshot(folder, { withoutVault: true })], run: (disk) => lock(folder, signer, { disk, folder: FOLDER, visibility: "hidden", note }) };
}
let note: OpenNote | null = null;

/**
 * Recovers with the real disk, then asks for the plain tree by whatever way the state found calls for. Of a sealed folder nothing is
 * readable, unless it arrived meanwhile.
 */
export async function plainAfterRecovery(person: Person, folder: string, arrivals: readonly string[] = []): Promise<string[]> {
  const located = locateFolder(linuxDisk, Buffer.from(folder), FOLDER);
  const at = located?.realPath ?? Buffer.from(folder);
  if (fs.existsSync(Buffer.concat([at, Buffer.from("/.eremos")]))) {
    const { state, path: now } = recoverFolder(linuxDisk, at);
    expect([null, "open", "sealed", "mixed"]).toContain(state);
    if (state !== null) expect(recoverFolder(linuxDisk, now).steps).toEqual([]);
    if (state === "sealed") {
      const readable = fs.readdirSync(now).filter((name) => name !== ".eremos" && name !== "Locked with Eremos.html" && !arrivals.includes(name));
      expect(readable).toEqual([]);
      await release(now, person.access);
    }
    if (state === "mixed") await release(now, person.access);
    if (state === "open") releaseOpenFolder(linuxDisk, now);
  }
  expect(fs.readdirSync(path.dirname(folder))).toEqual([path.basename(folder)]);
  return snapshot(folder);
}
