import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, describe, expect, it } from "vitest";
import { randomBytes } from "../../src/crypto/bytes";
import { type CheckOutcome, checkFolder } from "../../src/engine/upkeep/check";
import { silentHooks } from "../../src/engine/ground/hooks";
import { isEremosError } from "../../src/errors/eremos-error";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { Visit } from "../../src/engine/visiting/visit";
import type { RescueReport } from "../../src/rescue/bring-out/report";
import { rescue } from "../../src/rescue/bring-out/to-directory";
import { type Place, usePlace } from "../support/place";
import { FOLDER } from "../support/scene";
import { campaignDirectory } from "../support/scenes";
import { both, generationAt, generationFiles, headAt, indexesOf } from "../support/records";
import { SEED, randomFrom } from "../support/stride";
import { PASSWORD, lock, release, unlock } from "../support/world";

const SEEDS = process.env["EREMOS_DEEP"] === "1" ? 600 : 12;
const CHUNK = 65_536;

let { person, base, folder } = {} as Place;
usePlace((place) => ({ person, base, folder } = place), campaignDirectory);

function fill(random: () => number): Map<string, Buffer> {
  const files = new Map<string, Buffer>();
  for (let i = 0; i < 14; i++) {
    const name = `${i % 3 === 0 ? "inner/" : ""}file ${i}.bin`;
    const size = i === 5 ? 3_300_000 : i === 6 ? 1_200_000 : Math.floor(random() ** 2 * 300_000);
    const bytes = Buffer.alloc(size);
    for (let at = 0; at < size; at++) bytes[at] = Math.floor(random() * 256);
    files.set(name, bytes);
    fs.mkdirSync(path.dirname(path.join(folder, name)), { recursive: true });
    fs.writeFileSync(path.join(folder, name), bytes);
  }
  return files;
}

function filesBelow(directory: string): string[] {
  return fs
    .readdirSync(directory, { recursive: true, encoding: "utf8" })
    .map((name) => path.join(directory, name))
    .filter((file) => fs.statSync(file).isFile())
    .sort();
}

const WAYS = ["flip", "cut", "delete", "swap", "zeros"] as const;

/** Damages one file in one way; returns all that were touched. */
function damage(random: () => number, all: readonly string[]): readonly string[] {
  const any = <T>(from: readonly T[]): T => from[Math.floor(random() * from.length)] as T;
  const file = any(all);
  const way = any(WAYS);
  const bytes = fs.readFileSync(file);
  if (way === "delete") fs.rmSync(file);
  else if (way === "cut") fs.truncateSync(file, Math.floor(random() * bytes.length));
  else if (way === "swap") {
    const other = any(
      all.filter((one) => path.dirname(path.dirname(one)) === path.dirname(path.dirname(file)) && fs.existsSync(one)),
    );
    if (!other || other === file) return [];
    fs.writeFileSync(file, fs.readFileSync(other));
    fs.writeFileSync(other, bytes);
    return [file, other];
  } else {
    const at = Math.floor(random() * bytes.length);
    const end = way === "flip" ? at + 1 : Math.min(bytes.length, at + Math.floor(random() * 5000) + 1);
    for (let i = at; i < end; i++) bytes[i] = way === "flip" ? (bytes[i] ?? 0) ^ (1 << Math.floor(random() * 8)) : 0;
    fs.writeFileSync(file, bytes);
  }
  return [file];
}

async function out(): Promise<{ readonly report: RescueReport; readonly to: string }> {
  const to = path.join(base, "out");
  return {
    report: await rescue({
      folder: Buffer.from(folder),
      to: Buffer.from(to),
      secret: async () => ({ kind: "password", password: PASSWORD, folderPassword: null }),
    }),
    to,
  };
}

/**
 * Every file that came out is what it was, or named as damaged with the ranges in which it is not. Returns the names
 * that came out whole.
 */
function checkFiles(
  files: ReadonlyMap<string, Buffer>,
  { report, to }: { readonly report: RescueReport; readonly to: string },
): Set<string> {
  const whole = new Set<string>();
  for (const at of filesBelow(to)) {
    const name = path.relative(to, at);
    const bytes = fs.readFileSync(at);
    const known = report.damaged.find((one) => one.path === name);
    const was = files.get(name.replace(" (damaged)", ""));
    expect(was, name).toBeDefined();
    if (!known) {
      expect(bytes.equals(was ?? Buffer.alloc(0)), `${name} is what it was`).toBe(true);
      whole.add(name);
      continue;
    }
    expect(known.lost.length).toBeGreaterThan(0);
    const patched = Buffer.from(bytes);
    for (const { offset, length } of known.lost) was?.copy(patched, offset, offset, offset + length);
    expect(patched.equals(was ?? Buffer.alloc(0)), `${name} is what it was outside what is told`).toBe(true);
  }
  return whole;
}

