import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, expect, it } from "vitest";
import { type MovedIn, type Originals, moveInto } from "../../src/engine/slot/move-in";
import { type TakenBack, takeBackMoved } from "../../src/engine/visiting/take-back-moved";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { crashingDisk, failingDisk } from "../support/crashing-disk";
import { holdOpen } from "../support/holder";
import { strided } from "../support/stride";
import { type Person, lock, newDirectory, newPerson, removeDirectory, unlock } from "../support/world";
import { inputOf, lockedWithSlot, visitOf } from "../support/visiting";

const FOLDER = Buffer.alloc(16, 9).toString("hex");
const NEAR = strided(11);
const CONTENT = Buffer.alloc(300_000, "a statement of the bank, ");

let person: Person;
let base: string;
let folder: string;
let outside: string;
let slot: Parameters<typeof moveInto>[1];
beforeAll(async () => {
  person = await newPerson();
});
beforeEach(async () => {
  base = newDirectory();
  folder = path.join(base, "Payroll");
  outside = path.join(base, "statement.pdf");
  await begin();
});
afterEach(() => removeDirectory(base));

async function begin(): Promise<void> {
  fs.rmSync(folder, { recursive: true, force: true });
  fs.mkdirSync(folder);
  fs.writeFileSync(outside, CONTENT, { mode: 0o640 });
  slot = await lockedWithSlot(person, folder, FOLDER);
}

const moveWith = (disk: Disk, originals: Originals, ...paths: readonly string[]): Promise<MovedIn> =>
  moveInto(
    disk,
    slot,
    paths.map((one) => Buffer.from(one)),
    originals,
  );
const move = (disk: Disk, ...paths: readonly string[]): Promise<MovedIn> => moveWith(disk, "remove", ...paths);
const takeBack = (disk: Disk): Promise<TakenBack> =>
  takeBackMoved(disk, { ...inputOf(person, folder), device: person.device.device.publicKey });

/** What waits in the slot, by its path, as its owner reads it. */
async function waiting(): Promise<Record<string, string>> {
  const visit = await visitOf(person, folder);
  try {
    const drops = await visit.arrivals();
    return Object.fromEntries(
      drops.map((drop) => {
        const content = drop.read(0, drop.size).toString("latin1");
        drop.close();
        return [drop.path.map(String).join("/"), content];
      }),
    );
  } finally {
    visit.close();
  }
}

it("files and folders go in with their names, and their originals go; what can't go by itself stays, and says why", async () => {
  const tree = path.join(base, "Letters");
  fs.mkdirSync(path.join(tree, "2026"), { recursive: true });
  fs.mkdirSync(path.join(tree, "empty"));
  fs.writeFileSync(path.join(tree, "2026", "march.txt"), "March");
  fs.writeFileSync(path.join(tree, "two names.txt"), "both");
  fs.linkSync(path.join(tree, "two names.txt"), path.join(base, "the other name.txt"));
  fs.symlinkSync("2026", path.join(tree, "link"));
  fs.writeFileSync(path.join(tree, "in use.txt"), "still being written");
  const writer = await holdOpen(path.join(tree, "in use.txt"));
  try {
    const { files, left } = await move(linuxDisk, outside, tree);
    expect(files).toBe(2);
    expect(Object.fromEntries(left.map(({ path: at, reason }) => [path.relative(tree, at), reason]))).toEqual({
      empty: "it is an empty folder",
      "in use.txt": expect.stringContaining("a program is changing it") as string,
      link: expect.stringContaining("a link") as string,
      "two names.txt": expect.stringContaining("second name") as string,
    });
  } finally {
    writer.kill();
  }
  expect(await waiting()).toEqual({ "statement.pdf": CONTENT.toString("latin1"), "Letters/2026/march.txt": "March" });
  expect([fs.existsSync(outside), fs.readdirSync(tree).sort()]).toEqual([
    false,
    ["empty", "in use.txt", "link", "two names.txt"],
  ]);
  await unlock(folder, person.access);
  const file = path.join(folder, "statement.pdf");
  expect([fs.readFileSync(file), fs.statSync(file).mode & 0o777]).toEqual([CONTENT, 0o640]);
});

it("where originals are to stay, all of them do, those with a second name too, and nothing can be taken back", async () => {
  const tree = path.join(base, "Letters");
  fs.mkdirSync(tree);
  fs.writeFileSync(path.join(tree, "march.txt"), "March");
  fs.linkSync(path.join(tree, "march.txt"), path.join(base, "the other name.txt"));
  expect(await moveWith(linuxDisk, "stay", outside, tree)).toEqual({ files: 2, left: [] });
  expect(await waiting()).toEqual({ "statement.pdf": CONTENT.toString("latin1"), "Letters/march.txt": "March" });
  expect([fs.existsSync(outside), fs.readdirSync(tree)]).toEqual([true, ["march.txt"]]);
  expect([fs.readFileSync(outside), fs.readFileSync(path.join(tree, "march.txt"), "utf8")]).toEqual([CONTENT, "March"]);
  expect((await takeBack(linuxDisk)).files).toBe(0);
  expect(Object.keys(await waiting())).toHaveLength(2);
});

