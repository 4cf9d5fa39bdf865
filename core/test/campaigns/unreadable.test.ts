import * as fs from "node:fs";
import * as path from "node:path";
import { beforeEach, describe, expect, it } from "vitest";
import { checkFolder } from "../../src/engine/upkeep/check";
import { silentHooks } from "../../src/engine/ground/hooks";
import { setInsurance } from "../../src/insurance/insure";
import { repairFolder } from "../../src/engine/upkeep/repair";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { Visit } from "../../src/engine/visiting/visit";
import { wornDisk } from "../support/crashing-disk";
import { type Place, usePlace } from "../support/place";
import { both, generationFiles, stateFile, twin } from "../support/records";
import { SEED, randomFrom } from "../support/stride";
import { account, get } from "../support/visiting";
import { lock, release, snapshot, unlock } from "../support/world";

/** Places that the disk can't read any more: each is told, rebuilt or left out, and never the end of everything. */
let { person, folder } = {} as Place;
usePlace((place) => ({ person, folder } = place));

const MIB = 1024 * 1024;
const ownDir = (...names: readonly string[]): string => path.join(folder, ".eremos", ...names);
const input = (): {
  path: Buffer;
  access: Place["person"]["access"];
  keptHeader: null;
  expected: null;
  accept: [];
} => ({ path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null, accept: [] });
const inodeOf = (file: string): bigint => fs.statSync(file, { bigint: true }).ino;
const packs = (): string[] =>
  fs
    .readdirSync(ownDir("packs"), { recursive: true, encoding: "utf8" })
    .map((name) => ownDir("packs", name))
    .filter((file) => fs.statSync(file).isFile());
/** The disk, where so many bytes of a file from an offset on can't be read. */
const worn = (file: string, from: number, length: number): Disk => {
  const bad = inodeOf(file);
  return wornDisk(linuxDisk, (ino, start, until) => ino === bad && start < from + length && until > from);
};

let film: Buffer;
let before: string[];
let largest: string;
beforeEach(async () => {
  film = Buffer.alloc(3 * MIB, "abcdefghijklmnop");
  fs.mkdirSync(path.join(folder, "inner"));
  fs.writeFileSync(path.join(folder, "inner", "film.mp4"), film);
  fs.linkSync(path.join(folder, "inner", "film.mp4"), path.join(folder, "film again.mp4"));
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  before = snapshot(folder);
  await lock(folder, person.owner);
  largest = packs().sort((a, b) => fs.statSync(b).size - fs.statSync(a).size)[0] ?? "";
});