/** Check, rescue and opening say the same of every file, wherever each of them gets as far as the files. */
async function expectAgreement(
  files: ReadonlyMap<string, Buffer>,
  { report }: { readonly report: RescueReport },
): Promise<void> {
  const checked = await checkFolder(
    linuxDisk,
    { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null },
    silentHooks,
  ).catch((error: unknown) => error);
  const opened = await release(folder, person.access).then(
    () => "whole",
    (error: unknown) => error,
  );
  if (opened === "whole")
    for (const [name, bytes] of files) expect(fs.readFileSync(path.join(folder, name)).equals(bytes), name).toBe(true);
  else expect(opened).toSatisfy(isEremosError);
  if (isEremosError(checked) || (checked as CheckOutcome).files === 0) return;
  agreed++;
  const byCheck = (checked as CheckOutcome).damaged
    .map((one) => one.path)
    .filter((name) => !name.startsWith(".eremos"))
    .sort();
  expect(report.damaged.map((one) => one.path.replace(" (damaged)", "")).sort()).toEqual(byCheck);
  expect(opened === "whole").toBe(byCheck.length === 0);
}

let agreed = 0;
let salvaged = 0;
let nothing = 0;
afterAll(
  () =>
    void process.stdout.write(
      `damaged folders rescued: ${SEEDS}, ${salvaged} of them without an index, ${nothing} refused for want of both headers; of ${agreed} check, rescue and opening said the same, file by file\n`,
    ),
);

describe("damage of any kind, anywhere", () => {
  it.each(Array.from({ length: SEEDS }, (_, at) => SEED + at))(
    "seed %i: what is whole comes out, the rest is told",
    async (seed) => {
      const random = randomFrom(seed * 2654435761 + 17);
      const files = fill(random);
      await lock(folder, person.owner, { folder: FOLDER });
      const ownDir = path.join(folder, ".eremos");
      const all = filesBelow(ownDir).filter((file) => path.basename(file) !== "lock");
      const [slot = ""] = headAt(folder).header.slots;
      const touched = new Set<string>();
      for (let i = 0; i <= Math.floor(random() * 4); i++)
        for (const file of damage(
          random,
          all.filter((one) => fs.existsSync(one)),
        ))
          touched.add(path.relative(ownDir, file));
      const isHit = (name: string): boolean => [...touched].some((one) => one.startsWith(name));
      let found: Awaited<ReturnType<typeof out>>;
      try {
        found = await out();
      } catch (error) {
        // Without a header nothing opens; only then may it be refused.
        expect(error).toMatchObject({ code: "damaged" });
        const isGone = (name: string): boolean => both(name).every((one) => touched.has(one));
        expect(isGone("header.json") || isGone(`slots/${slot}.json`), String(error)).toBe(true);
        nothing++;
        return;
      }
      const whole = checkFiles(files, found);
      if (found.report.generation === null) salvaged++;
      const untouchedPacks = !isHit("packs/");
      // Without an index, files without data are not known.
      const wanted = [...files]
        .filter(([, { length }]) => length > 0 || found.report.generation !== null)
        .map(([name]) => name);
      if (untouchedPacks) expect([...whole].sort()).toEqual(wanted.sort());
      else if (!isHit("index/") && !isHit("generations/"))
        expect(whole.size + found.report.damaged.length).toBe(files.size);
      if (whole.size < files.size)
        expect(found.report.problems.length + found.report.damaged.length).toBeGreaterThan(0);
      await expectAgreement(files, found);
    },
  );
});

