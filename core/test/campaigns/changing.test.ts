import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { EremosError } from "../../src/errors/eremos-error";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { meddledDisk } from "../support/crashing-disk";
import { FOLDER } from "../support/scene";
import { campaignDirectory, plainAfterRecovery } from "../support/scenes";
import { strided } from "../support/stride";
import { type Person, lock, newPerson, removeDirectory, snapshot, unlock } from "../support/world";

const CALLS = strided(197);
const SECRET = "somebody else's secret, outside the folder";

let person: Person;
let base: string;
let outside: string;
let meddled = 0;
beforeAll(async () => {
  person = await newPerson();
  base = campaignDirectory();
  outside = path.join(base, "outside");
  fs.mkdirSync(outside);
  fs.writeFileSync(path.join(outside, "secret"), SECRET);
});
afterAll(() => {
  removeDirectory(base);
  process.stdout.write(`changes by others during a lock or an opening: ${meddled}\n`);
});

function newFolder(): string {
  const folder = path.join(fs.mkdtempSync(path.join(base, "run-")), "Payroll");
  fs.mkdirSync(path.join(folder, "inner"), { recursive: true });
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  fs.linkSync(path.join(folder, "letter.txt"), path.join(folder, "inner", "same letter.txt"));
  fs.writeFileSync(path.join(folder, "inner", "large.bin"), Buffer.alloc(1_200_000, "large"));
  fs.writeFileSync(path.join(folder, "inner", "small"), "small");
  return folder;
}

/** Writes into a file that is there, and leaves its size and modification time as they were. */
function editSecretly(file: string): void {
  const { atime, mtime } = fs.statSync(file);
  const fd = fs.openSync(file, "r+");
  fs.writeSync(fd, "EDIT", 0);
  fs.closeSync(fd);
  fs.utimesSync(file, atime, mtime);
}

function append(file: string): void {
  const fd = fs.openSync(file, fs.constants.O_WRONLY | fs.constants.O_APPEND);
  fs.writeSync(fd, ", PS");
  fs.closeSync(fd);
}

function replaceByLink(at: string, target: string): void {
  fs.lstatSync(at);
  fs.symlinkSync(target, `${base}/a link`);
  try {
    fs.renameSync(at, `${base}/was`);
    fs.renameSync(`${base}/a link`, at);
    fs.rmSync(`${base}/was`, { recursive: true });
  } finally {
    fs.rmSync(`${base}/a link`, { force: true });
  }
}

/** What another program does to the folder; throws when what it wants to change is not at its place any more. */
const MEDDLING: Readonly<Record<string, (folder: string) => void>> = {
  "writes into a file, keeping its size and time": (folder) => editSecretly(path.join(folder, "inner", "large.bin")),
  "writes into one name of a file with two": (folder) => editSecretly(path.join(folder, "letter.txt")),
  "lets a file grow": (folder) => append(path.join(folder, "inner", "large.bin")),
  "cuts a file short": (folder) => fs.truncateSync(path.join(folder, "inner", "large.bin"), 700_000),
  "deletes a file": (folder) => fs.unlinkSync(path.join(folder, "inner", "small")),
  "deletes one name of a file with two": (folder) => fs.unlinkSync(path.join(folder, "inner", "same letter.txt")),
  "puts a link to an outside file in a file's place": (folder) =>
    replaceByLink(path.join(folder, "inner", "large.bin"), path.join(outside, "secret")),
  "puts a link to an outside directory in a directory's place": (folder) =>
    replaceByLink(path.join(folder, "inner"), outside),
  "puts a new file in a file's place": (folder) => {
    fs.lstatSync(path.join(folder, "inner", "small"));
    fs.writeFileSync(path.join(base, "new small"), "SMALL");
    fs.renameSync(path.join(base, "new small"), path.join(folder, "inner", "small"));
  },
  "moves a file to another directory": (folder) =>
    fs.renameSync(path.join(folder, "inner", "small"), path.join(folder, "moved")),
  "saves a new file": (folder) => fs.writeFileSync(path.join(folder, "inner", "new"), "new"),
  "saves a new file at the top": (folder) => fs.writeFileSync(path.join(folder, "new"), "new"),
  "changes permissions": (folder) => fs.chmodSync(path.join(folder, "inner", "small"), 0o600),
};

/** The tree without times, which what others do there changes. */
function contents(folder: string): string[] {
  return snapshot(folder)
    .slice(1)
    .map((line) => line.replace(/mtime=\d+/, ""));
}

/** What the folder must hold once the meddler was there. */
function meddledContents(meddle: (folder: string) => void): string[] {
  const folder = newFolder();
  meddle(folder);
  const expected = contents(folder);
  removeDirectory(path.dirname(folder));
  return expected;
}

async function changeAtEveryCall(
  work: (folder: string, disk: Disk) => Promise<unknown>,
  prepare: (folder: string) => Promise<void>,
  meddle: (folder: string) => void,
): Promise<void> {
  const expected = meddledContents(meddle);
  for (let at = CALLS.from; ; at += CALLS.step) {
    const folder = newFolder();
    await prepare(folder);
    const meddler = meddledDisk(linuxDisk, at, () => meddle(folder));
    const failure = await work(folder, meddler.disk).then(
      () => null,
      (error: unknown) => error,
    );
    if (!meddler.happened()) {
      removeDirectory(path.dirname(folder));
      if (meddler.isOver()) return;
      continue;
    }
    meddled++;
    if (failure !== null) expect(failure, `at call ${at}`).toBeInstanceOf(EremosError);
    await plainAfterRecovery(person, folder, ["new", "moved"]);
    expect(contents(folder), `at call ${at} (${meddler.during()})`).toEqual(expected);
    expect(fs.readFileSync(path.join(outside, "secret"), "utf8")).toBe(SECRET);
    expect(fs.readdirSync(outside)).toEqual(["secret"]);
    removeDirectory(path.dirname(folder));
  }
}

describe.each(Object.entries(MEDDLING))(`another program %s, at ${CALLS.of("call")}`, (_what, meddle) => {
  it("of a first lock: it stops or takes the newest, follows no link, and loses nothing", async () => {
    await changeAtEveryCall(
      (folder, disk) => lock(folder, person.owner, { disk, folder: FOLDER }),
      async () => undefined,
      meddle,
    );
  });

  it("of a relock", async () => {
    const notes = new Map<string, Awaited<ReturnType<typeof unlock>>["note"]>();
    await changeAtEveryCall(
      (folder, disk) => lock(folder, person.device, { disk, folder: FOLDER, note: notes.get(folder) ?? null }),
      async (folder) => {
        await lock(folder, person.owner, { folder: FOLDER });
        notes.set(folder, (await unlock(folder, person.access)).note);
      },
      meddle,
    );
  });
});
