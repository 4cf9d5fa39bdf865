import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { Visit } from "../../src/engine/visiting/visit";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { type Place, usePlace } from "../support/place";
import { generationAt, generationFiles } from "../support/records";
import { campaignDirectory } from "../support/scenes";
import { FOLDER, account, dirAt, get, name, onDisk, put, shown } from "../support/visiting";
import { lock, makeMixedTree, release, snapshot, unlock } from "../support/world";

let { person, folder } = {} as Place;
usePlace((place) => ({ person, folder } = place), campaignDirectory);

const visit = (disk: Disk = linuxDisk, keepEarlier = 0): Promise<Visit> =>
  Visit.open(disk, {
    path: Buffer.from(folder),
    access: person.access,
    keptHeader: null,
    expected: null,
    accept: [],
    account,
    keepEarlier,
  });

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
    expect(snapshot(folder).filter((line) => !line.includes("/lock "))).toEqual(
      sealed.filter((line) => !line.includes("/lock ")),
    );
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
    expect(() => visiting.move(visiting.root, name("photos"), dirAt(visiting, "photos"), name("x"))).toThrow(
      "into itself",
    );
    for (const bad of ["", ".", "..", "a/b", "n\0l", "x".repeat(256)])
      expect(() => visiting.makeDir(visiting.root, name(bad))).toThrow("not a name");
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
    const objects = (): number =>
      fs
        .readdirSync(path.join(folder, ".eremos"), { recursive: true, withFileTypes: true })
        .filter((entry) => entry.isFile()).length;
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
    const indexBytes = (): number =>
      fs
        .readdirSync(path.join(folder, ".eremos", "index"))
        .reduce((most, file) => Math.max(most, fs.statSync(path.join(folder, ".eremos", "index", file)).size), 0);
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

  it("writes little for a small change in a large folder, compaction counted, in one visit and in one for each change", async () => {
    for (let i = 0; i < 6000; i++) {
      if (i % 100 === 0) fs.mkdirSync(path.join(folder, `letters ${i / 100}`));
      fs.writeFileSync(path.join(folder, `letters ${Math.floor(i / 100)}`, `letter of some length ${i}.txt`), "");
    }
    await lock(folder, person.owner, { folder: FOLDER });
    const whole =
      fs
        .readdirSync(path.join(folder, ".eremos", "index"))
        .map((file) => fs.statSync(path.join(folder, ".eremos", "index", file)).size)[0] ?? 0;
    let written = 0;
    const counting = new Proxy(linuxDisk, {
      get: (target, method: keyof Disk) =>
        method !== "write"
          ? target[method]
          : (...args: Parameters<Disk["write"]>) => {
              written += args[3];
              target.write(...args);
            },
    });
    const change = (visiting: Visit, i: number): void => {
      put(visiting, [`letters ${i % 60}`], `letter of some length ${(i % 60) * 100 + 3}.txt`, Buffer.alloc(10_000, i));
      visiting.commit();
    };
    const one = await visit(counting);
    written = 0;
    for (let i = 0; i < 80; i++) change(one, i);
    one.close();
    const inOne = written / 80;
    written = 0;
    for (let i = 0; i < 80; i++) {
      const visiting = await visit(counting);
      change(visiting, i * 7);
      visiting.close();
    }
    expect(whole).toBeGreaterThan(600_000);
    expect([inOne, written / 80].map((bytes) => bytes < 0.2 * whole)).toEqual([true, true]);
    expect(generationAt(folder, generationFiles(folder)[0] ?? "").index.segments.length).toBeGreaterThan(1);
    await release(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "letters 59", "letter of some length 5903.txt"))).toHaveLength(10_000);
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
    const differing = (of: Visit, generation: number): string[] =>
      of
        .changesSince(generation, 100)
        .map(({ kind, path: names }) => `${kind} ${Buffer.concat([...names]).toString("latin1")}`)
        .sort();
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
    await lock(folder, person.owner, { folder: FOLDER, note, keepEarlier: 1 });
    const fifth = await visit(linuxDisk, 1);
    expect(differing(fifth, fifth.earlier()[0]?.generation ?? 0)).toEqual(["added by hand.txt"]);
    fifth.close();
  });

  it("an upload that falls short, goes beyond what was announced or is given up leaves nothing behind", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
    await lock(folder, person.owner, { folder: FOLDER });
    const packs = (): number =>
      fs
        .readdirSync(path.join(folder, ".eremos", "packs"), { recursive: true })
        .filter((entry) => entry.toString().length > 3).length;
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
