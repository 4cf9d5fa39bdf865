import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { type Hooks, overwriteWhatGoes, silentHooks } from "../../src/engine/ground";
import { linuxDiskOf as diskOf } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { type OverwriteInput, type Overwritten, finishOverwriting, overwrite } from "../../src/overwrite";
import { Crash, type CrashMode, crashingDisk } from "../support/crashing-disk";
import { holdOpen } from "../support/holder";
import { newDirectory, removeDirectory } from "../support/world";

const real = diskOf(Buffer.alloc(32, 7));
let base: string;
let data: string;
beforeEach(() => {
  base = fs.realpathSync(newDirectory());
  data = path.join(base, "data");
  fs.mkdirSync(data);
});
afterEach(() => removeDirectory(base));

const at = (...parts: string[]): string => path.join(base, ...parts);
function put(content: string, ...parts: string[]): string {
  fs.mkdirSync(path.dirname(at(...parts)), { recursive: true });
  fs.writeFileSync(at(...parts), content);
  return at(...parts);
}
function run(
  paths: readonly string[],
  given: Partial<OverwriteInput> = {},
  disk: Disk = real,
  hooks = silentHooks,
): Overwritten {
  const input = {
    paths: paths.map((one) => Buffer.from(one)),
    passes: 1,
    allNames: false,
    begunIn: Buffer.from(data),
    ...given,
  };
  return overwrite(disk, input, hooks);
}
const leftOf = ({ left }: Overwritten): string[] => left.map((one) => path.basename(one.path.toString()));

/** A record cut off while it was written says nothing: nothing was touched then. */
function isWhole(record: string): boolean {
  try {
    return typeof JSON.parse(fs.readFileSync(record, "utf8")) === "object";
  } catch {
    return false;
  }
}

/** A disk that tells what was written into files that were there before, and to which of their bytes. */
function watched(): { readonly disk: Disk; readonly written: Map<string, string[]> } {
  const written = new Map<string, string[]>();
  const names = new Map<number, string>();
  const disk = new Proxy(real, {
    get(target, key: keyof Disk) {
      if (key === "openWrite")
        return (...[dir, name]: Parameters<Disk["openWrite"]>) => {
          const file = target.openWrite(dir, name);
          names.set(file.handle, name.toString());
          return file;
        };
      if (key === "closeFile")
        return (file: Parameters<Disk["closeFile"]>[0]) => {
          names.delete(file.handle);
          target.closeFile(file);
        };
      if (key === "write" || key === "truncate" || key === "syncFile")
        return (...call: Parameters<Disk["write"]>) => {
          const name = names.get(call[0].handle);
          if (name !== undefined) {
            const what = key === "write" ? `${call[4]}+${call[3]}` : key;
            written.set(name, [...(written.get(name) ?? []), what]);
            if (key === "write") expect(call[1].subarray(call[2], call[2] + call[3]).includes("secret")).toBe(false);
          }
          return (target[key] as (...args: unknown[]) => unknown)(...call);
        };
      return target[key];
    },
  });
  return { disk, written };
}

