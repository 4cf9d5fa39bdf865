import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { createHash } from "node:crypto";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Dir } from "../../src/platform/port";
import {
  type Person,
  lock,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";

const IS_ROOT = process.getuid?.() === 0;
const DEEP = process.env["EREMOS_DEEP"] === "1";
const NOBODY = 65_534;

let person: Person;
let base: string;
let folder: string;
beforeAll(async () => {
  person = await newPerson();
  base = newDirectory();
  fs.chmodSync(base, 0o755);
});
afterAll(() => removeDirectory(base));
beforeEach(() => {
  folder = path.join(fs.mkdtempSync(path.join(base, "run-")), "Payroll");
  fs.chmodSync(path.dirname(folder), 0o777);
  fs.mkdirSync(folder);
});

async function roundTrip(): Promise<void> {
  const { folder: id } = await lock(folder, person.owner);
  const { note } = await unlock(folder, person.access);
  await lock(folder, person.owner, { folder: id, note });
  await release(folder, person.access);
}

describe("what is large comes back exactly", () => {
  it("200 levels of names of 200 bytes: paths far beyond what the system takes at once", async () => {
    const names: Buffer[] = [];
    let dir: Dir = linuxDisk.openRoot(Buffer.from(folder));
    for (let level = 0; level < 200; level++) {
      const name = Buffer.from(`${level} ${"x".repeat(195)}`);
      linuxDisk.makeDir(dir, name, 0o755);
      const inner = linuxDisk.openDir(dir, name);
      linuxDisk.closeDir(dir);
      dir = inner;
      names.push(name);
    }
    const file = linuxDisk.create(dir, Buffer.from("at the bottom"), 0o640);
    linuxDisk.write(file, Buffer.from("deep"), 0, 4, 0);
    linuxDisk.closeFile(file);
    linuxDisk.closeDir(dir);
    await roundTrip();
    dir = linuxDisk.openRoot(Buffer.from(folder));
    for (const name of names) {
      expect(linuxDisk.list(dir)).toEqual([name]);
      const inner = linuxDisk.openDir(dir, name);
      linuxDisk.closeDir(dir);
      dir = inner;
    }
    const content = Buffer.alloc(10);
    const found = linuxDisk.openRead(dir, Buffer.from("at the bottom"));
    expect(linuxDisk.read(found, content, 0, 10, 0)).toBe(4);
    expect(linuxDisk.statOpen(found).mode).toBe(0o640);
    linuxDisk.closeFile(found);
    linuxDisk.closeDir(dir);
  });

  it(`${DEEP ? 100_000 : 8_000} entries in one directory`, async () => {
    const count = DEEP ? 100_000 : 8_000;
    for (let i = 0; i < count; i++)
      fs.writeFileSync(path.join(folder, `entry ${i}`), i % 7 === 0 ? "" : `content ${i}`);
    const sum = (): string => {
      const hash = createHash("sha256");
      for (const name of fs.readdirSync(folder).sort())
        hash.update(`${name}:${fs.readFileSync(path.join(folder, name), "utf8")}\n`);
      return hash.digest("hex");
    };
    const before = sum();
    await roundTrip();
    expect(fs.readdirSync(folder)).toHaveLength(count);
    expect(sum()).toBe(before);
  });

  it("a file beyond 4 GiB with holes: its holes stay holes, its data stays where it is", async () => {
    const sparse = path.join(folder, "disk.img");
    const size = 5 * 2 ** 30;
    const fd = fs.openSync(sparse, "w+");
    fs.ftruncateSync(fd, size);
    for (const [text, at] of [
      ["start", 0],
      ["around four", 2 ** 32 - 5],
      ["end", size - 3],
    ] as const)
      fs.writeSync(fd, text, at);
    fs.closeSync(fd);
    const used = fs.statSync(sparse).blocks;
    await roundTrip();
    expect(fs.statSync(sparse)).toMatchObject({ size, blocks: used });
    const again = fs.openSync(sparse, "r");
    for (const [text, at] of [
      ["start", 0],
      ["around four", 2 ** 32 - 5],
      ["end", size - 3],
      ["\0\0\0", 2 ** 31],
    ] as const) {
      const bytes = Buffer.alloc(text.length);
      fs.readSync(again, bytes, 0, text.length, at);
      expect(bytes.toString()).toBe(text);
    }
    fs.closeSync(again);
  });

  it.runIf(DEEP)("a file beyond 4 GiB without holes", async () => {
    const large = path.join(folder, "film.bin");
    const fd = fs.openSync(large, "w");
    const piece = Buffer.alloc(64 * 2 ** 20);
    for (let i = 0; i < 66; i++) {
      piece.fill(`piece ${i} `);
      fs.writeSync(fd, piece);
    }
    fs.closeSync(fd);
    const digest = (): string => spawnSync("sha256sum", [large], { encoding: "utf8" }).stdout.slice(0, 64);
    const before = digest();
    await roundTrip();
    expect(digest()).toBe(before);
  });
});

describe.runIf(IS_ROOT)("permissions come back exactly", () => {
  it("access control lists, where they are and where they are not, though the folder hands its own down", async () => {
    fs.writeFileSync(path.join(folder, "plain"), "no list");
    fs.mkdirSync(path.join(folder, "open"));
    fs.writeFileSync(path.join(folder, "open", "listed"), "a list");
    const setfacl = (...args: readonly string[]): void => expect(spawnSync("setfacl", args).status).toBe(0);
    setfacl("-m", "u:daemon:rw,g:games:r", path.join(folder, "open", "listed"));
    setfacl("-d", "-m", "u:games:rwx", folder);
    setfacl("-d", "-m", "u:daemon:r", path.join(folder, "open"));
    const listsOf = (): string => spawnSync("getfacl", ["-R", "-n", "-p", folder], { encoding: "utf8" }).stdout;
    const before = listsOf();
    const all = snapshot(folder);
    await roundTrip();
    expect(listsOf()).toBe(before);
    expect(snapshot(folder)).toEqual(all);
  });

  it("owners and groups, modes with set-id and sticky bits, attributes", async () => {
    for (const [name, uid, gid, mode] of [
      ["a", 1, 2, 0o4755],
      ["b", 33, 0, 0o2640],
      ["c", NOBODY, NOBODY, 0o000],
      ["d", 0, 8, 0o7777],
    ] as const) {
      fs.writeFileSync(path.join(folder, name), name);
      fs.chownSync(path.join(folder, name), uid, gid);
      fs.chmodSync(path.join(folder, name), mode);
    }
    fs.symlinkSync("a", path.join(folder, "link"));
    fs.lchownSync(path.join(folder, "link"), 7, 8);
    fs.mkdirSync(path.join(folder, "shared"), { mode: 0o755 });
    fs.chownSync(path.join(folder, "shared"), 5, 60);
    fs.chmodSync(path.join(folder, "shared"), 0o3777);
    const before = snapshot(folder);
    await roundTrip();
    expect(snapshot(folder)).toEqual(before);
  });

  describe("for an ordinary account", () => {
    const asNobody = async (work: () => Promise<void>): Promise<void> => {
      process.setegid?.(NOBODY);
      process.seteuid?.(NOBODY);
      try {
        await work();
      } finally {
        process.seteuid?.(0);
        process.setegid?.(0);
      }
    };
    const give = (): void => expect(spawnSync("chown", ["-R", "-h", `${NOBODY}:${NOBODY}`, folder]).status).toBe(0);

    it("its own files and directories without any permission", async () => {
      fs.mkdirSync(path.join(folder, "shut", "inner", "shut too"), { recursive: true });
      fs.writeFileSync(path.join(folder, "shut", "inner", "shut too", "letter"), "Dear Jonas");
      fs.writeFileSync(path.join(folder, "unreadable"), "secret");
      fs.mkdirSync(path.join(folder, "read only"));
      fs.writeFileSync(path.join(folder, "read only", "note"), "note");
      give();
      for (const name of ["shut/inner/shut too/letter", "shut/inner/shut too", "shut", "unreadable"])
        fs.chmodSync(path.join(folder, name), 0);
      fs.chmodSync(path.join(folder, "read only"), 0o555);
      const before = snapshot(folder);
      await asNobody(roundTrip);
      expect(snapshot(folder)).toEqual(before);

      // Stopped in the middle, the modes are as they were, too.
      fs.mkdirSync(path.join(folder, "zz"));
      expect(spawnSync("mkfifo", [path.join(folder, "zz", "pipe")]).status).toBe(0);
      give();
      fs.chmodSync(path.join(folder, "zz"), 0);
      const spoilt = snapshot(folder);
      await asNobody(async () => {
        await expect(lock(folder, person.owner)).rejects.toMatchObject({ code: "special-files" });
      });
      expect(snapshot(folder)).toEqual(spoilt);
    });

    it("somebody else's unreadable file is refused with its path", async () => {
      give();
      fs.writeFileSync(path.join(folder, "root's"), "not yours", { mode: 0o600 });
      const before = snapshot(folder);
      await asNobody(async () => {
        await expect(lock(folder, person.owner)).rejects.toMatchObject({
          code: "no-permission",
          data: { paths: ["root's"] },
        });
      });
      expect(snapshot(folder)).toEqual(before);
    });
  });
});
