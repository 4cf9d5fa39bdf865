import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { beforeEach, describe, expect, it } from "vitest";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { commitState, loadState } from "../../src/engine/records/states";
import { holdFolder, letGo } from "../../src/engine/ground/own-dir";
import { type StateRecord, provenState, readState, stateName, writeState } from "../../src/format/state";
import { setInsurance } from "../../src/insurance/insure";
import { linuxDisk, linuxDiskOf } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { directorySource } from "../../src/rescue/directory-source";
import { rescue } from "../../src/rescue/bring-out/to-directory";
import { type Place, usePlace } from "../support/place";
import { both, generationAt, generationFiles, indexesOf, stateFile } from "../support/records";
import { findState } from "../../src/rescue/state-record";
import { PASSWORD, lock, makeMixedTree, snapshot, unlock } from "../support/world";

/**
 * One state record of each computer, for the place where it was at work: of those of this place the last one governs.
 */
let { person, folder, base } = {} as Place;
usePlace((place) => ({ person, folder, base } = place));

const other = linuxDiskOf(Buffer.alloc(32, 9));
const ownDir = (...names: readonly string[]): string => path.join(folder, ".eremos", ...names);
const states = (): string[] => fs.readdirSync(ownDir()).filter((name) => /^state-[0-9a-f]{32}\.json$/.test(name));
const inspected = (disk: Disk = linuxDisk, at = folder): ReturnType<typeof inspectFolder> =>
  inspectFolder(disk, Buffer.from(at));

/** As a program that keeps folders in step brings it from another computer: genuine there. */
function bring(from: Disk, change: Partial<StateRecord>): void {
  const own = readState(fs.readFileSync(ownDir(stateFile(folder))));
  const { proof: _proof, ...body } = { ...own, ...change, by: from.identity.id };
  const record = { ...body, proof: from.identity.prove(provenState(body)) };
  for (const name of both(stateName(from.identity.id).toString())) fs.writeFileSync(ownDir(name), writeState(record));
}

/** Its own record, changed by this computer. */
function commit(change: Partial<StateRecord>, at = folder): void {
  const held = holdFolder(linuxDisk, Buffer.from(at), { create: false });
  const now = loadState(linuxDisk, held.ownDir);
  if (now) commitState(linuxDisk, held.ownDir, { ...now, ...change });
  letGo(linuxDisk, held);
}

let before: string[];
beforeEach(async () => {
  makeMixedTree(folder);
  before = snapshot(folder);
  await lock(folder, person.owner);
});

describe("state records of several computers", () => {
  it.each(["open", "removing", "releasing", "restoring", "placing", "staged"] as const)(
    "%s at another place, brought by a program that keeps folders in step: here it governs nothing, whatever its number",
    async (state) => {
      bring(other, { state, sequence: 9000, place: "77:88" });
      expect(inspected()).toMatchObject({ state: "sealed", isOwn: true });
      expect(recoverFolder(linuxDisk, Buffer.from(folder)).steps).toEqual([]);
      const found = await findState(directorySource(Buffer.from(folder)));
      expect([found.record?.state, found.isElsewhere]).toEqual(["sealed", false]);
      await unlock(folder, person.access);
      expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
      expect(states()).toHaveLength(2);
    },
  );

  it("of one place the last one governs, and what was before it goes: a stick is opened there, and locked again here, and nothing is lost", async () => {
    await unlock(folder, person.access, { disk: other });
    expect(states()).toEqual([stateName(other.identity.id).toString()]);
    expect(inspected()).toMatchObject({ state: "open", isOwn: false });
    fs.writeFileSync(path.join(folder, "edited there.txt"), "edited there");
    const { folder: id } = inspected() ?? { folder: "" };
    await lock(folder, person.owner, { folder: id });
    expect(states()).toEqual([stateName(linuxDisk.identity.id).toString()]);
    expect(inspected(other)).toMatchObject({ state: "sealed", isOwn: false });
    await unlock(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "edited there.txt"), "utf8")).toBe("edited there");
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toContain("Dear Jonas");
  });

  it("under the name of another computer, one is damage; damaged in both copies, this computer's own is not made up for by another's", () => {
    const own = ownDir(stateFile(folder));
    const genuine = fs.readFileSync(own);
    bring(other, { sequence: 9000 });
    const theirs = fs.readFileSync(ownDir(stateName(other.identity.id).toString()));
    for (const name of both(path.basename(own))) fs.writeFileSync(ownDir(name), theirs);
    expect(() => inspected()).toThrow(/what state the folder is in/);
    for (const name of both(path.basename(own))) fs.writeFileSync(ownDir(name), "spoilt");
    expect(() => inspected()).toThrow(/what state the folder is in/);
    fs.writeFileSync(own, genuine);
    expect(inspected()).toMatchObject({ state: "sealed" });
  });

  it("an insured folder has a third copy of it", async () => {
    setInsurance(linuxDisk, Buffer.from(folder), { data: 20, parity: 2 });
    const name = stateFile(folder);
    commit({});
    expect(fs.readdirSync(ownDir("insurance"))).toContain(name);
    for (const one of both(name)) fs.writeFileSync(ownDir(one), "spoilt");
    expect(inspected()).toMatchObject({ state: "sealed", isOwn: true });
    await unlock(folder, person.access);
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });
});

