import * as fs from "node:fs";
import * as path from "node:path";
import { beforeEach, describe, expect, it } from "vitest";
import { checkPieces } from "../../src/engine/upkeep/check-pieces";
import { silentHooks } from "../../src/engine/ground/hooks";
import { writeHead } from "../../src/format/header";
import { Visit } from "../../src/engine/visiting/visit";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { directorySource } from "../../src/rescue/directory-source";
import { openLocked } from "../../src/rescue/locked-folder";
import { type Place, usePlace } from "../support/place";
import { generationFiles, headAt, stateFile, twin } from "../support/records";
import { account, put } from "../support/visiting";
import { PASSWORD, lock, makeMixedTree, newPerson } from "../support/world";

/** What can be told of a sealed folder without any key, by its signed list. */
let { person, folder } = {} as Place;
usePlace((place) => ({ person, folder } = place));

const ownDir = (...names: readonly string[]): string => path.join(folder, ".eremos", ...names);
const packs = (): string[] =>
  fs
    .readdirSync(ownDir("packs"), { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile())
    .map((entry) => path.join(entry.parentPath, entry.name));
const look = (owner = person.access.owner): ReturnType<typeof checkPieces> =>
  checkPieces(
    linuxDisk,
    { path: Buffer.from(folder), owner, devices: person.access.devices, keptHeader: null },
    silentHooks,
  );

beforeEach(async () => {
  makeMixedTree(folder);
  await lock(folder, person.owner);
});

describe("a folder is looked at without a key", () => {
  it("all its pieces are there; one that is missing, cut off or changed in one bit is told, others as they are", () => {
    const whole = look();
    expect(whole).toMatchObject({ arrived: whole.pieces, damaged: [] });
    expect(whole.pieces).toBe(packs().length + 1);
    const [first = "", second = ""] = packs();
    const bytes = fs.readFileSync(first);
    fs.writeFileSync(first, bytes.subarray(0, bytes.length - 1));
    expect(look()).toMatchObject({ pieces: whole.pieces, arrived: whole.pieces - 1, damaged: [] });
    bytes.writeUInt8(bytes.readUInt8(bytes.length - 1) ^ 1, bytes.length - 1);
    fs.writeFileSync(first, bytes);
    expect(look()).toMatchObject({
      arrived: whole.pieces,
      damaged: [{ path: `.eremos/packs/${path.basename(first)}` }],
    });
    fs.rmSync(second);
    expect(look()).toMatchObject({ arrived: whole.pieces - 1 });
  });

  it("of a folder that nobody known stands behind nothing is told", async () => {
    const stranger = await newPerson();
    expect(() => look(stranger.access.owner)).toThrow(/Nobody known/);
  });
});

describe("a copy without a state record", () => {
  it("in which a newer state has arrived in part gives the newest that is there throughout, and says so; the newest, once it is there", async () => {
    const visit = await Visit.open(linuxDisk, {
      path: Buffer.from(folder),
      access: person.access,
      keptHeader: writeHead(headAt(folder)),
      expected: null,
      accept: [],
      account,
      keepEarlier: 3,
    });
    const had = new Set(packs());
    put(visit, [], "new.bin", Buffer.alloc(300_000, "new"));
    visit.commit();
    visit.close();
    const [arriving = ""] = packs().filter((file) => !had.has(file));
    for (const name of [stateFile(folder), twin(stateFile(folder))]) fs.rmSync(ownDir(name));
    const [last = "", before = ""] = generationFiles(folder);
    expect([last, before].every((name) => name !== "")).toBe(true);
    const names = async (): Promise<{ entries: string[]; problems: readonly string[] }> => {
      const opened = await openLocked(directorySource(Buffer.from(folder)), {
        kind: "password",
        password: PASSWORD,
        folderPassword: null,
      });
      const entries = opened.entries.map(({ path: parts }) => parts.map(String).join("/"));
      opened.close();
      return { entries, problems: opened.problems };
    };
    const all = fs.readFileSync(arriving);
    fs.writeFileSync(arriving, all.subarray(0, 1000));
    const partly = await names();
    expect(partly.entries).not.toContain("new.bin");
    expect(partly.entries).toContain("letter.txt");
    expect(partly.problems.join(" ")).toMatch(/only a part is here/);
    fs.writeFileSync(arriving, all);
    expect((await names()).entries).toContain("new.bin");
  });
});
