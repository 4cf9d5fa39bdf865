import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { locateFolder } from "../src/engine/locate";
import type { OpenNote, Signer } from "../src/engine/lock";
import { recoverFolder } from "../src/engine/recover";
import { releaseOpenFolder } from "../src/engine/unlock";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import { type CrashMode, crashingDisk } from "./crashing-disk";
import { type Person, lock, newDirectory, newPerson, release, removeDirectory, snapshot, unlock } from "./world";

const DEEP = process.env["EREMOS_DEEP"] === "1";
const STRIDE = DEEP ? 1 : 3;
const FOLDER = "AAAAAAAAAAAAAAAAAAAAAA";

let person: Person;
let base: string;
let tried = 0;

beforeAll(async () => {
  person = await newPerson();
  base = newDirectory(fs.existsSync("/dev/shm") ? "/dev/shm" : undefined);
});
afterAll(() => {
  removeDirectory(base);
  process.stdout.write(`crash points tried: ${tried}\n`);
});

function makeTree(folder: string): void {
  fs.mkdirSync(path.join(folder, "inner", "deeper"), { recursive: true });
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  fs.writeFileSync(path.join(folder, "inner", "large.bin"), Buffer.alloc(1_100_000, "large"));
  fs.writeFileSync(path.join(folder, "inner", "deeper", "empty"), "");
  fs.linkSync(path.join(folder, "letter.txt"), path.join(folder, "inner", "same.txt"));
  fs.symlinkSync("letter.txt", path.join(folder, "link"));
  fs.chmodSync(path.join(folder, "inner", "deeper"), 0o500);
  fs.mkdirSync(path.join(folder, "read only"), { mode: 0o555 });
  for (const name of ["inner/large.bin", "inner/deeper", "inner", "read only", ""]) fs.utimesSync(path.join(folder, name), 1_400_000_000, 1_400_000_000);
}

interface Scene {
  readonly folder: string;
  /** What must come back, whatever happens. Either of these. */
  readonly acceptable: readonly (readonly string[])[];
  readonly run: (disk: typeof linuxDisk) => Promise<unknown>;
}

type Stage = (folder: string) => Promise<Scene>;

const visibilities = ["view", "hidden"] as const;

const STAGES: Readonly<Record<string, Stage>> = {
  ...Object.fromEntries(visibilities.map((visibility): [string, Stage] => [`first lock, ${visibility}`, async (folder) => ({
    folder, acceptable: [snapshot(folder)], run: (disk) => lock(folder, person.owner, { disk, visibility, folder: FOLDER }),
  })])),
  "first lock while signed out": async (folder) => ({ folder, acceptable: [snapshot(folder)], run: (disk) => lock(folder, person.device, { disk, folder: FOLDER }) }),
  ...Object.fromEntries(visibilities.map((visibility): [string, Stage] => [`open, ${visibility}`, async (folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility, folder: FOLDER });
    return { folder, acceptable: [before], run: (disk) => unlock(realPath, person.access, { disk }) };
  }])),
  "lock again after edits": async (folder) => relock(folder, true, person.owner),
  "lock again after edits, while signed out": async (folder) => relock(folder, true, person.device),
  "lock again, nothing changed": async (folder) => relock(folder, false, person.owner),
  "release of a locked folder": async (folder) => {
    const before = snapshot(folder);
    const { realPath } = await lock(folder, person.owner, { visibility: "hidden", folder: FOLDER });
    return { folder, acceptable: [before], run: (disk) => release(realPath, person.access, { disk }) };
  },
  "release of an open folder": async (folder) => {
    const before = snapshot(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    await unlock(folder, person.access);
    return { folder, acceptable: [before], run: async (disk) => releaseOpenFolder(disk, Buffer.from(folder)) };
  },
};

async function relock(folder: string, edited: boolean, signer: Signer): Promise<Scene> {
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

/** Recovers with the real disk, then asks for the plain tree by whatever way the state found calls for. */
async function plainAfterRecovery(folder: string): Promise<string[]> {
  const located = locateFolder(linuxDisk, Buffer.from(folder), FOLDER);
  const at = located?.realPath ?? Buffer.from(folder);
  if (fs.existsSync(Buffer.concat([at, Buffer.from("/.eremos")]))) {
    const { state, path: now } = recoverFolder(linuxDisk, at);
    expect([null, "open", "sealed"]).toContain(state);
    if (state !== null) expect(recoverFolder(linuxDisk, now).steps).toEqual([]);
    if (state === "sealed") {
      const readable = fs.readdirSync(now).filter((name) => name !== ".eremos" && name !== "Locked with Eremos.html");
      expect(readable).toEqual([]);
      await release(now, person.access);
    }
    if (state === "open") releaseOpenFolder(linuxDisk, now);
  }
  expect(fs.readdirSync(path.dirname(folder))).toEqual([path.basename(folder)]);
  return snapshot(folder);
}

/** Directory times may differ where the crash fell between the last record and setting them; nothing else may. */
function withoutTopTime(lines: readonly string[]): string[] {
  return lines.map((line, i) => (i === 0 ? line.replace(/mtime=\d+/, "") : line));
}

describe.each(Object.entries(STAGES))("killed at every change: %s", (_name, stage) => {
  it.each(["before", "after", "torn"] as const)("%s", async (mode: CrashMode) => {
    for (let at = 0; ; at += STRIDE) {
      const parent = fs.mkdtempSync(path.join(base, "at-"));
      const folder = path.join(parent, "Payroll");
      fs.mkdirSync(folder);
      makeTree(folder);
      const scene = await stage(folder);
      const crashing = crashingDisk(linuxDisk, at, mode);
      const failure = await scene.run(crashing.disk).then(() => null, (error: unknown) => error);
      if (!crashing.crashed()) {
        expect(failure).toBeNull();
        removeDirectory(parent);
        return;
      }
      tried++;
      const after = withoutTopTime(await plainAfterRecovery(folder));
      expect(scene.acceptable.map(withoutTopTime), `crash at change ${at}, ${mode}`).toContainEqual(after);
      removeDirectory(parent);
    }
  });
});