describe("a place of a film's encrypted file that the disk can't read", () => {
  it("is named by a check, by file and range", async () => {
    const checked = await checkFolder(worn(largest, 2 * MIB, 4096), input(), silentHooks);
    const [first] = checked.damaged;
    expect(checked.ok).toBe(false);
    expect(
      checked.damaged
        .map(({ path: file }) => file)
        .filter((file) => !file.startsWith(".eremos"))
        .sort(),
    ).toEqual(["film again.mp4", "inner/film.mp4"]);
    expect(first?.reason).toContain("the disk can't read it");
    expect(first?.ranges).toHaveLength(1);
    const [range = { from: 0, until: 0 }] = first?.ranges ?? [];
    expect([
      range.from < 2 * MIB && range.until > 2 * MIB - 128 * 1024,
      range.until - range.from <= 128 * 1024,
    ]).toEqual([true, true]);
  });

  it("opens nothing unasked, and names the files; agreed to, everything else opens, and what is whole of the film under names that say so, all of them one file", async () => {
    const disk = worn(largest, 2 * MIB, 4096);
    await expect(unlock(folder, person.access, { disk })).rejects.toMatchObject({
      code: "files-damaged",
      class: "damage",
      data: { count: 2, files: ["film again.mp4", "inner/film.mp4"] },
    });
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    const opened = await unlock(folder, person.access, { disk, accept: ["files-damaged"] });
    expect(opened.damaged).toEqual(["film again.mp4", "inner/film.mp4"]);
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "film again (damaged).mp4", "inner", "letter.txt"]);
    const saved = fs.readFileSync(path.join(folder, "inner", "film (damaged).mp4"));
    const lost = film.length - saved.filter((byte, i) => byte === film[i]).length;
    expect([saved.length, lost > 0, lost <= 128 * 1024]).toEqual([film.length, true, true]);
    expect(fs.statSync(path.join(folder, "film again (damaged).mp4")).ino).toBe(
      fs.statSync(path.join(folder, "inner", "film (damaged).mp4")).ino,
    );
    await lock(folder, person.owner, { folder: opened.folder, note: opened.note });
    await release(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "film again (damaged).mp4")).equals(saved)).toBe(true);
  });

  it("stops a release in the same way, and a release agreed to brings everything else", async () => {
    const disk = worn(largest, 0, 4 * MIB);
    await expect(release(folder, person.access, { disk })).rejects.toMatchObject({ code: "files-damaged" });
    await release(folder, person.access, { disk, accept: ["files-damaged"] });
    expect(fs.readdirSync(folder).filter((name) => name !== "inner")).toEqual(["letter.txt"]);
  });

  it("is rebuilt from the insurance, and the folder is whole again", async () => {
    setInsurance(linuxDisk, Buffer.from(folder), { data: 20, parity: 2 });
    const disk = worn(largest, 2 * MIB, 4096);
    const outcome = await repairFolder(disk, input(), silentHooks);
    expect([outcome.repaired.map(({ path: file }) => file), outcome.lost]).toEqual([
      [path.relative(ownDir(), largest)],
      [],
    ]);
    await release(folder, person.access, { disk });
    expect(snapshot(folder)).toEqual(before);
  });

  it("leaves a visit everything else, and of the film what is whole", async () => {
    const visit = await Visit.open(worn(largest, 2 * MIB, 4096), { ...input(), account });
    const node = visit.find([Buffer.from("inner"), Buffer.from("film.mp4")]);
    if (node?.kind !== "file") throw new Error("it is no file");
    expect(get(visit, "letter.txt").toString()).toBe("Dear Jonas");
    const start = Buffer.alloc(MIB);
    expect([visit.read(node, 0, start), start.equals(film.subarray(0, MIB))]).toEqual([MIB, true]);
    expect(() => visit.read(node, 2 * MIB, start)).toThrow(expect.objectContaining({ code: "damaged" }));
    visit.close();
  });
});

describe("a record", () => {
  it.each(["header.json", "the state record", "the generation record"])(
    "%s whose first copy the disk can't read does its work by its twin, and a check tells",
    async (which) => {
      const name =
        which === "header.json"
          ? which
          : which === "the state record"
            ? stateFile(folder)
            : (generationFiles(folder)[0] ?? "");
      const disk = worn(ownDir(name), 0, 64 * 1024);
      expect((await checkFolder(disk, input(), silentHooks)).damaged.map(({ path: file }) => file)).toEqual([
        `.eremos/${name}`,
      ]);
      await unlock(folder, person.access, { disk });
      expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
    },
  );

  it.each([
    ["EMFILE", "io"],
    ["EACCES", "no-permission"],
  ])("that can't be looked at (%s) is not called damaged", async (code, told) => {
    const inodes = both("header.json").map((name) => inodeOf(ownDir(name)));
    const disk: Disk = new Proxy(linuxDisk, {
      get: (target, name: keyof Disk) =>
        name !== "openRead"
          ? target[name]
          : (...[dir, file]: Parameters<Disk["openRead"]>) => {
              const opened = target.openRead(dir, file);
              if (!inodes.includes(target.statOpen(opened).ino)) return opened;
              target.closeFile(opened);
              throw Object.assign(new Error(code), { code });
            },
    });
    await expect(unlock(folder, person.access, { disk })).rejects.toMatchObject({ code: told });
  });
});

