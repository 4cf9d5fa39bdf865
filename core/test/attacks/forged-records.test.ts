import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { checkFolder } from "../../src/engine/upkeep/check";
import { type GuardInput, guardFolder } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { loadOpened } from "../../src/engine/contents/seal-generation";
import { newId } from "../../src/format/ids";
import { isEremosError } from "../../src/errors/eremos-error";
import { FOLDER_STATES, type StateRecord, readState, writeState } from "../../src/format/state";
import { linuxDisk, linuxDiskOf } from "../../src/platform/linux/linux-disk";
import { stateFile } from "../support/records";
import { usePlace } from "../support/place";
import { type Person, lock, makeMixedTree, snapshot, unlock } from "../support/world";

/**
 * Records that say what is under way, or where a folder lies, forged by whoever can write to it, or written by another
 * computer.
 */
let person: Person;
let folder: string;
let base: string;
usePlace((place) => ({ person, folder, base } = place));

const ownDir = (...names: readonly string[]): string => path.join(folder, ".eremos", ...names);
const stateFiles = (): string[] =>
  fs
    .readdirSync(ownDir())
    .filter((name) => name.startsWith("state"))
    .map((name) => ownDir(name));
/** What holds contents: packs and index, by name and size. */
const kept = (): string[] =>
  ["packs", "index", "generations"]
    .flatMap((part) =>
      fs.existsSync(ownDir(part))
        ? fs
            .readdirSync(ownDir(part), { recursive: true, encoding: "utf8" })
            .map((name) => `${part}/${name} ${fs.statSync(ownDir(part, name)).size}`)
        : [],
    )
    .sort();

/** Without the folder's own time, which a page that is taken away changes. */
const contents = (): string[] => snapshot(folder, { withoutOwnDir: true }).slice(1);

/** Work of somebody's that was never heard of here. */
const NEXT = { number: 2, batch: "0123456789abcdef" };

function forge(change: Partial<StateRecord>, proof: string | undefined = "0".repeat(64)): void {
  const { proof: _ours, ...state } = readState(fs.readFileSync(ownDir(stateFile(folder))));
  const forged = { ...state, ...change, ...(proof === undefined ? {} : { proof }) } as StateRecord;
  for (const file of stateFiles()) fs.writeFileSync(file, writeState(forged));
}

function recover(disk = linuxDisk): void {
  try {
    recoverFolder(disk, Buffer.from(folder));
  } catch (error) {
    if (!isEremosError(error)) throw error;
  }
}

describe("a state that removes something counts only with this computer's proof", () => {
  const FORGED: [string, Partial<StateRecord>][] = [
    ...FOLDER_STATES.map((state): [string, Partial<StateRecord>] => [state, { state }]),
    ["sealing, from nothing", { state: "sealing", generation: null, next: NEXT, staging: "staging" }],
    ["sealing, over what is there", { state: "sealing", generation: null, next: NEXT }],
    ["removing, of another generation", { state: "removing", generation: { number: 7, digest: "7".repeat(64) } }],
    ["releasing, in part", { state: "releasing", mixed: true }],
    ["open, before the first generation", { state: "open", generation: null }],
    [
      "sealed, of a generation that is not there",
      { state: "sealed", generation: { number: 9, digest: "9".repeat(64) } },
    ],
  ];

  it.each(FORGED)(
    "%s: forged over a sealed folder, nothing that holds contents is removed, and all of them come out",
    async (_name, change) => {
      makeMixedTree(folder);
      const before = contents();
      await lock(folder, person.device);
      const { generation } = readState(fs.readFileSync(ownDir(stateFile(folder))));
      const packs = kept();
      expect(packs.length).toBeGreaterThan(3);
      for (const proof of ["0".repeat(64), undefined]) {
        forge(change, proof);
        recover();
        recover();
        expect(kept()).toEqual(packs);
      }
      forge({ state: "sealed", generation, next: null, staging: null, mixed: false });
      await unlock(folder, person.access);
      // A page whose record was forged away is a file like any other.
      fs.rmSync(path.join(folder, "Locked with Eremos.html"), { force: true });
      expect(contents()).toEqual(before);
    },
  );

  it.each(["sealing", "committed", "staged", "removing", "placing", "open", "releasing"] as const)(
    "%s: written by another computer, neither the readable nor the sealed copy is removed",
    async (state) => {
      makeMixedTree(folder);
      await lock(folder, person.device);
      fs.writeFileSync(path.join(folder, "edited.txt"), "readable only");
      const packs = kept();
      forge({ state, next: state === "sealing" ? NEXT : null });
      recover(linuxDiskOf(Buffer.alloc(32, 7)));
      expect(kept()).toEqual(packs);
      expect(fs.readFileSync(path.join(folder, "edited.txt"), "utf8")).toBe("readable only");
    },
  );

  it("a folder whose state records were deleted is damaged, not a leftover: its packs stay, it can't be locked over, and its contents come out", async () => {
    makeMixedTree(folder);
    const before = snapshot(folder);
    await lock(folder, person.device);
    const packs = kept();
    const records = stateFiles().map((file) => [file, fs.readFileSync(file)] as const);
    for (const [file] of records) fs.rmSync(file);
    recover();
    expect(kept()).toEqual(packs);
    fs.writeFileSync(path.join(folder, "new.txt"), "new");
    await expect(lock(folder, person.device)).rejects.toSatisfy(isEremosError);
    expect(kept()).toEqual(packs);
    expect(fs.readFileSync(path.join(folder, "new.txt"), "utf8")).toBe("new");
    fs.rmSync(path.join(folder, "new.txt"));
    for (const [file, bytes] of records) fs.writeFileSync(file, bytes);
    await unlock(folder, person.access);
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });
});

