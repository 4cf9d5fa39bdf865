import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach, describe, expect, it, vi } from "vitest";
import type { Progress } from "../../src/engine/ground";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { recoverFolder } from "../../src/engine/guards/recover";
import { releaseOpenFolder } from "../support/guarding";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import {
  PAGE,
  type Person,
  lock,
  makeMixedTree,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";

let person: Person;
let base: string;
let folder: string;

beforeAll(async () => {
  person = await newPerson();
});
beforeEach(() => {
  base = newDirectory();
  folder = path.join(base, "Payroll");
  fs.mkdirSync(folder);
  makeMixedTree(folder);
});
afterEach(() => removeDirectory(base));

describe("a folder locked in place", () => {
  it("holds nothing readable but the page, and comes back exactly", async () => {
    const before = snapshot(folder);
    const locked = await lock(folder, person.owner);
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    expect(fs.readFileSync(path.join(folder, "Locked with Eremos.html"))).toEqual(PAGE);
    expect(locked.files).toBe(10);

    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
    expect(fs.readdirSync(base)).toEqual(["Payroll"]);
  });

  it("hidden in place leaves nothing of its name, and comes back at its path", async () => {
    const before = snapshot(folder);
    const locked = await lock(folder, person.owner, { visibility: "hidden" });
    const [name] = fs.readdirSync(base);
    expect(name).toMatch(/^\.[0-9a-f]{20}$/);
    expect(locked.realPath.toString()).toBe(path.join(base, name ?? ""));
    expect(fs.readdirSync(locked.realPath)).toEqual([".eremos"]);

    const opened = await unlock(locked.realPath, person.access);
    expect(opened.path.toString()).toBe(folder);
    await releaseOpenFolder(linuxDisk, opened.path);
    expect(snapshot(folder)).toEqual(before);
    expect(fs.readdirSync(base)).toEqual(["Payroll"]);
  });

  it("keeps every change made while open, signed in and signed out", async () => {
    for (const signer of [person.owner, person.device]) {
      const first = await lock(folder, signer);
      const opened = await unlock(folder, person.access);
      fs.appendFileSync(path.join(folder, "letter.txt"), "PS: it is a half-size.\n");
      fs.renameSync(path.join(folder, "script.sh"), path.join(folder, "renamed.sh"));
      fs.rmSync(path.join(folder, "empty.dat"));
      fs.mkdirSync(path.join(folder, "new"));
      fs.writeFileSync(path.join(folder, "new/file"), "new");
      fs.utimesSync(path.join(folder, "photos/scroll.png"), 5, 5);
      const changed = snapshot(folder, { withoutOwnDir: true });
      const second = await lock(folder, signer, { folder: first.folder, note: opened.note });
      expect(second.generation).toBe(2);
      await release(folder, person.access);
      expect(snapshot(folder)).toEqual(changed);
      fs.writeFileSync(path.join(folder, "empty.dat"), "");
      fs.renameSync(path.join(folder, "renamed.sh"), path.join(folder, "script.sh"));
      fs.rmSync(path.join(folder, "new"), { recursive: true });
    }
  });

  it("notices an edit that kept size and modification time", async () => {
    const first = await lock(folder, person.owner);
    const opened = await unlock(folder, person.access);
    const file = path.join(folder, "photos/scroll.png");
    const { atimeMs, mtimeMs } = fs.statSync(file);
    const fd = fs.openSync(file, "r+");
    fs.writeSync(fd, "EDIT", 100);
    fs.closeSync(fd);
    fs.utimesSync(file, atimeMs / 1000, mtimeMs / 1000);
    await lock(folder, person.owner, { folder: first.folder, note: opened.note });
    await release(folder, person.access);
    expect(fs.readFileSync(file).subarray(100, 104).toString()).toBe("EDIT");
  });

  it("makes no new generation and writes no content when nothing changed", async () => {
    const first = await lock(folder, person.owner);
    const packs = fs.readdirSync(path.join(folder, ".eremos/packs"), { recursive: true });
    const opened = await unlock(folder, person.access);
    const second = await lock(folder, person.owner, { folder: first.folder, note: opened.note });
    expect([second.generation, second.digest]).toEqual([first.generation, first.digest]);
    expect(fs.readdirSync(path.join(folder, ".eremos/packs"), { recursive: true })).toEqual(packs);
  });

  it("opens with the recovery code alone, from the header in the folder", async () => {
    const { readHeader } = await import("../../src/format/header");
    const { openWithCode } = await import("../../src/format/owner");
    const before = snapshot(folder);
    await lock(folder, person.device);
    const header = readHeader(fs.readFileSync(path.join(folder, ".eremos/header.json")));
    const { rootKey } = await openWithCode(header.owner, person.code);
    await release(folder, { owner: header.owner, rootKey, folderKey: null, devices: person.access.devices });
    expect(snapshot(folder)).toEqual(before);
  });

  it("keeps what appears in it while locked", async () => {
    await lock(folder, person.owner);
    fs.writeFileSync(path.join(folder, "letter.txt"), "a newcomer");
    fs.writeFileSync(path.join(folder, "other.txt"), "another");
    expect(inspectFolder(linuxDisk, Buffer.from(folder))?.arrivals).toBe(2);
    await unlock(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toContain("Dear Jonas");
    expect(fs.readFileSync(path.join(folder, "letter (arrived while locked).txt"), "utf8")).toBe("a newcomer");
    expect(fs.readFileSync(path.join(folder, "other.txt"), "utf8")).toBe("another");
  });

  it("stops when its ordinary path is taken, and stays locked", async () => {
    const locked = await lock(folder, person.owner, { visibility: "hidden" });
    fs.mkdirSync(folder);
    await expect(unlock(locked.realPath, person.access)).rejects.toMatchObject({ code: "path-taken" });
    expect(inspectFolder(linuxDisk, locked.realPath)?.state).toBe("sealed");
    fs.rmdirSync(folder);
    expect((await unlock(locked.realPath, person.access)).path.toString()).toBe(folder);
  });

  it("stops when cancelled and leaves everything as it was", async () => {
    const before = snapshot(folder);
    let asked = 0;
    const hooks = { progress: () => undefined, cancelled: () => ++asked > 25 };
    await expect(lock(folder, person.owner, { hooks })).rejects.toMatchObject({ code: "cancelled" });
    expect(snapshot(folder)).toEqual(before);

    await lock(folder, person.owner);
    asked = 20;
    await expect(unlock(folder, person.access, { hooks })).rejects.toMatchObject({ code: "cancelled" });
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("tells how far it is while the readable copy is written over, three times where that was chosen", async () => {
    let now = 0;
    vi.spyOn(performance, "now").mockImplementation(() => (now += 100));
    const told: Progress[] = [];
    const hooks = { progress: (progress: Progress) => void told.push(progress), cancelled: () => false };
    try {
      const { bytes } = await lock(folder, person.owner, { hooks, overwrite: 3 });
      const over = told.filter(({ phase }) => phase === "overwriting");
      expect(new Set(over.map(({ bytesTotal }) => bytesTotal))).toEqual(new Set([3 * bytes]));
      expect(over.length).toBeGreaterThan(3);
      expect(over.map((one) => one.bytes)).toEqual(over.map((one) => one.bytes).sort((a, b) => a - b));
      // Holes are not written over, and of files with two names each is once.
      expect(over.at(-1)?.bytes).toBeGreaterThan(bytes / 3);
      expect(over.at(-1)?.bytes).toBeLessThanOrEqual(3 * bytes);
    } finally {
      vi.restoreAllMocks();
    }
  });

  it("says when the folder was put back to an older state", async () => {
    const first = await lock(folder, person.owner);
    await expect(unlock(folder, person.access, { expected: { generation: 5, digest: "x" } })).rejects.toMatchObject({
      code: "rolled-back",
    });
    await expect(
      unlock(folder, person.access, { expected: { generation: 1, digest: "another" } }),
    ).rejects.toMatchObject({ code: "forked" });
    await unlock(folder, person.access, { expected: { generation: 1, digest: first.digest } });
  });

  it("does not trust a lock made by a device nobody knows", async () => {
    const opened = await lock(folder, person.owner).then(() => unlock(folder, person.access));
    const stranger = await newPerson();
    const device = { ...person.device, device: stranger.device.device };
    fs.writeFileSync(path.join(folder, "planted.txt"), "planted");
    await lock(folder, device, { folder: opened.folder, note: opened.note });
    await expect(unlock(folder, person.access)).rejects.toMatchObject({ code: "unvouched" });
    await unlock(folder, person.access, { accept: ["unvouched"] });
    expect(fs.existsSync(path.join(folder, "planted.txt"))).toBe(true);
  });

  it("takes up only one operation at a time, and recovery changes nothing that is whole", async () => {
    await lock(folder, person.owner);
    const ownDir = linuxDisk.openRoot(Buffer.from(path.join(folder, ".eremos")));
    const held = linuxDisk.tryLock(ownDir, Buffer.from("lock"));
    await expect(unlock(folder, person.access)).rejects.toMatchObject({ code: "busy" });
    if (held) linuxDisk.closeFile(held);
    linuxDisk.closeDir(ownDir);
    expect(recoverFolder(linuxDisk, Buffer.from(folder))).toMatchObject({ state: "sealed", steps: [] });
  });
});