describe("Overwriting what is chosen", () => {
  it("each pass covers every byte and is durable before the next; then the file is emptied, and gone with its folder", () => {
    put("secret".repeat(400_000), "folder", "deep", "file.txt");
    const { disk, written } = watched();
    const done = run([at("folder")], { passes: 3 }, disk);
    const pass = ["0+1048576", "1048576+1048576", "2097152+302848", "syncFile"];
    expect(written.get("file.txt")).toEqual([...pass, ...pass, ...pass, "truncate", "syncFile"]);
    expect(done).toMatchObject({ files: 1, bytes: 2_400_000, left: [] });
    expect(fs.readdirSync(base)).toEqual(["data"]);
    expect(fs.readdirSync(data)).toEqual([]);
  });

  it("holes are left as they are: only what holds data is written to", () => {
    const file = put("", "sparse");
    fs.truncateSync(file, 64 * 1024 * 1024);
    const handle = fs.openSync(file, "r+");
    fs.writeSync(handle, "secret", 32 * 1024 * 1024);
    fs.fsyncSync(handle);
    fs.closeSync(handle);
    const { disk, written } = watched();
    run([file], {}, disk);
    expect(written.get("sparse")).toEqual(["33554432+4096", "syncFile", "truncate", "syncFile"]);
  });

  it("a link goes, and what it leads to stays as it is, also where it is asked for by name", () => {
    put("kept", "elsewhere", "kept.txt");
    fs.mkdirSync(at("folder"));
    fs.symlinkSync(at("elsewhere"), at("folder", "link"));
    fs.symlinkSync(at("elsewhere", "kept.txt"), at("alone"));
    expect(run([at("folder"), at("alone")]).left).toEqual([]);
    expect(fs.readdirSync(base).sort()).toEqual(["data", "elsewhere"]);
    expect(fs.readFileSync(at("elsewhere", "kept.txt"), "utf8")).toBe("kept");
  });

  it("a file with a name elsewhere is left and named, unless all its names may lose it; with all names inside it goes", () => {
    put("linked", "folder", "one.txt");
    fs.linkSync(at("folder", "one.txt"), at("outside.txt"));
    put("twice", "folder", "a.txt");
    fs.linkSync(at("folder", "a.txt"), at("folder", "b.txt"));
    const { disk, written } = watched();
    const done = run([at("folder")], {}, disk);
    expect(leftOf(done)).toEqual(["one.txt"]);
    expect(fs.readFileSync(at("outside.txt"), "utf8")).toBe("linked");
    expect(fs.readdirSync(at("folder"))).toEqual(["one.txt"]);
    expect([...written.keys()]).toHaveLength(1);
    run([at("folder")], { allNames: true });
    expect(fs.readFileSync(at("outside.txt"), "utf8")).toBe("");
  });

  it("a file that another program has open, even to read, is left and named", async () => {
    const file = put("held", "folder", "held.txt");
    fs.chmodSync(file, 0o400);
    put("free", "folder", "free.txt");
    const holder = await holdOpen(file, "read");
    const done = run([at("folder")]);
    holder.kill("SIGKILL");
    expect(leftOf(done)).toEqual(["held.txt"]);
    expect(done.left[0]?.reason).toContain("open");
    expect(fs.statSync(file).mode & 0o777).toBe(0o400);
    expect(fs.readFileSync(file, "utf8")).toBe("held");
    expect(fs.readdirSync(at("folder"))).toEqual(["held.txt"]);
  });

  it("a file that a program only looks at for an instant goes all the same", async () => {
    const file = put("Dear Jonas", "letter.txt");
    const looker = await holdOpen(file, "read");
    let looks = 0;
    const disk = new Proxy(real, {
      get: (target, name: keyof Disk) => {
        if (name !== "isHeldOpen") return target[name];
        return (held: Parameters<Disk["isHeldOpen"]>[0]): boolean | null => {
          looks += 1;
          if (looks === 3) looker.kill("SIGKILL");
          return target.isHeldOpen(held);
        };
      },
    });
    expect(run([file], {}, disk)).toMatchObject({ files: 1, left: [] });
    expect([looks >= 3, fs.existsSync(file)]).toEqual([true, false]);
  });

  it("what is protected inside is left whole; a pipe goes without being opened; a read-only file goes", () => {
    put("record", "folder", "locked", ".eremos", "state.json");
    put("readonly", "folder", "readonly.txt");
    fs.chmodSync(at("folder", "readonly.txt"), 0o400);
    const done = run([at("folder")]);
    expect(leftOf(done)).toEqual(["locked"]);
    expect(fs.readdirSync(at("folder"))).toEqual(["locked"]);
    expect(fs.readFileSync(at("folder", "locked", ".eremos", "state.json"), "utf8")).toBe("record");
  });

  it("of what is about to be removed, what the system refuses stays for the removal, and keeps nothing else from it", () => {
    put("one", "folder", "closed", "one.txt");
    put("two", "folder", "open", "two.txt");
    const disk = new Proxy(real, {
      get(target, key: keyof Disk) {
        if (key !== "openDir") return target[key];
        return (...[dir, name]: Parameters<Disk["openDir"]>) => {
          if (name.toString() === "closed") throw Object.assign(new Error("EACCES"), { code: "EACCES" });
          return target.openDir(dir, name);
        };
      },
    });
    const dir = real.openRoot(Buffer.from(base));
    expect(overwriteWhatGoes(disk, dir, Buffer.from("folder"), { passes: 1 })).toBe(1);
    real.closeDir(dir);
    const files = fs.readdirSync(at("folder"), { recursive: true, withFileTypes: true }).filter((one) => one.isFile());
    expect(files.map(({ name }) => name)).toEqual(["one.txt"]);
    expect(fs.readdirSync(at("folder"))).not.toContain("open");
  });

  it("what is exchanged between the look and the act stays", () => {
    const file = put("old", "file.txt");
    const kept = at("kept.txt");
    const disk = new Proxy(real, {
      get(target, key: keyof Disk) {
        if (key !== "tryLock") return target[key];
        return (...call: Parameters<Disk["tryLock"]>) => {
          fs.renameSync(file, kept);
          fs.writeFileSync(file, "new");
          return target.tryLock(...call);
        };
      },
    });
    expect(run([file], {}, disk).files).toBe(0);
    expect([fs.readFileSync(file, "utf8"), fs.readFileSync(kept, "utf8")]).toEqual(["new", "old"]);
  });

  it("a file that gets another name between the look and the act is left", () => {
    const file = put("old", "file.txt");
    const disk = new Proxy(real, {
      get(target, key: keyof Disk) {
        if (key !== "tryLock") return target[key];
        return (...call: Parameters<Disk["tryLock"]>) => {
          fs.linkSync(file, at("another.txt"));
          return target.tryLock(...call);
        };
      },
    });
    expect(leftOf(run([file], {}, disk))).toEqual(["file.txt"]);
    expect(fs.existsSync(at("another.txt")) && fs.readFileSync(at("another.txt"), "utf8")).toBe("old");
  });

  it("asked to stop it stops between two files: the rest is as it was, and nothing is written down any more", () => {
    for (const name of ["a", "b", "c"]) put(name.repeat(100), "folder", name);
    let asked = 0;
    const hooks: Hooks = { progress: () => undefined, cancelled: () => ++asked > 3 };
    const done = run([at("folder")], {}, real, hooks);
    expect(done.files).toBeGreaterThan(0);
    const rest = fs.readdirSync(at("folder"));
    expect(rest.length).toBe(3 - done.files);
    for (const name of rest) expect(fs.readFileSync(at("folder", name), "utf8")).toBe(name.repeat(100));
    expect(fs.readdirSync(data)).toEqual([]);
  });

  it("nothing at the path: refused, and nothing else was touched", () => {
    const file = put("kept", "file.txt");
    expect(() => run([file, at("missing")])).toThrow(expect.objectContaining({ code: "not-found" }) as Error);
    expect(fs.readFileSync(file, "utf8")).toBe("kept");
  });

  it("killed before, after or within any change, nothing of it is left after the next start, and what came since stays", () => {
    const fill = (): void => {
      put("secret".repeat(1000), "folder", "deep", "one.txt");
      put("secret", "folder", "two.txt");
      fs.linkSync(at("folder", "two.txt"), at("folder", "three.txt"));
      fs.symlinkSync("two.txt", at("folder", "link"));
    };
    const tried = { crashes: 0, begun: 0 };
    for (const mode of ["before", "after", "torn"] as const satisfies readonly CrashMode[])
      for (let change = 0; ; change++) {
        fs.rmSync(at("folder"), { recursive: true, force: true });
        fill();
        const crashing = crashingDisk(real, change, mode);
        try {
          run([at("folder")], {}, crashing.disk);
        } catch (error) {
          if (!(error instanceof Crash)) throw error;
        }
        if (!crashing.crashed()) break;
        tried.crashes++;
        const isBegun = fs.readdirSync(data).some((name) => isWhole(path.join(data, name)));
        if (isBegun) {
          const isThere = fs.existsSync(at("folder"));
          if (isThere) put("mine", "folder", "since.txt");
          tried.begun++;
          finishOverwriting(real, Buffer.from(data));
          const rest = fs.existsSync(at("folder")) ? fs.readdirSync(at("folder")) : [];
          expect([mode, change, rest]).toEqual([mode, change, isThere && rest.length > 0 ? ["since.txt"] : []]);
        }
        finishOverwriting(real, Buffer.from(data));
        expect([mode, change, fs.readdirSync(data)]).toEqual([mode, change, []]);
      }
    expect(tried.crashes).toBeGreaterThan(60);
    expect(tried.begun).toBeGreaterThan(40);
  });

  it("what somebody else made under the same name since the crash is not taken for what was begun with", () => {
    const file = put("old", "file.txt");
    const crashing = crashingDisk(real, 4, "before");
    expect(() => run([file], {}, crashing.disk)).toThrow(Crash);
    expect(fs.readdirSync(data)).toHaveLength(1);
    // The same inode number is given again at once.
    fs.unlinkSync(file);
    for (let i = 0; i < 5; i++) {
      fs.writeFileSync(file, "new");
      finishOverwriting(real, Buffer.from(data));
      expect(fs.existsSync(file)).toBe(true);
      expect(fs.readFileSync(file, "utf8")).toBe("new");
    }
  });
});