describe("a directory called .eremos that is a person's own", () => {
  it.each([
    ["an empty one", (): void => fs.mkdirSync(ownDir())],
    [
      "one with files",
      (): void => {
        fs.mkdirSync(ownDir("notes"), { recursive: true });
        fs.writeFileSync(ownDir("notes", "mine.txt"), "mine");
      },
    ],
    ["a file of that name", (): void => fs.writeFileSync(ownDir(), "mine")],
    [
      "a link to a private directory",
      (): void => {
        fs.mkdirSync(path.join(base, "private"));
        fs.writeFileSync(path.join(base, "private", "state.json"), "mine");
        fs.symlinkSync(path.join(base, "private"), ownDir());
      },
    ],
  ])("%s is refused by name, and stays", async (name, make) => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "letter");
    make();
    const before = snapshot(base);
    const inspection = ((): unknown => {
      try {
        return inspectFolder(linuxDisk, Buffer.from(folder));
      } catch (error) {
        return isEremosError(error) ? error.code : error;
      }
    })();
    recover();
    if (name === "an empty one") {
      // What a first lock leaves that was cut off before its first record.
      expect(inspection === null || typeof inspection === "string").toBe(true);
      return;
    }
    await expect(lock(folder, person.device)).rejects.toMatchObject({
      code: expect.stringMatching(/path-taken|not-a-folder|damaged/),
      message: expect.stringMatching(/\.eremos|can't be read|state record/),
    });
    expect(snapshot(base)).toEqual(before);
  });
});

describe("a guard record counts only with this computer's proof", () => {
  const input = (): GuardInput => ({
    path: Buffer.from(folder),
    folder: newId(),
    owner: person.access.owner,
    guard: "sight",
    bars: { others: "everything", own: "everything" },
    visibility: "hidden",
    cover: null,
    places: [Buffer.from(base)],
    synced: [],
  });

  it.each(["closing", "opening", "locked", "open"])(
    "%s: made by another computer, or forged with a place that leads elsewhere, it moves nothing by itself",
    async (state) => {
      fs.writeFileSync(path.join(folder, "program.sh"), "#!/bin/sh\n", { mode: 0o755 });
      const outcome = await guardFolder(linuxDisk, input(), silentHooks);
      const now = outcome.path.toString();
      fs.mkdirSync(path.join(base, "bin"));
      const file = path.join(now, ".eremos", "guard.json");
      const record = JSON.parse(fs.readFileSync(file, "utf8")) as Record<string, unknown>;
      for (const change of [{ state }, { state, lockedName: null }, { state, place: "../bin/Payroll" }]) {
        fs.writeFileSync(file, JSON.stringify({ ...record, ...change }));
        const forged = snapshot(base);
        folder = now;
        recover();
        recover(linuxDiskOf(Buffer.alloc(32, 9)));
        expect(snapshot(base)).toEqual(forged);
      }
    },
  );

  it("one planted beside a sealed folder's records changes nothing about it", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "letter");
    const other = path.join(base, "Other");
    fs.mkdirSync(other);
    await lock(folder, person.device);
    const outcome = await guardFolder(linuxDisk, { ...input(), path: Buffer.from(other) }, silentHooks);
    fs.copyFileSync(path.join(outcome.path.toString(), ".eremos", "guard.json"), ownDir("guard.json"));
    expect(inspectFolder(linuxDisk, Buffer.from(folder))).toMatchObject({ guard: "sealed", state: "sealed" });
    recover();
    await expect(
      checkFolder(
        linuxDisk,
        { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null },
        silentHooks,
      ),
    ).resolves.toBeDefined();
    await unlock(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("letter");
  });
});

describe("what was sealed when the folder was opened", () => {
  it("is believed by its digest alone: with one byte of it changed, everything counts as changed", async () => {
    makeMixedTree(folder);
    await lock(folder, person.owner);
    const { note } = await unlock(folder, person.access);
    const dir = linuxDisk.openRoot(Buffer.from(ownDir()));
    expect(loadOpened(linuxDisk, dir, note?.opened ?? "")).not.toBeNull();
    const bytes = fs.readFileSync(ownDir("opened"));
    bytes[bytes.length - 1] = (bytes.at(-1) ?? 0) ^ 1;
    fs.writeFileSync(ownDir("opened"), bytes);
    expect(loadOpened(linuxDisk, dir, note?.opened ?? "")).toBeNull();
    linuxDisk.closeDir(dir);
  });
});

it("the real disk reads no file, enters no directory and makes none through a link", () => {
  fs.writeFileSync(path.join(base, "outside"), "theirs");
  fs.mkdirSync(path.join(base, "their folder"));
  fs.symlinkSync("../outside", path.join(folder, "file"));
  fs.symlinkSync("../their folder", path.join(folder, "dir"));
  const dir = linuxDisk.openRoot(Buffer.from(folder));
  expect(() => linuxDisk.openRead(dir, Buffer.from("file"))).toThrow(/ELOOP/);
  expect(() => linuxDisk.openDir(dir, Buffer.from("dir"))).toThrow(/ELOOP|ENOTDIR/);
  expect(() => linuxDisk.create(dir, Buffer.from("file"), 0o600)).toThrow(/EEXIST/);
  linuxDisk.closeDir(dir);
});