describe("earlier states that are kept", () => {
  it.each(["record", "manifest", "pack"])(
    "stay while the %s of one of them can't be read for a moment, and so does everything else; the lock says so where it can't tell what is needed",
    async (what) => {
      const edit = async (name: string, disk: Disk = linuxDisk): Promise<string> => {
        const { folder: id, note } = await unlock(folder, person.access, {});
        fs.writeFileSync(path.join(folder, name), name);
        return (await lock(folder, person.owner, { disk, folder: id, note, keepEarlier: 2 })).earlier;
      };
      await edit("second");
      expect(await edit("third")).toBe("gone");
      const first = generationFiles(folder).at(-2) ?? "";
      const files = (): string[] => [...generationFiles(folder), ...fs.readdirSync(ownDir("manifests")), ...packs()];
      const manifest = (JSON.parse(fs.readFileSync(ownDir(first), "utf8")) as { manifest: string }).manifest;
      const bad = (
        what === "record"
          ? [first, twin(first)].map((name) => ownDir(name))
          : what === "manifest"
            ? [ownDir("manifests", manifest), ownDir("manifests", `${manifest}.twin`)]
            : [largest]
      ).map(inodeOf);
      const had = files();
      expect(
        await edit(
          "fourth",
          wornDisk(linuxDisk, (ino) => bad.includes(ino)),
        ),
      ).toBe(what === "pack" ? "gone" : "kept-unread");
      expect(
        had.filter((file) => !files().includes(file)).filter((file) => what !== "pack" || file === largest),
      ).toEqual([]);
    },
  );
});

describe("anywhere, many places at once", () => {
  const RUNS = process.env["EREMOS_DEEP"] === "1" ? 120 : 6;
  it.each(Array.from({ length: RUNS }, (_, i) => SEED + i))(
    "in packs and in first copies of records, seed %i: what is named is lost in part, everything else opens byte for byte, and nothing else is claimed",
    async (seed) => {
      const random = randomFrom(seed);
      const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)] as T;
      const { folder: id, note } = await unlock(folder, person.access);
      const contents = new Map<string, Buffer>();
      for (let i = 0; i < 12; i++) {
        const bytes = Buffer.alloc(Math.floor(random() * 700_000), `file ${i}, `);
        fs.writeFileSync(path.join(folder, "inner", `file ${i}`), bytes);
        contents.set(`inner/file ${i}`, bytes);
      }
      for (const name of ["inner/film.mp4", "film again.mp4", "letter.txt"])
        contents.set(name, fs.readFileSync(path.join(folder, name)));
      await lock(folder, person.owner, { folder: id, note });
      const records = ["header.json", stateFile(folder), ...generationFiles(folder)]
        .filter(() => random() < 0.3)
        .map((name) => ({ ino: inodeOf(ownDir(name)), from: 0, until: 65_536 }));
      const places = Array.from({ length: 1 + Math.floor(random() * 4) }, () => {
        const file = pick(packs());
        const from = Math.floor(random() * fs.statSync(file).size);
        return { ino: inodeOf(file), from, until: from + 1 + Math.floor(random() * 200_000) };
      });
      const disk = wornDisk(linuxDisk, (ino, start, until) =>
        [...records, ...places].some((place) => place.ino === ino && start < place.until && until > place.from),
      );
      const checked = await checkFolder(disk, input(), silentHooks);
      const named = checked.damaged.map(({ path: file }) => file).filter((file) => contents.has(file));
      const opened = await unlock(folder, person.access, { disk, accept: ["files-damaged"] });
      expect([...opened.damaged].sort()).toEqual([...named].sort());
      for (const [name, bytes] of contents) {
        const isWhole =
          fs.existsSync(path.join(folder, name)) && fs.readFileSync(path.join(folder, name)).equals(bytes);
        expect([name, isWhole]).toEqual([name, !named.includes(name)]);
      }
    },
  );
});