it("the original stays where what was written can't be read back, and where it changes meanwhile", async () => {
  const meddling = (when: (name: string) => boolean, meddle: (args: unknown[]) => void): Disk =>
    new Proxy(linuxDisk, {
      get: (target, name: keyof Disk) => {
        const method: unknown = target[name];
        if (typeof method !== "function" || !when(name)) return method;
        return (...args: unknown[]): unknown => {
          meddle(args);
          return Reflect.apply(method, target, args);
        };
      },
    });
  // A disk that takes what it is given, and keeps something else.
  const lying = meddling(
    (name) => name === "write",
    ([, from, offset, length]) => {
      const at = (offset as number) + 5_000;
      if ((length as number) > 10_000) (from as Buffer).writeUInt8((from as Buffer).readUInt8(at) ^ 1, at);
    },
  );
  await expect(move(lying, outside)).rejects.toMatchObject({ code: "damaged" });
  let barriers = 0;
  const late = meddling(
    (name) => name === "barrier",
    () => {
      if (barriers++ === 0) fs.appendFileSync(outside, "one line more");
    },
  );
  expect((await move(late, outside)).left).toMatchObject([{ path: outside }]);
  expect([fs.readFileSync(outside, "latin1"), await waiting()]).toEqual([
    `${CONTENT.toString("latin1")}one line more`,
    {},
  ]);
});

it("neither the folder itself, nor what lies in it or around it, goes into it; and a protected folder stays as it is", async () => {
  for (const path_ of [folder, path.join(folder, ".eremos", "header.json"), base])
    await expect(move(linuxDisk, path_)).rejects.toMatchObject({ code: "nested" });
  const other = path.join(base, "Other");
  fs.mkdirSync(other);
  await lock(other, person.device, { folder: Buffer.alloc(16, 8).toString("hex") });
  expect(await move(linuxDisk, other)).toMatchObject({ files: 0, left: [{ path: other }] });
  await expect(move(linuxDisk, path.join(base, "gone"))).rejects.toMatchObject({ code: "not-found" });
});

it.each([
  ["is cut off", (at: number) => crashingDisk(linuxDisk, at, "after")],
  ["fails once", (at: number) => failingDisk(linuxDisk, at, "EIO")],
  ["is gone from there on", (at: number) => failingDisk(linuxDisk, at, "EIO", true)],
] as const)(
  `the disk %s at ${NEAR.of("call")}: there is the original, or what was put in; never neither`,
  async (_name, make) => {
    for (let at = NEAR.from; ; at += NEAR.step) {
      await begin();
      const made = make(at);
      await move(made.disk, outside).catch(() => undefined);
      const isHit = "crashed" in made ? made.crashed() : made.failed() !== null;
      const original = fs.existsSync(outside) ? [fs.readFileSync(outside, "latin1")] : [];
      const there = [...original, ...Object.values(await waiting())];
      expect(new Set(there), `call ${at}`).toEqual(new Set([CONTENT.toString("latin1")]));
      if (!isHit) return expect(original).toEqual([]);
    }
  },
);

it("into the trash goes a whole entry, as the desktop keeps it; where something of it has to stay, nothing goes, and nothing is put in", async () => {
  const trash = { home: Buffer.from(path.join(base, "data", "Trash")), uid: 1000 };
  const tree = path.join(base, "Letters to Éva");
  fs.mkdirSync(path.join(tree, "2026"), { recursive: true });
  fs.writeFileSync(path.join(tree, "2026", "march.txt"), "March");
  fs.symlinkSync("2026", path.join(tree, "link"));
  const stayed = await moveWith(linuxDisk, trash, tree);
  expect(stayed).toMatchObject({ files: 0 });
  expect(stayed.left.map((one) => one.path)).toEqual([path.join(tree, "link"), tree]);
  expect([await waiting(), fs.readdirSync(tree).sort()]).toEqual([{}, ["2026", "link"]]);

  fs.rmSync(path.join(tree, "link"));
  for (let round = 0; round < 2; round++) {
    fs.mkdirSync(path.join(tree, "2026"), { recursive: true });
    fs.writeFileSync(path.join(tree, "2026", "march.txt"), "March");
    expect(await moveWith(linuxDisk, trash, tree)).toMatchObject({ files: 1, left: [] });
    expect(fs.existsSync(tree)).toBe(false);
  }
  const inTrash = (part: string): string[] => fs.readdirSync(path.join(base, "data", "Trash", part)).sort();
  expect([inTrash("files"), inTrash("info")]).toEqual([
    ["Letters to Éva", "Letters to Éva (new)"],
    ["Letters to Éva (new).trashinfo", "Letters to Éva.trashinfo"],
  ]);
  const info = fs.readFileSync(path.join(base, "data", "Trash", "info", "Letters to Éva.trashinfo"), "utf8");
  expect(info).toMatch(
    /^\[Trash Info\]\nPath=\S+\/Letters%20to%20%C3%89va\nDeletionDate=\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\n$/,
  );
  expect(
    fs.readFileSync(path.join(base, "data", "Trash", "files", "Letters to Éva", "2026", "march.txt"), "utf8"),
  ).toBe("March");
});

