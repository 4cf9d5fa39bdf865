import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { EremosError } from "../src/errors/eremos-error";
import { locateFolder } from "../src/engine/locate";
import { recoverFolder } from "../src/engine/recover";
import { type DirNode, Visit } from "../src/engine/visit";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import type { Disk } from "../src/platform/port";
import { crashingDisk, failingDisk } from "./crashing-disk";
import { campaignDirectory } from "./scenes";
import { type Person, lock, makeMixedTree, newDirectory, newPerson, release, removeDirectory, snapshot, unlock } from "./world";

const DEEP = process.env["EREMOS_DEEP"] === "1";
const FOLDER = Buffer.alloc(16, 3).toString("base64url");

let person: Person;
let base: string;
let folder: string;
beforeAll(async () => {
  person = await newPerson();
});
beforeEach(() => {
  base = newDirectory(campaignDirectory());
  folder = path.join(base, "Payroll");
  fs.mkdirSync(folder);
});
afterEach(() => removeDirectory(path.dirname(base)));

const account = { uid: process.getuid?.() ?? 0, gid: process.getgid?.() ?? 0 };
const visit = (disk: Disk = linuxDisk, keep = 0): Promise<Visit> => Visit.open(disk, { path: Buffer.from(folder), access: person.access, keptHeader: null, account, keep });
const name = (text: string): Buffer => Buffer.from(text);

function dirAt(of: Visit, ...names: readonly string[]): DirNode {
  const node = of.find(names.map(name));
  if (node?.kind !== "dir") throw new Error(`${names.join("/")} is no directory`);
  return node;
}

function put(of: Visit, parents: readonly string[], file: string, content: Buffer, length: number | null = content.length): void {
  const upload = of.write(parents.map(name), name(file), length);
  for (let at = 0; at < content.length; at += 300_000) upload.append(content.subarray(at, at + 300_000));
  of.add(dirAt(of, ...parents), upload.finish());
}

function get(of: Visit, ...names: readonly string[]): Buffer {
  const node = of.find(names.map(name));
  if (node?.kind !== "file") throw new Error(`${names.join("/")} is no file`);
  const bytes = Buffer.alloc(node.size);
  expect(of.read(node, 0, bytes)).toBe(node.size);
  return bytes;
}

/** Names, kinds and contents, as a visit shows them. */
function shown(of: Visit): string[] {
  const lines: string[] = [];
  const walk = (dir: DirNode, at: readonly string[]): void => {
    for (const node of of.list(dir)) {
      const here = [...at, node.name.toString("latin1")];
      lines.push(`${here.join("/")} ${node.kind} ${node.kind === "file" ? contentOf(of, node) : ""}`);
      if (node.kind === "dir") walk(node, here);
    }
  };
  walk(of.root, []);
  return lines.sort();
}

function contentOf(of: Visit, file: Parameters<Visit["read"]>[0]): string {
  const bytes = Buffer.alloc(file.size);
  of.read(file, 0, bytes);
  return bytes.toString("latin1");
}

/** The same of a real directory. */
function onDisk(directory: string): string[] {
  const lines: string[] = [];
  const walk = (at: Buffer, shownAt: string): void => {
    for (const entry of fs.readdirSync(at, { encoding: "buffer" })) {
      if (entry.toString() === ".eremos") continue;
      const here = Buffer.concat([at, Buffer.from("/"), entry]);
      const stat = fs.lstatSync(here);
      const kind = stat.isDirectory() ? "dir" : stat.isFile() ? "file" : "link";
      const line = `${shownAt}${entry.toString("latin1")}`;
      lines.push(`${line} ${kind} ${kind === "file" ? fs.readFileSync(here, "latin1") : ""}`);
      if (kind === "dir") walk(here, `${line}/`);
    }
  };
  walk(Buffer.from(directory), "");
  return lines.sort();
}

