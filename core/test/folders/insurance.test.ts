import * as fs from "node:fs";
import * as path from "node:path";
import { beforeEach, describe, expect, it } from "vitest";
import { silentHooks } from "../../src/engine/ground/hooks";
import { within } from "../../src/engine/ground/handles";
import { NAMES, closeFolder, openFolder } from "../../src/engine/ground/own-dir";
import type { OpenNote } from "../../src/engine/contents/sealing-input";
import { checkFolder } from "../../src/engine/upkeep/check";
import { Visit } from "../../src/engine/visiting/visit";
import { readGeneration, signGeneration, writeGeneration } from "../../src/format/generation";
import { writeHead } from "../../src/format/header";
import { type InsuranceLevel, SHARD_BYTES, dataShards, shardsOf } from "../../src/format/insurance";
import { type GroupFile, type InsuredMember, membersIn, readGroups, writeGroup } from "../../src/insurance/group-files";
import { insuranceFactsOf, priceOf, setInsurance } from "../../src/insurance/insure";
import { type RepairOutcome, repairFolder } from "../../src/engine/upkeep/repair";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { directorySource } from "../../src/rescue/directory-source";
import { openLocked } from "../../src/rescue/on-disk";
import { rescue } from "../../src/rescue/bring-out/to-directory";
import { crashingDisk } from "../support/crashing-disk";
import { SEED, randomFrom } from "../support/stride";
import { both, generationFiles, headAt, stateFile } from "../support/records";
import { usePlace } from "../support/place";
import { campaignDirectory } from "../support/scenes";
import { account, put } from "../support/visiting";
import { LEAST_COST } from "../../src/crypto/kdf";
import { PASSWORD, type Person, lock, makeMixedTree, newPerson, release, snapshot, unlock } from "../support/world";

const LEVEL: InsuranceLevel = { data: 20, parity: 2 };
const RUNS = process.env["EREMOS_DEEP"] === "1" ? 400 : 12;
let person: Person;
let folder: string;
usePlace((place) => ({ person, folder } = place), campaignDirectory);

const ownDir = (): string => path.join(folder, ".eremos");
const at = (name: string): string => path.join(ownDir(), name);
const repair = (): Promise<RepairOutcome> =>
  repairFolder(linuxDisk, { path: Buffer.from(folder), access: person.access, keptHeader: null }, silentHooks);

/** The group of the packs, and all of them. */
const packGroup = (): GroupFile["group"] =>
  groups().find(({ group }) => group.members.some(({ path: one }) => one.startsWith("packs/")))?.group ?? never();

function groups(): readonly GroupFile[] {
  const opened = openFolder(linuxDisk, Buffer.from(folder));
  try {
    return within(
      linuxDisk,
      linuxDisk.openDir(opened.ownDir ?? { handle: -1 }, NAMES.insurance),
      (dir) => readGroups(linuxDisk, dir).groups,
    );
  } finally {
    closeFolder(linuxDisk, opened);
  }
}

/** Every byte of packs and indexes. */
function objects(): Map<string, string> {
  const found = new Map<string, string>();
  for (const top of ["packs", "index"]) {
    for (const name of fs.readdirSync(at(top), { recursive: true, encoding: "utf8" }).sort())
      if (fs.statSync(at(`${top}/${name}`)).isFile())
        found.set(`${top}/${name}`, fs.readFileSync(at(`${top}/${name}`)).toString("base64"));
  }
  return found;
}

function change(name: string, edit: (bytes: Buffer) => Buffer): void {
  fs.writeFileSync(at(name), edit(fs.readFileSync(at(name))));
}

function flip(name: string, position: number): void {
  change(name, (bytes) => {
    bytes[position] = (bytes[position] ?? 0) ^ 0x10;
    return bytes;
  });
}

async function insured(level = LEVEL): Promise<string[]> {
  makeMixedTree(folder);
  const before = snapshot(folder);
  await lock(folder, person.owner);
  setInsurance(linuxDisk, Buffer.from(folder), level);
  return before;
}

/** The largest member and the stripe of each of its shards. */
function largest(): {
  readonly path: string;
  readonly first: number;
  readonly length: number;
  readonly group: GroupFile["group"];
} {
  const group = packGroup();
  let first = 0;
  const all = group.members.map((member) => {
    const here = { ...member, first, group };
    first += shardsOf(member.length);
    return here;
  });
  const [found] = all.sort((a, b) => b.length - a.length);
  if (!found) throw new TypeError("it has members");
  return found;
}