describe("a folder that was copied while it was being locked", () => {
  it("is another place: what the record says to be removed stays, in the copy, and comes out with the sealed contents", async () => {
    fs.mkdirSync(ownDir("staging"));
    fs.writeFileSync(ownDir("staging", "letter.txt"), "the readable copy");
    commit({ state: "removing", staging: "staging" });
    const copy = path.join(base, "Copy");
    fs.cpSync(folder, copy, { recursive: true, preserveTimestamps: true });
    expect(recoverFolder(linuxDisk, Buffer.from(copy)).state).toBe("mixed");
    expect(fs.readFileSync(path.join(copy, "letter.txt"), "utf8")).toBe("the readable copy");
    expect(recoverFolder(linuxDisk, Buffer.from(folder)).state).toBe("sealed");
    expect(fs.existsSync(ownDir("staging"))).toBe(false);
    await unlock(folder, person.access);
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });

  it("a copy of one that lies open lies open, for this computer", async () => {
    await unlock(folder, person.access);
    const copy = path.join(base, "Copy");
    spawnSync("cp", ["-a", folder, copy]);
    expect(inspected(linuxDisk, copy)).toMatchObject({ state: "open", isOwn: true });
    const to = path.join(base, "out");
    await rescue({
      folder: Buffer.from(copy),
      to: Buffer.from(to),
      secret: () => Promise.resolve({ kind: "password", password: PASSWORD, folderPassword: null }),
      acceptUnknown: false,
      progress: () => undefined,
    });
    expect(fs.readFileSync(path.join(to, "letter.txt"), "utf8")).toContain("Dear Jonas");
  });
});

describe("the readable copy goes only where the sealed one is there", () => {
  it.each(["a pack", "an index"])("%s is missing when the removal is finished after a crash: both stay", (what) => {
    fs.mkdirSync(ownDir("staging"));
    fs.writeFileSync(ownDir("staging", "letter.txt"), "the readable copy");
    commit({ state: "removing", staging: "staging" });
    const [record = ""] = generationFiles(folder);
    const packs = fs
      .readdirSync(ownDir("packs"), { withFileTypes: true, recursive: true })
      .filter((entry) => entry.isFile())
      .map((entry) => path.join(entry.parentPath, entry.name));
    fs.rmSync(what === "a pack" ? (packs[0] ?? "") : ownDir("index", indexesOf(generationAt(folder, record))[0] ?? ""));
    try {
      expect(recoverFolder(linuxDisk, Buffer.from(folder)).state).toBe("mixed");
    } catch (error) {
      expect([what, (error as { code: string }).code]).toEqual(["an index", "unvouched"]);
    }
    const readable = [path.join(folder, "letter.txt"), ownDir("staging", "letter.txt")].filter((file) =>
      fs.existsSync(file),
    );
    expect(readable.map((file) => fs.readFileSync(file, "utf8"))).toEqual(["the readable copy"]);
  });
});