it("one flipped bit loses one chunk of 64 KiB of one file, or one small file, and no more", async () => {
  const random = randomFrom(4711);
  const files = fill(random);
  await lock(folder, person.owner, { folder: FOLDER });
  const packs = filesBelow(path.join(folder, ".eremos", "packs"));
  const largest = packs.sort((a, b) => fs.statSync(b).size - fs.statSync(a).size)[0] ?? "";
  const bytes = fs.readFileSync(largest);
  bytes[1_500_000] = (bytes[1_500_000] ?? 0) ^ 1;
  fs.writeFileSync(largest, bytes);
  const found = await out();
  expect(checkFiles(files, found).size).toBe(files.size - 1);
  expect(found.report.damaged).toMatchObject([{ path: "file 5 (damaged).bin", size: 3_300_000 }]);
  expect(found.report.damaged[0]?.lost.reduce((sum, { length }) => sum + length, 0)).toBe(CHUNK);
});

it("of a damaged file with several names each says so, by the same rule as an opening's, however long it is", async () => {
  const long = `${"ü".repeat(124)}.docx`;
  fs.writeFileSync(path.join(folder, "film.mp4"), randomBytes(3 * 65_536));
  fs.linkSync(path.join(folder, "film.mp4"), path.join(folder, long));
  await lock(folder, person.owner);
  const packs = path.join(folder, ".eremos", "packs");
  const [pack = ""] = fs
    .readdirSync(packs, { recursive: true, encoding: "utf8" })
    .map((name) => path.join(packs, name))
    .filter((file) => fs.statSync(file).isFile())
    .sort((a, b) => fs.statSync(b).size - fs.statSync(a).size);
  const bytes = fs.readFileSync(pack);
  bytes[bytes.length >> 1] = (bytes[bytes.length >> 1] ?? 0) ^ 1;
  fs.writeFileSync(pack, bytes);
  const to = path.join(path.dirname(folder), "out");
  const report = await rescue({
    folder: Buffer.from(folder),
    to: Buffer.from(to),
    secret: async () => ({ kind: "password", password: PASSWORD, folderPassword: null }),
  });
  const cut = `${"ü".repeat(120)} (damaged).docx`;
  expect(Buffer.byteLength(cut)).toBeLessThanOrEqual(255);
  expect(
    fs
      .readdirSync(to)
      .filter((name) => name.includes("(damaged)"))
      .sort(),
  ).toEqual(["film (damaged).mp4", cut].sort());
  expect(report.damaged.map(({ path: file }) => file).sort()).toEqual(["film (damaged).mp4", cut].sort());
  const opened = await unlock(folder, person.access, { accept: ["files-damaged"] });
  expect([...opened.damaged].sort()).toEqual(["film.mp4", long].sort());
  expect(
    fs
      .readdirSync(folder)
      .filter((name) => name.includes("(damaged)"))
      .sort(),
  ).toEqual(["film (damaged).mp4", cut].sort());
});

it("the index of the last lock is gone: an earlier state that is kept comes out, and it says so", async () => {
  const files = fill(randomFrom(7));
  await lock(folder, person.owner, { folder: FOLDER });
  const visit = await Visit.open(linuxDisk, {
    path: Buffer.from(folder),
    access: person.access,
    keptHeader: null,
    expected: null,
    accept: [],
    account: { uid: 0, gid: 0 },
    keepEarlier: 1,
  });
  visit.remove(visit.root, Buffer.from("file 1.bin"));
  visit.commit();
  visit.close();
  const [last = "", before] = generationFiles(folder);
  expect(before).toBeDefined();
  const kept = new Set(indexesOf(generationAt(folder, before ?? "")));
  for (const object of indexesOf(generationAt(folder, last)).filter((one) => !kept.has(one)))
    fs.rmSync(path.join(folder, ".eremos", "index", object));
  const found = await out();
  expect(found.report.generation).toBe(1);
  expect(found.report.problems.join("\n")).toContain("an earlier state of the folder (state 1)");
  expect(checkFiles(files, found).size).toBe(files.size);
});

it("with every index gone, deleted files and those of earlier locks come out of the packs, the newest of each path", async () => {
  const files = fill(randomFrom(9));
  await lock(folder, person.owner, { folder: FOLDER });
  const { note } = await unlock(folder, person.access);
  fs.writeFileSync(path.join(folder, "file 1.bin"), "changed since");
  files.set("file 1.bin", Buffer.from("changed since"));
  await lock(folder, person.owner, { folder: FOLDER, note });
  fs.rmSync(path.join(folder, ".eremos", "index"), { recursive: true });
  const found = await out();
  expect(found.report).toMatchObject({ generation: null, damaged: [] });
  expect(checkFiles(files, found).size).toBe(files.size);
});
