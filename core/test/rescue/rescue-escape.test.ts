import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { fromBase64, randomBytes } from "../../src/crypto/bytes";
import { newBatch, newId } from "../../src/format/ids";
import { ensureDir } from "../../src/engine/ground/small-files";
import { closeFolder, openFolder } from "../../src/engine/ground/own-dir";
import { ObjectWriter } from "../../src/engine/records/object-io";
import { ByteWriter } from "../../src/format/byte-stream";
import { dropKeyName, sealDropKey, writeDrop } from "../../src/format/drop-record";
import { readHeader } from "../../src/format/header";
import { ContentKeys } from "../../src/format/object";
import { newFrame } from "../../src/format/record-file";
import { TreeReader, TreeWriter, fileEntry, newMeta, sourceOf, writePackRecord } from "../../src/format/tree";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { rescue } from "../../src/rescue/bring-out/to-directory";
import { usePlace } from "../support/place";
import { type Person, lock, newPerson, unlock } from "../support/world";

let person: Person;
let base: string;
let folder: string;
usePlace((place) => ({ person, base, folder } = place));

const FOLDER = newId();
const META = newMeta({ mode: 0o644, uid: 0, gid: 0, mtimeNs: 0n, atimeNs: 0n });
const byCode = async (): Promise<{ kind: "code"; code: string }> => ({ kind: "code", code: person.code });

/** A drop whose name the forger chose, sealed to the folder's public key as any other. */
async function forgeDrop(directory: string, name: string): Promise<void> {
  const { publicKey } = readHeader(fs.readFileSync(path.join(folder, ".eremos", "header.json")));
  const [secret, key] = [randomBytes(32), newId()];
  const sealed = await sealDropKey({ folder: FOLDER, key }, secret, fromBase64(publicKey));
  const held = openFolder(linuxDisk, Buffer.from(folder));
  if (!held.ownDir) throw new Error("no ownDir");
  linuxDisk.closeDir(ensureDir(linuxDisk, held.ownDir, Buffer.from("drops")));
  const writer = new ObjectWriter(
    linuxDisk,
    held.ownDir,
    "drop",
    new ContentKeys(dropKeyName({ key }), secret, FOLDER),
    { folder: FOLDER, number: 1, batch: newBatch() },
  );
  const record = new ByteWriter();
  const content = Buffer.from("echo taken over\n");
  writePackRecord(
    record,
    writer.marker,
    Buffer.from(directory),
    fileEntry({ name: Buffer.from(name), meta: META, size: content.length }),
    content.length,
  );
  writer.append(record.finish());
  writer.append(content);
  const { object, length } = writer.finish();
  closeFolder(linuxDisk, held);
  fs.writeFileSync(
    path.join(folder, ".eremos", "drops", `${key}.json`),
    writeDrop({
      ...newFrame("eremos-drop"),
      folder: FOLDER,
      key,
      sealed,
      object,
      length,
      at: 1,
      author: null,
      moved: false,
      undo: null,
      signature: null,
    }),
  );
}