it("somebody else's trash is not used: the original stays, and nothing is put in", async () => {
  const data = path.join(base, "data");
  fs.mkdirSync(path.join(data, "Trash"), { recursive: true });
  fs.mkdirSync(path.join(data, "Trash", "info"));
  const others: Disk = new Proxy(linuxDisk, {
    get: (target, name: keyof Disk) =>
      name === "owns"
        ? (stat: { ino: bigint }) => stat.ino !== BigInt(fs.statSync(path.join(data, "Trash", "info")).ino)
        : (target[name] as unknown),
  });
  await expect(
    moveWith(others, { home: Buffer.from(path.join(data, "Trash")), uid: 1000 }, outside),
  ).rejects.toMatchObject({ code: "unsupported" });
  expect([fs.readFileSync(outside), await waiting()]).toEqual([CONTENT, {}]);
});

it("what was moved in goes back to where it was, as it was, also where its folder went; a name that is taken stays with what has it", async () => {
  const tree = path.join(base, "Letters");
  fs.mkdirSync(path.join(tree, "2026"), { recursive: true });
  fs.writeFileSync(path.join(tree, "2026", "march.txt"), "March");
  fs.utimesSync(outside, 1_700_000_000, 1_700_000_000);
  await move(linuxDisk, outside, tree);
  expect(fs.existsSync(tree)).toBe(false);
  fs.writeFileSync(outside, "another one by that name");
  expect(await takeBack(linuxDisk)).toEqual({ files: 2 });
  const back = path.join(base, "statement (new).pdf");
  expect([fs.readFileSync(back), fs.statSync(back).mode & 0o777, fs.statSync(back).mtimeMs]).toEqual([
    CONTENT,
    0o640,
    1_700_000_000_000,
  ]);
  expect(fs.readFileSync(outside, "utf8")).toBe("another one by that name");
  expect(fs.readFileSync(path.join(tree, "2026", "march.txt"), "utf8")).toBe("March");
  expect(await waiting()).toEqual({});
  expect(await takeBack(linuxDisk)).toEqual({ files: 0 });
});

it("where it lay is not readable in the folder; what another computer says was moved in goes nowhere, and waits", async () => {
  await move(linuxDisk, outside);
  const drops = path.join(folder, ".eremos", "drops");
  const everything = Buffer.concat(fs.readdirSync(drops).map((file) => fs.readFileSync(path.join(drops, file))));
  for (const part of [base, "statement.pdf", Buffer.from(outside).toString("base64").slice(0, 20)])
    expect(everything.includes(part), part).toBe(false);

  await begin();
  const stranger = await newPerson();
  const planted = path.join(base, "autostart.desktop");
  fs.writeFileSync(planted, "[Desktop Entry]");
  slot = { ...slot, device: stranger.device.device };
  await move(linuxDisk, planted);
  expect(await takeBack(linuxDisk)).toEqual({ files: 0 });
  expect([fs.existsSync(planted), await waiting()]).toEqual([false, { "autostart.desktop": "[Desktop Entry]" }]);
});

it(`going back, the disk fails or is cut off at ${NEAR.of("call")}: what was moved in is at its place, or in the folder`, async () => {
  for (const make of [
    (at: number) => crashingDisk(linuxDisk, at, "after"),
    (at: number) => failingDisk(linuxDisk, at, "EIO", true),
  ])
    for (let at = NEAR.from; ; at += NEAR.step) {
      await begin();
      await move(linuxDisk, outside);
      const made = make(at);
      await takeBack(made.disk).catch(() => undefined);
      const isHit = "crashed" in made ? made.crashed() : made.failed() !== null;
      const back = fs.existsSync(outside) ? [fs.readFileSync(outside, "latin1")] : [];
      expect(new Set([...back, ...Object.values(await waiting())]), `call ${at}`).toEqual(
        new Set([CONTENT.toString("latin1")]),
      );
      if (!isHit) break;
    }
});