describe("an insured folder", () => {
  it("costs about what was said, covers everything, and is the same folder otherwise", async () => {
    const before = await insured();
    const facts = insuranceFactsOf(linuxDisk, Buffer.from(folder));
    const bytes = [...objects().values()].reduce((sum, text) => sum + Buffer.from(text, "base64").length, 0);
    expect(facts).toMatchObject({ level: LEVEL, covers: bytes, uncovered: 0, scattered: 2 });
    const packs = packGroup().members.reduce((sum, { length }) => sum + length, 0);
    const priced = priceOf(packs, LEVEL);
    expect(facts?.burst).toBe(priced.burst);
    expect((facts?.costs ?? 0) / priced.costs).toBeGreaterThan(0.99);
    // The index doubled, and the descriptions.
    expect((facts?.costs ?? 0) - priced.costs).toBeLessThan(40 * SHARD_BYTES);
    expect(await repair()).toEqual({ repaired: [], lost: [], ownDamage: false, bytes });
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("gives a whole burst back byte for byte, as long as it was said to; one longer is told with what it took", async () => {
    await insured();
    const whole = objects();
    const { path: name } = largest();
    const burst = insuranceFactsOf(linuxDisk, Buffer.from(folder))?.burst ?? 0;
    for (const start of [0, 1, SHARD_BYTES - 1, 123_457]) {
      change(name, (bytes) => bytes.fill(0xa5, start, start + burst));
      expect(await repair()).toMatchObject({ repaired: [{ path: name }], lost: [], ownDamage: false });
      expect(objects()).toEqual(whole);
    }
    change(name, (bytes) => bytes.fill(0xa5, 0, burst + 2 * SHARD_BYTES));
    const { lost } = await repair();
    expect(lost.map(({ path: one }) => one)).toEqual([name]);
    expect(lost[0]?.ranges[0]).toMatchObject({ from: 0 });
  });

  it("gives back files that are gone, cut off, too long or another's, the index and every record", async () => {
    const before = await insured({ data: 4, parity: 3 });
    const whole = snapshot(ownDir()).map((line) => line.replace(/mtime=\d+/, ""));
    const { path: name } = largest();
    const [index = ""] = fs.readdirSync(at("index"));
    const small = [...objects().keys()].filter((one) => one !== name && !one.startsWith("index/"));
    fs.rmSync(at("index"), { recursive: true });
    change(name, (bytes) => bytes.subarray(0, bytes.length - 3 * SHARD_BYTES));
    if (small[0]) change(small[0], (bytes) => Buffer.concat([bytes, Buffer.from("more")]));
    const spoilt = [
      ...both("header.json"),
      ...both(generationFiles(folder)[0] ?? ""),
      ...["slots", "manifests"].flatMap((directory) =>
        fs.readdirSync(at(directory)).map((one) => `${directory}/${one}`),
      ),
    ];
    for (const record of spoilt) fs.writeFileSync(at(record), "spoilt");
    const { repaired, lost } = await repair();
    expect(lost).toEqual([]);
    expect(repaired.map(({ path: one }) => one)).toEqual(
      expect.arrayContaining([`index/${index}`, name, ...spoilt.filter((one) => !one.startsWith("slots/"))]),
    );
    const strip = (lines: readonly string[]): string[] =>
      lines.map((line) => line.replace(/mtime=\d+/, "")).filter((line) => !/\/(lock|insurance)/.test(line));
    expect(strip(snapshot(ownDir()))).toEqual(strip(whole));
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("a reader without Eremos opens it by the insurance's copies of the records, where all others are gone", async () => {
    await insured();
    for (const record of [...both("header.json"), ...both(generationFiles(folder)[0] ?? "")]) fs.rmSync(at(record));
    const locked = await openLocked(directorySource(Buffer.from(folder)), {
      kind: "password",
      password: PASSWORD,
      folderPassword: null,
    });
    expect(locked.generation).toBe(1);
    locked.close();
  });

  it("readers without Eremos bring everything out whole, as far as the parity reaches, and change nothing", async () => {
    const before = await insured({ data: 8, parity: 4 });
    const { path: name, length } = largest();
    change(name, (bytes) =>
      Buffer.from(bytes)
        .fill(0x11, 60, 130)
        .fill(0xa5, 400_000, 700_000)
        .subarray(0, length - 50_000),
    );
    fs.rmSync(at("index"), { recursive: true });
    const spoilt = snapshot(ownDir());
    const to = `${folder} out`;
    const report = await rescue({
      folder: Buffer.from(folder),
      to: Buffer.from(to),
      secret: async () => ({ kind: "password", password: PASSWORD, folderPassword: null }),
      progress: () => undefined,
    });
    expect([report.damaged, report.generation]).toEqual([[], 1]);
    const contents = (lines: readonly string[]): string[] =>
      lines.slice(1).map((line) => line.replace(/(mtime=\d+)\d{3}/, "$1"));
    expect(contents(snapshot(to))).toEqual(contents(before));
    expect(snapshot(ownDir())).toEqual(spoilt);
  });

  it("mends its own copies of the records, the header's too, and says so", async () => {
    await insured();
    const own = fs
      .readdirSync(at("insurance"))
      .filter((name) => name.endsWith(".json") && !name.startsWith("level.") && !name.startsWith("state-"));
    expect(own).toContain("header.json");
    for (const name of own) fs.writeFileSync(at(`insurance/${name}`), "spoilt");
    const { repaired, lost } = await repair();
    expect([repaired.map(({ path: file }) => file).sort(), lost]).toEqual([
      own.map((name) => `insurance/${name}`).sort(),
      [],
    ]);
    expect((await repair()).repaired).toEqual([]);
  });

  it("mends damage in itself, in the parity and in either copy of its description", async () => {
    await insured();
    // Which of its groups comes first is chance, since their names are.
    for (const position of [
      (): number => 100,
      (size: number): number => size - 100,
      (size: number): number => Math.floor(size / 2),
    ]) {
      const [now = ""] = fs.readdirSync(at("insurance")).filter((one) => /^[0-9a-f]{32}$/.test(one));
      flip(`insurance/${now}`, position(fs.statSync(at(`insurance/${now}`)).size));
      expect(await repair()).toMatchObject({ repaired: [], lost: [], ownDamage: true });
      expect(await repair()).toMatchObject({ ownDamage: false });
      expect(groups()).toHaveLength(2);
    }
    const [now = ""] = fs.readdirSync(at("insurance")).filter((one) => /^[0-9a-f]{32}$/.test(one));
    change(`insurance/${now}`, (bytes) => bytes.fill(0));
    expect(await repair()).toMatchObject({ ownDamage: true });
    expect(groups()).toHaveLength(2);
    expect(await repair()).toMatchObject({ ownDamage: false });
  });

  it.each(["before", "after", "torn"] as const)(
    "a repair that is cut off (%s each change) makes nothing worse, and the next one ends it",
    async (mode) => {
      await insured();
      const whole = objects();
      const { path: name } = largest();
      for (let cut = 0; ; cut++) {
        change(name, (bytes) => bytes.fill(0x5a, 100_000, 150_000));
        change("header.json", () => Buffer.from("spoilt"));
        fs.rmSync(at("index"), { recursive: true });
        const crashing = crashingDisk(linuxDisk, cut, mode);
        try {
          await repairFolder(
            crashing.disk,
            { path: Buffer.from(folder), access: person.access, keptHeader: null },
            silentHooks,
          );
        } catch {
          // Cut off.
        }
        if (!crashing.crashed()) return expect(objects()).toEqual(whole);
        expect((await repair()).lost, `at ${cut}`).toEqual([]);
        expect(objects(), `at ${cut}`).toEqual(whole);
      }
    },
  );

  it("taken off, nothing of it is left; a folder that is open or no folder of Eremos refuses it", async () => {
    await insured();
    setInsurance(linuxDisk, Buffer.from(folder), null);
    expect(fs.existsSync(at("insurance"))).toBe(false);
    expect(insuranceFactsOf(linuxDisk, Buffer.from(folder))).toBeNull();
    await unlock(folder, person.access);
    expect(() => setInsurance(linuxDisk, Buffer.from(folder), LEVEL)).toThrow(
      expect.objectContaining({ code: "not-locked" }),
    );
  });
});

describe("as the folder changes", () => {
  it("every lock and every visit leaves it insured whole, what went is let go, and what did not change keeps its parity", async () => {
    await insured();
    const id = packGroup().group;
    const { note, folder: known } = await relocked();
    const again = await lock(folder, person.device, { folder: known, note });
    expect(groups().map(({ group }) => group.group)).not.toContain(id);
    expect(insuranceFactsOf(linuxDisk, Buffer.from(folder))).toMatchObject({ uncovered: 0 });
    const visit = await Visit.open(linuxDisk, {
      path: Buffer.from(folder),
      access: person.access,
      keptHeader: null,
      expected: null,
      accept: [],
      account,
      keepEarlier: 0,
    });
    put(visit, [], "new.txt", Buffer.from("new"));
    visit.commit();
    visit.close();
    expect(insuranceFactsOf(linuxDisk, Buffer.from(folder))).toMatchObject({ uncovered: 0 });
    expect(new Set(groups().flatMap(({ group }) => group.members.map(({ path: one }) => one)))).toEqual(
      new Set(objects().keys()),
    );
    expect(again.generation).toBe(2);
  });

  it("a large group is kept when little is new", async () => {
    fs.writeFileSync(path.join(folder, "film.bin"), Buffer.alloc(70 * 1024 * 1024, "film"));
    const { folder: known } = await lock(folder, person.owner);
    setInsurance(linuxDisk, Buffer.from(folder), LEVEL);
    const before = packGroup().group;
    const { note } = await unlock(folder, person.access);
    fs.writeFileSync(path.join(folder, "small.txt"), "little");
    await lock(folder, person.owner, { folder: known, note });
    expect(groups().map(({ group }) => group.group)).toContain(before);
    expect(groups()).toHaveLength(3);
    expect(insuranceFactsOf(linuxDisk, Buffer.from(folder))).toMatchObject({ uncovered: 0 });
  });
});

async function relocked(): Promise<{ readonly note: OpenNote | null; readonly folder: string }> {
  const { note } = await unlock(folder, person.access);
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas, it is no surprise any more");
  const { folder: known } = JSON.parse(fs.readFileSync(at(stateFile(folder)), "utf8")) as { folder: string };
  return { note, folder: known };
}

/**
 * What an insurance says that somebody else wrote, who can write to the folder: everything would come back as `edit`
 * makes it, from parity alone.
 */
function forge(
  edit: (ownDirCopy: string) => void,
  members: (known: readonly InsuredMember[]) => readonly InsuredMember[] = (known) => known,
): void {
  const copy = `${folder} forged`;
  fs.cpSync(ownDir(), copy, { recursive: true });
  edit(copy);
  const forged = within(linuxDisk, linuxDisk.openRoot(Buffer.from(copy)), (dir) =>
    within(linuxDisk, linuxDisk.openDir(dir, NAMES.insurance), (into) =>
      ["index/", "packs/"].map((kind) => {
        const some = members(membersIn(linuxDisk, dir)).filter(({ path: one }) => one.startsWith(kind));
        return some.length > 0 ? writeGroup(linuxDisk, dir, into, { data: 8, parity: 8 }, some).toString() : null;
      }),
    ),
  );
  for (const name of fs.readdirSync(at("insurance")))
    if (/^[0-9a-f]{32}$/.test(name)) fs.rmSync(at(`insurance/${name}`));
  for (const name of forged) if (name) fs.cpSync(path.join(copy, "insurance", name), at(`insurance/${name}`));
  fs.rmSync(copy, { recursive: true });
}

describe("written by somebody else", () => {
  const spoilAll = (copy: string): void => {
    for (const name of objects().keys())
      fs.writeFileSync(path.join(copy, name), fs.readFileSync(path.join(copy, name)).fill(0x77, 30));
  };

  it("replaces nothing that is whole, and is written anew", async () => {
    const before = await insured();
    const whole = objects();
    forge(spoilAll);
    expect(await repair()).toMatchObject({ repaired: [], lost: [], ownDamage: true });
    expect(objects()).toEqual(whole);
    expect(await repair()).toMatchObject({ repaired: [], lost: [], ownDamage: false });
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("puts nothing in a damaged file's place that has less of what was there, or none of it where the file is gone", async () => {
    await insured();
    const { path: name } = largest();
    forge(spoilAll);
    flip(name, 70_000);
    const damaged = objects();
    expect((await repair()).lost.map(({ path: one }) => one)).toContain(name);
    expect(objects()).toEqual(damaged);
    fs.rmSync(at(name));
    expect((await repair()).lost.map(({ path: one }) => one)).toContain(name);
    expect(fs.existsSync(at(name))).toBe(false);
    expect(fs.readdirSync(path.dirname(at(name))).filter((one) => one.endsWith(".new"))).toEqual([]);
  });

  it("brings nothing into the folder that no state of it needs, neither something made up nor an object of an earlier state", async () => {
    await insured();
    const [earlier = ""] = [...objects().keys()].filter((one) => one.startsWith("index/"));
    const bytes = fs.readFileSync(at(earlier));
    const { note, folder: known } = await relocked();
    await lock(folder, person.owner, { folder: known, note });
    const whole = objects();
    expect(whole.has(earlier)).toBe(false);
    const madeUp = `packs/aa/aa${"0".repeat(30)}`;
    forge((copy) => {
      fs.mkdirSync(path.join(copy, "packs/aa"), { recursive: true });
      fs.writeFileSync(path.join(copy, madeUp), Buffer.alloc(9000, 1));
      fs.writeFileSync(path.join(copy, earlier), bytes);
    });
    expect(await repair()).toMatchObject({ repaired: [], lost: [], ownDamage: true });
    expect(objects()).toEqual(whole);
  });

  it("needs no password of the folder's own, nor any key: what comes of it is what the states name by its digest", async () => {
    if (person.owner.by !== "owner") throw new TypeError("owner: signs in");
    makeMixedTree(folder);
    await lock(folder, { ...person.owner, password: { password: "gut strings", hint: null, cost: LEAST_COST } });
    setInsurance(linuxDisk, Buffer.from(folder), { data: 8, parity: 4 });
    const whole = objects();
    const { path: name } = largest();
    change(name, (bytes) => Buffer.from(bytes).fill(0xa5, 20, 9000));
    fs.rmSync(at("index"), { recursive: true });
    const { repaired, lost } = await repair();
    expect([repaired.length, lost]).toEqual([2, []]);
    expect(objects()).toEqual(whole);
    // An insurance that covers other bytes puts none of them in the place of what the states name.
    change(name, (bytes) => Buffer.from(bytes).fill(0, 112, 200));
    setInsurance(linuxDisk, Buffer.from(folder), null);
    setInsurance(linuxDisk, Buffer.from(folder), { data: 8, parity: 4 });
    change(name, () => Buffer.from(whole.get(name) ?? "", "base64"));
    expect(await repair()).toMatchObject({ repaired: [], lost: [], ownDamage: true });
    expect(objects()).toEqual(whole);
    await expect(release(folder, person.access)).rejects.toMatchObject({ code: "needs-folder-password" });
  });

  it("restores no header and no state that somebody else stands behind", async () => {
    const before = await insured();
    const other = `${folder} of another`;
    fs.mkdirSync(other);
    const stranger = await newPerson();
    await lock(other, stranger.owner);
    const kept = writeHead(headAt(folder));
    const [own = ""] = generationFiles(folder);
    const copied = at(`insurance/${own.replace("/", ".")}`);
    const taken = fs.readFileSync(at(own));
    for (const record of [...both("header.json"), own]) fs.writeFileSync(at(record), "spoilt");
    fs.cpSync(path.join(other, ".eremos", "header.json"), at("insurance/header.json"));
    fs.cpSync(path.join(other, ".eremos", generationFiles(other)[0] ?? ""), copied);
    const { repaired } = await repairFolder(
      linuxDisk,
      { path: Buffer.from(folder), access: person.access, keptHeader: kept },
      silentHooks,
    );
    expect(repaired.map(({ path: one }) => one).sort()).toEqual([
      "header.json",
      "header.twin.json",
      path.relative(at(""), copied),
    ]);
    expect(writeHead(headAt(folder))).toEqual(kept);
    expect(fs.readFileSync(at(own), "utf8")).toBe("spoilt");
    const { signatures: _signatures, ...unsigned } = readGeneration(taken);
    fs.writeFileSync(
      copied,
      writeGeneration(signGeneration(unsigned, { signer: person.access.owner.owner, key: stranger.device.device })),
    );
    expect((await repair()).repaired.map(({ path: one }) => one)).toEqual([path.relative(at(""), copied)]);
    expect(fs.readFileSync(copied)).toEqual(taken);
    expect(fs.readFileSync(at(own), "utf8")).toBe("spoilt");
    fs.writeFileSync(at(own), taken);
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
    fs.rmSync(other, { recursive: true });
  });
});

describe("damage at random, many times", () => {
  beforeEach(() => makeMixedTree(folder));
  it.each([
    { data: 20, parity: 2 },
    { data: 8, parity: 4 },
  ])(
    "with $parity of $data: exactly what the rule says is repaired, and everything else is named",
    async (level) => {
      await lock(folder, person.owner);
      setInsurance(linuxDisk, Buffer.from(folder), level);
      const whole = objects();
      let survived = 0;
      for (let run = 0; run < RUNS; run++) {
        const seed = SEED + run;
        const random = randomFrom(seed);
        const next = (below: number): number => Math.floor(random() * below);
        const group = packGroup();
        const bad = new Set<number>();
        let first = 0;
        const shards = group.members.map((member) => {
          const here = { ...member, first };
          first += shardsOf(member.length);
          return here;
        });
        const pick = (): (typeof shards)[number] => shards[next(shards.length)] ?? never();
        const spoil = (member: (typeof shards)[number], from: number, until: number): void => {
          if (until > from)
            for (let shard = Math.floor(from / SHARD_BYTES); shard <= Math.floor((until - 1) / SHARD_BYTES); shard++)
              bad.add(member.first + shard);
        };
        for (let hit = next(6); hit >= 0; hit--) {
          const member = pick();
          if (!fs.existsSync(at(member.path))) continue;
          const there = fs.statSync(at(member.path)).size;
          const kind = next(5);
          if (kind === 0) {
            fs.rmSync(at(member.path));
            spoil(member, 0, member.length);
          } else if (kind === 1 && there > 0) {
            const keep = next(there);
            fs.truncateSync(at(member.path), keep);
            spoil(member, keep, member.length);
          } else if (kind === 2 && there > 0) {
            const position = next(there);
            flip(member.path, position);
            spoil(member, position, position + 1);
          } else if (kind === 3 && there > 1) {
            const [from, length] = [next(there), 1 + next(Math.min(there, 300_000))];
            change(member.path, (bytes) => {
              for (let i = from; i < Math.min(there, from + length); i++) bytes[i] = (bytes[i] ?? 0) ^ 0xff;
              return bytes;
            });
            spoil(member, from, Math.min(there, from + length));
          } else {
            const other = pick();
            if (!fs.existsSync(at(other.path)) || other === member) continue;
            fs.writeFileSync(at(member.path), fs.readFileSync(at(other.path)));
            spoil(member, 0, member.length);
          }
        }
        const hits = Array.from(
          { length: group.stripes },
          (_, stripe) => [...bad].filter((number) => number % group.stripes === stripe).length,
        );
        const outcome = await repair();
        if (Math.max(0, ...hits) <= level.parity) {
          survived++;
          expect(outcome.lost, `seed ${seed}`).toEqual([]);
          expect(objects(), `seed ${seed}`).toEqual(whole);
        } else {
          const after = objects();
          const differs = [...whole]
            .filter(([name, content]) => after.get(name) !== content)
            .map(([name]) => name)
            .sort();
          expect(outcome.lost.map(({ path: name }) => name).sort(), `seed ${seed}`).toEqual(
            expect.arrayContaining(differs),
          );
          for (const [name, content] of whole) {
            fs.mkdirSync(path.dirname(at(name)), { recursive: true });
            fs.writeFileSync(at(name), Buffer.from(content, "base64"));
          }
        }
      }
      process.stdout.write(
        `${level.parity} of ${level.data}: ${survived} of ${RUNS} random damages were within the promise, all of them repaired byte for byte\n`,
      );
      expect(survived).toBeGreaterThan(0);
      expect(
        await checkFolder(
          linuxDisk,
          { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null },
          silentHooks,
        ),
      ).toMatchObject({ ok: true });
      expect(dataShards(packGroup())).toBeGreaterThan(100);
    },
    600_000,
  );
});

function never(): never {
  throw new TypeError("there is one");
}