describe("a visit", () => {
  it("shows everything in a sealed folder without decrypting it to disk, and leaves it byte for byte as it was where nothing is changed", async () => {
    makeMixedTree(folder);
    const before = snapshot(folder);
    const plain = onDisk(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    const sealed = snapshot(folder);
    const visiting = await visit();
    await expect(visit()).rejects.toMatchObject({ code: "busy" });
    expect(shown(visiting)).toEqual(plain);
    visiting.close();
    expect(snapshot(folder).filter((line) => !line.includes("/lock "))).toEqual(sealed.filter((line) => !line.includes("/lock ")));
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("makes, writes, replaces, renames, moves, copies and removes; each commit is a generation that an opening brings back", async () => {
    makeMixedTree(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    const visiting = await visit();
    put(visiting, ["photos"], "new.bin", Buffer.alloc(2_500_000, "new"));
    visiting.commit();
    put(visiting, [], "letter.txt", Buffer.from("Dear Mara"), null);
    put(visiting, [], "streamed.bin", Buffer.alloc(1_700_000, "streamed"), null);
    visiting.commit();
    visiting.makeDir(visiting.root, name("Ordner ü"));
    visiting.move(dirAt(visiting, "photos"), name("deep"), dirAt(visiting, "Ordner ü"), name("tief"));
    visiting.commit();
    visiting.copy(dirAt(visiting, "photos"), visiting.root, name("photos again"));
    visiting.remove(visiting.root, name("script.sh"));
    visiting.commit();
    expect(() => visiting.makeDir(visiting.root, name("photos"))).toThrow("already");
    expect(() => visiting.move(visiting.root, name("photos"), dirAt(visiting, "photos"), name("x"))).toThrow("into itself");
    for (const bad of ["", ".", "..", "a/b", "n\0l", "x".repeat(256)]) expect(() => visiting.makeDir(visiting.root, name(bad))).toThrow("not a name");
    expect(get(visiting, "Ordner ü", "tief", "er", "still", "note.md").toString()).toBe("# Note\n");
    expect(visiting.committed.generation).toBe(5);
    const { files, bytes } = visiting.committed;
    const now = shown(visiting);
    visiting.close();
    const opened = await unlock(folder, person.access);
    expect([opened.files, opened.bytes]).toEqual([files, bytes]);
    expect(onDisk(folder)).toEqual(now);
    expect(fs.statSync(path.join(folder, "letter.txt")).nlink).toBe(1);
    expect(fs.statSync(path.join(folder, "photos", "new.bin")).mode & 0o777).toBe(0o644);
  });

  it("undoes change by change, and keeps nothing that is not needed when it ends", async () => {
    makeMixedTree(folder);
    const before = onDisk(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    const objects = (): number => fs.readdirSync(path.join(folder, ".eremos"), { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile()).length;
    const count = objects();
    const visiting = await visit();
    put(visiting, [], "one.bin", Buffer.alloc(1_200_000, 1));
    visiting.commit();
    const between = shown(visiting);
    visiting.remove(visiting.root, name("photos"));
    visiting.commit();
    visiting.undo();
    expect(shown(visiting)).toEqual(between);
    visiting.undo();
    expect(shown(visiting)).toEqual(before);
    expect(visiting.undoable).toBe(0);
    expect(() => visiting.undo()).toThrow("nothing to undo");
    visiting.close();
    expect(objects()).toBe(count);
    await release(folder, person.access);
    expect(onDisk(folder)).toEqual(before);
  });

  it("writes the index anew when it has grown too much, and only what differs otherwise", async () => {
    for (let i = 0; i < 400; i++) fs.writeFileSync(path.join(folder, `${"long name ".repeat(20)}${i}`), "");
    await lock(folder, person.owner, { folder: FOLDER });
    const visiting = await visit();
    const indexBytes = (): number => fs.readdirSync(path.join(folder, ".eremos", "index")).reduce((most, file) => Math.max(most, fs.statSync(path.join(folder, ".eremos", "index", file)).size), 0);
    const first = indexBytes();
    const sizes: number[] = [];
    for (let i = 0; i < 60; i++) {
      put(visiting, [], `file ${i}`, Buffer.from(String(i)));
      visiting.commit();
      sizes.push(indexBytes());
    }
    expect(Math.max(...sizes)).toBeLessThan(2 * first + 1_500_000);
    expect(visiting.list(visiting.root).length).toBe(460);
    const now = shown(visiting);
    visiting.close();
    expect(indexBytes()).toBeLessThan(1.5 * first);
    await release(folder, person.access);
    expect(onDisk(folder)).toEqual(now);
  });

  it("keeps so many earlier states, tells what differs, and puts back one file, one directory or everything", async () => {
    makeMixedTree(folder);
    const plain = onDisk(folder);
    await lock(folder, person.device, { folder: FOLDER });
    const first = await visit(linuxDisk, 2);
    put(first, [], "letter.txt", Buffer.from("Dear Mara"));
    first.remove(first.root, name("photos"));
    put(first, [], "new.bin", Buffer.alloc(2_000_000, "new"));
    first.commit();
    const differing = (of: Visit, generation: number): string[] => of.changesSince(generation, 100).map(({ kind, path: names }) => `${kind} ${Buffer.concat([...names]).toString("latin1")}`).sort();
    expect(differing(first, 1)).toEqual(["added new.bin", "changed letter.txt", "removed photos"]);
    expect(differing(first, 1)).toHaveLength(3);
    first.close();

    const second = await visit(linuxDisk, 2);
    const [earlier] = second.earlier();
    expect(earlier).toMatchObject({ generation: 1, files: plain.filter((line) => line.includes(" file ")).length });
    expect(earlier?.ownBytes).toBeGreaterThan(1_000_000);
    second.putBack(1, [[name("photos"), name("deep")], [name("letter.txt")]]);
    second.commit();
    expect(get(second, "letter.txt").toString()).toContain("Dear Jonas");
    expect(get(second, "photos", "deep", "er", "still", "note.md").toString()).toBe("# Note\n");
    expect(second.find([name("photos"), name("large.bin")])).toBeNull();
    second.putBack(1, null);
    second.commit();
    expect(shown(second)).toEqual(plain);
    second.undo();
    expect(second.find([name("new.bin")])?.kind).toBe("file");
    second.putBack(1, null);
    second.commit();
    second.close();

    const third = await visit(linuxDisk, 1);
    expect(third.earlier().length).toBeGreaterThan(0);
    expect(() => third.changesSince(77, 10)).toThrow("not kept any more");
    put(third, [], "last.txt", Buffer.from("last"));
    third.commit();
    third.close();
    const fourth = await visit(linuxDisk, 1);
    expect(fourth.earlier()).toHaveLength(1);
    expect(differing(fourth, fourth.earlier()[0]?.generation ?? 0)).toEqual(["added last.txt"]);
    fourth.remove(fourth.root, name("last.txt"));
    fourth.close();
    const { note } = await unlock(folder, person.access, {});
    fs.writeFileSync(path.join(folder, "by hand.txt"), "written while it lay open");
    await lock(folder, person.owner, { folder: FOLDER, note, keep: 1 });
    const fifth = await visit(linuxDisk, 1);
    expect(differing(fifth, fifth.earlier()[0]?.generation ?? 0)).toEqual(["added by hand.txt"]);
    fifth.close();
  });

  it("an upload that falls short, goes beyond what was announced or is given up leaves nothing behind", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
    await lock(folder, person.owner, { folder: FOLDER });
    const packs = (): number => fs.readdirSync(path.join(folder, ".eremos", "packs"), { recursive: true }).filter((entry) => entry.toString().length > 3).length;
    const visiting = await visit();
    const short = visiting.write([], name("a"), 2_000_000);
    short.append(Buffer.alloc(1_900_000));
    expect(() => short.finish()).toThrow("Less was sent");
    short.abort();
    const long = visiting.write([], name("b"), 10);
    expect(() => long.append(Buffer.alloc(11))).toThrow("More was sent");
    long.abort();
    const unknown = visiting.write([], name("c"), null);
    unknown.append(Buffer.alloc(3_000_000));
    unknown.abort();
    expect(packs()).toBe(1);
    expect(visiting.committed.generation).toBe(1);
    visiting.close();
    await release(folder, person.access);
    expect(onDisk(folder)).toEqual(["letter.txt file Dear Jonas"]);
  });
});

const EDITS = ["put", "replace", "remove", "makeDir", "move", "copy", "undo"] as const;

/** One of the changes a person makes, at random; the model is what the visit itself showed before. */
function edit(of: Visit, random: () => number): void {
  const dirs: DirNode[] = [];
  const collect = (dir: DirNode): void => {
    dirs.push(dir);
    for (const node of of.list(dir)) if (node.kind === "dir") collect(node);
  };
  collect(of.root);
  const any = <T>(from: readonly T[]): T => from[Math.floor(random() * from.length)] as T;
  const [dir, other] = [any(dirs), any(dirs)];
  const node = any(of.list(dir));
  const fresh = name(`new ${Math.floor(random() * 1e6)}`);
  const pathOf = (at: DirNode): Buffer[] => (at.parent ? [...pathOf(at.parent), at.name] : []);
  const write = (as: Buffer): void => {
    const content = Buffer.alloc(Math.floor(random() ** 3 * 1_500_000), Math.floor(random() * 256));
    const upload = of.write(pathOf(dir), as, random() < 0.5 ? content.length : null);
    upload.append(content);
    of.add(dir, upload.finish());
  };
  const kind = any(EDITS);
  if (kind === "put" || !node) write(fresh);
  else if (kind === "replace" && node.kind === "file") write(node.name);
  else if (kind === "remove") of.remove(dir, node.name);
  else if (kind === "makeDir") of.makeDir(dir, fresh);
  else if (kind === "move") try {
    of.move(dir, node.name, other, fresh);
  } catch (error) {
    expect(String(error)).toContain("into itself");
  }
  else if (kind === "copy") of.copy(node, of.root, fresh);
}

function seeded(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 4294967296;
  };
}

it.each(Array.from({ length: DEEP ? 40 : 4 }, (_, seed) => seed))("random changes, seed %i: what a visit shows is what an opening brings", async (seed) => {
  makeMixedTree(folder);
  const random = seeded(seed * 7919 + 1);
  await lock(folder, seed % 2 === 0 ? person.owner : person.device, { folder: FOLDER });
  for (let round = 0; round < 3; round++) {
    const visiting = await visit(linuxDisk, seed % 3);
    const states = [shown(visiting)];
    for (let i = 0; i < 12; i++) {
      edit(visiting, random);
      if (random() < 0.7) {
        const before = visiting.committed.generation;
        visiting.commit();
        if (visiting.committed.generation > before) states.push(shown(visiting));
      }
    }
    visiting.commit();
    if (JSON.stringify(states.at(-1)) !== JSON.stringify(shown(visiting))) states.push(shown(visiting));
    if (random() < 0.5 && visiting.undoable > 0) {
      visiting.undo();
      states.pop();
      expect(shown(visiting)).toEqual(states.at(-1));
    }
    const now = shown(visiting);
    visiting.close();
    const again = await visit();
    expect(shown(again)).toEqual(now);
    again.close();
    const { note } = await unlock(folder, person.access);
    expect(onDisk(folder)).toEqual(now);
    await lock(folder, person.owner, { folder: FOLDER, note, keep: seed % 3 });
  }
});

/** Changes, one after the other, each with its commit; what is shown after each. */
async function changes(on: Disk, seen: string[][]): Promise<void> {
  const visiting = await visit(on, 1);
  const step = (change: () => void): void => {
    change();
    visiting.commit();
    seen.push(shown(visiting));
  };
  try {
    seen.push(shown(visiting));
    step(() => put(visiting, [], "large.bin", Buffer.alloc(1_200_000, "l")));
    step(() => put(visiting, ["inner"], "letter.txt", Buffer.from("Dear Mara"), null));
    step(() => visiting.move(visiting.root, name("inner"), visiting.root, name("outer")));
    step(() => visiting.remove(dirAt(visiting, "outer"), name("letter.txt")));
    step(() => visiting.undo());
  } finally {
    visiting.close();
  }
}

async function sealSmall(): Promise<void> {
  fs.mkdirSync(path.join(folder, "inner"));
  fs.writeFileSync(path.join(folder, "inner", "letter.txt"), "Dear Jonas");
  await lock(folder, person.owner, { folder: FOLDER });
}

/** What is shown after each change, where nothing goes wrong; the folder is empty again afterwards. */
async function expectedStates(): Promise<string[][]> {
  const states: string[][] = [];
  await sealSmall();
  await changes(linuxDisk, states);
  emptyFolder();
  return states;
}

function emptyFolder(): void {
  fs.rmSync(folder, { recursive: true });
  fs.mkdirSync(folder);
}

/** What the folder holds now, by a new visit and by opening it, which must agree. */
async function contentsNow(): Promise<string[]> {
  recoverFolder(linuxDisk, locateFolder(linuxDisk, Buffer.from(folder), FOLDER)?.realPath ?? Buffer.from(folder));
  const again = await visit();
  const now = shown(again);
  again.close();
  await release(folder, person.access);
  expect(onDisk(folder)).toEqual(now);
  return now;
}

describe.each(["before", "after", "torn"] as const)("killed at every operation of a visit, %s", (mode) => {
  it("the folder is as it was before the change, or after it", async () => {
    const states = await expectedStates();
    for (let at = 0; ; at += DEEP ? 1 : 9) {
      await sealSmall();
      const crashing = crashingDisk(linuxDisk, at, mode);
      const seen: string[][] = [];
      await changes(crashing.disk, seen).catch((error: unknown) => {
        if (!crashing.crashed()) throw error;
      });
      const now = await contentsNow();
      expect([states[Math.max(0, seen.length - 1)], states[seen.length]], `crash at operation ${at}`).toContainEqual(now);
      if (!crashing.crashed()) return;
      emptyFolder();
    }
  });
});

describe.each(["EIO", "ENOSPC"] as const)("any single call fails with %s", (code) => {
  it("the change is refused and the folder is as it was before it, or it is made", async () => {
    const states = await expectedStates();
    for (let at = 3; ; at += DEEP ? 1 : 31) {
      await sealSmall();
      const failing = failingDisk(linuxDisk, at, code);
      const seen: string[][] = [];
      const failure = await changes(failing.disk, seen).then(() => null, (error: unknown) => error);
      if (failure !== null && !(failure instanceof EremosError)) expect(failure).toMatchObject({ code });
      const now = await contentsNow();
      expect([states[Math.max(0, seen.length - 1)], states[seen.length]], `call ${at} (${failing.failed()})`).toContainEqual(now);
      if (failing.failed() === null) return;
      emptyFolder();
    }
  });
});