describe("what is brought out", () => {
  it.each([
    ["", "../../.bash_profile"],
    ["../", "x"],
    ["a/../../", "x"],
    ["", ".."],
    ["/etc/", "x"],
    ["", ""],
  ])("stays in its directory: a drop of %j and %j is none", async (directory, name) => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "mine");
    await lock(folder, person.owner, { folder: FOLDER });
    await forgeDrop(directory, name);
    const to = path.join(base, "deep", "out");
    await rescue({ folder: Buffer.from(folder), to: Buffer.from(to), secret: byCode });
    expect(fs.readdirSync(to)).toEqual(["letter.txt"]);
    expect(fs.readdirSync(base).sort()).toEqual(["Payroll", "deep"]);
    // Opened in place, it is none either.
    await unlock(folder, person.access);
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "letter.txt"]);
    expect(fs.readdirSync(base).sort()).toEqual(["Payroll", "deep"]);
  });

  it("a well-named drop comes out", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "mine");
    await lock(folder, person.owner, { folder: FOLDER });
    await forgeDrop("", "from Mira.txt");
    const to = path.join(base, "out");
    await rescue({ folder: Buffer.from(folder), to: Buffer.from(to), secret: byCode });
    expect(fs.readdirSync(to).sort()).toEqual(["from Mira.txt", "letter.txt"]);
  });

  it("follows no link that somebody puts in a directory's place meanwhile, and goes on with the rest, which it says", async () => {
    fs.mkdirSync(path.join(folder, "photos"));
    for (const name of ["photos/a.txt", "photos/b.txt", "photos/c.txt", "z.txt"])
      fs.writeFileSync(path.join(folder, name), name);
    await lock(folder, person.owner, { folder: FOLDER });
    const [to, victim] = [path.join(base, "out"), path.join(base, "autostart")];
    fs.mkdirSync(victim);
    let isPlanted = false;
    const report = await rescue({
      folder: Buffer.from(folder),
      to: Buffer.from(to),
      secret: byCode,
      progress: ({ files }) => {
        if (files !== 1 || isPlanted) return;
        isPlanted = true;
        fs.renameSync(path.join(to, "photos"), path.join(base, "moved away"));
        fs.symlinkSync(victim, path.join(to, "photos"));
      },
    });
    expect(isPlanted).toBe(true);
    expect(fs.readdirSync(victim)).toEqual([]);
    expect(fs.readFileSync(path.join(to, "z.txt"), "utf8")).toBe("z.txt");
    expect(report.notGiven.join()).toContain("something else was put in the place");
  });

  it("a directory planted in a file's place stops nothing: the file comes out under another name, which is told", async () => {
    for (const name of ["a.txt", "b.txt"]) fs.writeFileSync(path.join(folder, name), name);
    await lock(folder, person.owner, { folder: FOLDER });
    const to = path.join(base, "out");
    const report = await rescue({
      folder: Buffer.from(folder),
      to: Buffer.from(to),
      secret: byCode,
      progress: ({ files }) => files === 1 && fs.mkdirSync(path.join(to, "b.txt"), { recursive: true }),
    });
    expect(fs.readFileSync(path.join(to, "b (brought out).txt"), "utf8")).toBe("b.txt");
    expect(report.notGiven.join()).toContain("b.txt: something else has taken its name");
  });

  it("copies no file that a link in an open folder's contents leads to, and waits for no pipe", async () => {
    const secret = path.join(base, "private");
    fs.writeFileSync(secret, "private");
    fs.symlinkSync(secret, path.join(folder, "link"));
    fs.writeFileSync(path.join(folder, "letter.txt"), "mine");
    await lock(folder, person.owner, { folder: FOLDER });
    await unlock(folder, person.access);
    const { spawnSync } = await import("node:child_process");
    spawnSync("mkfifo", [path.join(folder, "pipe"), path.join(folder, ".directory")]);
    const to = path.join(base, "out");
    const report = await rescue({ folder: Buffer.from(folder), to: Buffer.from(to), secret: byCode });
    expect(fs.lstatSync(path.join(to, "link")).isSymbolicLink()).toBe(true);
    expect(report.notGiven.join()).toContain("pipe: neither a file, a folder nor a link");
  });

  it("of somebody unknown is brought out only for whoever knows who locked it", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "planted");
    await lock(
      folder,
      { by: "device", owner: person.access.owner, device: (await newPerson()).device.device },
      { folder: FOLDER },
    );
    const to = path.join(base, "out");
    await expect(rescue({ folder: Buffer.from(folder), to: Buffer.from(to), secret: byCode })).rejects.toMatchObject({
      code: "unvouched",
    });
    expect(fs.existsSync(to)).toBe(false);
    const report = await rescue({
      folder: Buffer.from(folder),
      to: Buffer.from(to),
      secret: byCode,
      acceptUnknown: true,
    });
    expect(report.problems.join()).toContain("somebody unknown");
    expect(fs.readFileSync(path.join(to, "letter.txt"), "utf8")).toBe("planted");
  });
});

it("an index with one name twice is damaged: a link could lead what comes after it elsewhere", () => {
  const writer = new TreeWriter();
  const link = { kind: "link" as const, name: Buffer.from("a"), meta: META, target: Buffer.from("/home") };
  const listing = writer.listing([link, { ...link, target: Buffer.from("/etc") }]);
  const { bytes, record } = writer.finish(
    { kind: "dir", name: Buffer.from("F"), meta: META, listing },
    new Map(),
    0,
    0,
  );
  const tree = new TreeReader(sourceOf(bytes), record);
  expect(() => tree.list(tree.root)).toThrow(expect.objectContaining({ code: "damaged" }));
});
