import { spawn } from "node:child_process";
import { once } from "node:events";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, describe, expect, test } from "vitest";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { DurableDisk } from "../../src/platform/memory/durable-disk";
import { MemoryDisk } from "../../src/platform/memory/memory-disk";
import type { Dir, Disk, OpenFile, Stat } from "../../src/platform/port";
import { DURABLE_CALLS, type DurableCall, type MadeDurable } from "../support/durable-calls";
import { CAN_LISTEN } from "../support/system-calls";
import { systemCallsOf } from "../support/traced";
import { newDirectory, removeDirectory } from "../support/world";

/** A platform's disk on trial: in an empty directory of its own, with what this platform alone can show. */
interface Tried {
  readonly disk: Disk;
  readonly path: Buffer;
  readonly canShowDurable: boolean;
  /** What one of the durable calls makes durable of a file with content. */
  madeDurable(call: DurableCall): Promise<MadeDurable>;
  /** A lock of that name in the directory, held by a process that is killed before this ends. */
  lockAndBeKilled(name: string): Promise<void>;
}

const made: string[] = [];
afterEach(() => {
  for (const directory of made.splice(0)) removeDirectory(directory);
});

function onLinux(): Tried {
  const directory = newDirectory();
  made.push(directory);
  return {
    disk: linuxDisk,
    path: Buffer.from(directory),
    canShowDurable: CAN_LISTEN,
    madeDurable: async (call) => {
      const seen = await systemCallsOf(call, directory);
      const file = path.join(directory, call);
      const only = seen.join(", ");
      if (only === `syncfs ${directory}` || only === `syncfs ${file}`) return "everything";
      if (only === `fsync ${directory}`) return "entries";
      return only === `fdatasync ${file}` || only === `fsync ${file}` ? "content" : "nothing";
    },
    lockAndBeKilled: async (name) => {
      const child = spawn("flock", ["--exclusive", path.join(directory, name), "sh", "-c", "echo held; sleep 600"], {
        stdio: ["ignore", "pipe", "ignore"],
        detached: true,
      });
      const ended = once(child, "close");
      await once(child.stdout, "data");
      const locked = { handle: linuxDisk.openRoot(Buffer.from(directory)).handle };
      const isHeld = linuxDisk.tryLock(locked, Buffer.from(name)) === null;
      linuxDisk.closeDir(locked);
      process.kill(-(child.pid ?? 0), "SIGKILL");
      await ended;
      if (!isHeld) throw new Error("another process's lock was not seen");
    },
  };
}

function inMemory(): Tried {
  const durable = new DurableDisk();
  const disk = new MemoryDisk(durable);
  const root = disk.openRoot(Buffer.from("/"));
  disk.makeDir(root, Buffer.from("tried"), 0o700);
  return {
    disk,
    path: Buffer.from("/tried"),
    canShowDurable: true,
    madeDurable: async (call) => {
      /** What is left of a file after a power cut that takes everything that is not durable. */
      const left = (...calls: DurableCall[]): MadeDurable => {
        const before = new DurableDisk();
        const writing = new MemoryDisk(before);
        const dir = writing.openRoot(Buffer.from("/"));
        const file = writing.create(dir, Buffer.from("file"), 0o600);
        writing.write(file, Buffer.from("content"), 0, 7, 0);
        for (const one of calls) DURABLE_CALLS[one](writing, dir, file);
        const after = new MemoryDisk(before.afterPowerCut(() => 0));
        const found = after.find(after.openRoot(Buffer.from("/")), Buffer.from("file"));
        if (!found) return "nothing";
        return found.size === 7 ? "everything" : "entries";
      };
      // Content whose entry is lost can be reached by nobody.
      return left(call) === "nothing" && left(call, "syncDir") === "everything" ? "content" : left(call);
    },
    // A process of a computer whose memory is the disk ends with the disk; here by closing what it held.
    lockAndBeKilled: async (name) => {
      const dir = disk.openRoot(Buffer.from("/tried"));
      const held = disk.tryLock(dir, Buffer.from(name));
      if (held) disk.closeFile(held);
    },
  };
}

const name = (text: string): Buffer => Buffer.from(text);

/** The code of the system error that this ends with. */
function codeOf(use: () => unknown): string {
  try {
    use();
  } catch (error) {
    if (error instanceof Error && "code" in error) return String(error.code);
    throw error;
  }
  return "none";
}

describe.each([
  ["the Linux disk", onLinux],
  ["the memory disk", inMemory],
])("%s keeps the port's promises:", (_title, start) => {
  /** The directory of a trial, open. */
  function begin(): Tried & { readonly dir: Dir } {
    const tried = start();
    return { ...tried, dir: tried.disk.openRoot(tried.path) };
  }

  function write(disk: Disk, dir: Dir, of: string, content: string): OpenFile {
    const file = disk.create(dir, name(of), 0o600);
    disk.write(file, Buffer.from(content), 0, Buffer.byteLength(content), 0);
    return file;
  }

  function contentOf(disk: Disk, dir: Dir, of: string): string {
    const file = disk.openRead(dir, name(of));
    const into = Buffer.alloc(1000);
    try {
      return into.subarray(0, disk.read(file, into, 0, into.length, 0)).toString("latin1");
    } finally {
      disk.closeFile(file);
    }
  }

  const names = (disk: Disk, dir: Dir): string[] =>
    disk
      .list(dir)
      .map((one) => one.toString("latin1"))
      .toSorted();

  test("names are bytes, up to 255 of them, and list gives each once, without . and ..", () => {
    const { disk, dir } = begin();
    const odd = [Buffer.from([0xff, 0xfe]), Buffer.from(" \n\t"), Buffer.alloc(255, "n")];
    for (const one of odd) disk.closeFile(disk.create(dir, one, 0o600));
    const sorted = (all: readonly Buffer[]): Buffer[] => all.toSorted((a, b) => Buffer.compare(a, b));
    expect(sorted(disk.list(dir))).toEqual(sorted(odd));
    for (const one of odd) expect(disk.stat(dir, one).type).toBe("file");
    expect(codeOf(() => disk.create(dir, Buffer.alloc(256, "n"), 0o600))).toBe("ENAMETOOLONG");
  });

  test("what is not there: find says null, everything else ENOENT", () => {
    const { disk, dir } = begin();
    const none = name("none");
    expect(disk.find(dir, none)).toBeNull();
    const asked: Record<string, () => unknown> = {
      stat: () => disk.stat(dir, none),
      openRead: () => disk.openRead(dir, none),
      openDir: () => disk.openDir(dir, none),
      enterDir: () => disk.enterDir(dir, none),
      readLink: () => disk.readLink(dir, none),
      rename: () => disk.rename(dir, none, dir, name("other")),
      renameExclusive: () => disk.renameExclusive(dir, none, dir, name("other")),
      unlink: () => disk.unlink(dir, none),
      removeDir: () => disk.removeDir(dir, none),
      setMode: () => disk.setMode(dir, none, 0o600),
      makeHardLink: () => disk.makeHardLink(dir, none, dir, name("other")),
    };
    for (const [call, use] of Object.entries(asked)) expect([call, codeOf(use)]).toEqual([call, "ENOENT"]);
    expect(disk.isLocked(dir, none)).toBe(false);
    expect(names(disk, dir)).toEqual([]);
  });

  test("create replaces nothing, whatever stands there, a dangling link included", () => {
    const { disk, dir } = begin();
    disk.closeFile(write(disk, dir, "file", "whole"));
    disk.makeDir(dir, name("directory"), 0o700);
    disk.makeLink(dir, name("link"), name("elsewhere"));
    for (const there of ["file", "directory", "link"]) {
      expect(codeOf(() => disk.create(dir, name(there), 0o600))).toBe("EEXIST");
      expect(codeOf(() => disk.makeDir(dir, name(there), 0o700))).toBe("EEXIST");
      expect(codeOf(() => disk.makeLink(dir, name(there), name("x")))).toBe("EEXIST");
      expect(codeOf(() => disk.makeHardLink(dir, name("file"), dir, name(there)))).toBe("EEXIST");
    }
    expect(names(disk, dir)).toEqual(["directory", "file", "link"]);
    expect(contentOf(disk, dir, "file")).toBe("whole");
  });

  test("no call follows a link: not to read, list, enter, lock or set a mode", () => {
    const { disk, dir } = begin();
    disk.closeFile(write(disk, dir, "file", "the owner's"));
    disk.makeDir(dir, name("directory"), 0o700);
    disk.makeLink(dir, name("to file"), name("file"));
    disk.makeLink(dir, name("to directory"), name("directory"));
    expect(codeOf(() => disk.openRead(dir, name("to file")))).toBe("ELOOP");
    expect(codeOf(() => disk.tryLock(dir, name("to file")))).toBe("ELOOP");
    expect(codeOf(() => disk.isLocked(dir, name("to file")))).toBe("ELOOP");
    expect(codeOf(() => disk.setMode(dir, name("to file"), 0o644))).toBe("ELOOP");
    expect(["ELOOP", "ENOTDIR"]).toContain(codeOf(() => disk.openDir(dir, name("to directory"))));
    expect(["ELOOP", "ENOTDIR"]).toContain(codeOf(() => disk.enterDir(dir, name("to directory"))));
    expect(disk.stat(dir, name("to file")).type).toBe("link");
    expect(disk.readLink(dir, name("to file"))).toEqual(name("file"));
    expect(disk.stat(dir, name("file")).mode).toBe(0o600);
  });

  test("openRoot follows no link as its last part", () => {
    const { disk, dir, path: at } = begin();
    disk.makeDir(dir, name("directory"), 0o700);
    disk.makeLink(dir, name("link"), name("directory"));
    disk.closeDir(disk.openRoot(Buffer.concat([at, name("/directory")])));
    expect(["ELOOP", "ENOTDIR"]).toContain(codeOf(() => disk.openRoot(Buffer.concat([at, name("/link")]))));
  });

  test("a file is read as it was written: beyond its end nothing, over a gap zeros", () => {
    const { disk, dir } = begin();
    const file = write(disk, dir, "file", "abc");
    disk.write(file, Buffer.from("xyzw"), 1, 2, 5);
    const into = Buffer.alloc(20, 7);
    expect(disk.read(file, into, 2, 18, 0)).toBe(7);
    expect(into.subarray(0, 10)).toEqual(Buffer.from([7, 7, ...Buffer.from("abc\0\0yz"), 7]));
    expect(disk.read(file, into, 0, 5, 7)).toBe(0);
    disk.truncate(file, 2);
    disk.truncate(file, 4);
    expect(contentOf(disk, dir, "file")).toBe("ab\0\0");
    expect(disk.statOpen(file).size).toBe(4);
    disk.closeFile(file);
  });

  test("a file stays readable through what is open, when its name is gone or leads elsewhere", () => {
    const { disk, dir } = begin();
    disk.closeFile(write(disk, dir, "file", "first"));
    const open = disk.openRead(dir, name("file"));
    disk.unlink(dir, name("file"));
    disk.closeFile(write(disk, dir, "file", "second"));
    const into = Buffer.alloc(5);
    disk.read(open, into, 0, 5, 0);
    expect(into.toString()).toBe("first");
    expect(disk.statOpen(open).nlink).toBe(0);
    disk.closeFile(open);
  });

  test("an exclusive rename replaces nothing, of any kind, and a plain one replaces a file as one step", () => {
    const { disk, dir } = begin();
    disk.closeFile(write(disk, dir, "from", "new"));
    disk.closeFile(write(disk, dir, "file", "old"));
    disk.makeDir(dir, name("directory"), 0o700);
    disk.makeLink(dir, name("link"), name("nowhere"));
    for (const there of ["file", "directory", "link"])
      expect(codeOf(() => disk.renameExclusive(dir, name("from"), dir, name(there)))).toBe("EEXIST");
    expect(contentOf(disk, dir, "file")).toBe("old");
    const { ino } = disk.stat(dir, name("from"));
    disk.rename(dir, name("from"), dir, name("file"));
    expect(contentOf(disk, dir, "file")).toBe("new");
    expect(disk.stat(dir, name("file")).ino).toBe(ino);
    disk.renameExclusive(dir, name("file"), dir, name("free"));
    expect(names(disk, dir)).toEqual(["directory", "free", "link"]);
  });

  test("a rename never loses a directory: not under a file's name, nor over a full one, nor into itself", () => {
    const { disk, dir } = begin();
    disk.closeFile(write(disk, dir, "file", "whole"));
    for (const one of ["directory", "full"]) disk.makeDir(dir, name(one), 0o700);
    const [directory, full] = ["directory", "full"].map((one) => disk.openDir(dir, name(one))) as [Dir, Dir];
    disk.closeFile(write(disk, full, "inside", "whole"));
    expect(codeOf(() => disk.rename(dir, name("directory"), dir, name("file")))).toBe("ENOTDIR");
    expect(codeOf(() => disk.rename(dir, name("file"), dir, name("directory")))).toBe("EISDIR");
    expect(["ENOTEMPTY", "EEXIST"]).toContain(codeOf(() => disk.rename(dir, name("directory"), dir, name("full"))));
    expect(codeOf(() => disk.rename(dir, name("directory"), directory, name("itself")))).toBe("EINVAL");
    disk.rename(dir, name("full"), dir, name("directory"));
    expect(names(disk, dir)).toEqual(["directory", "file"]);
    expect(contentOf(disk, disk.openDir(dir, name("directory")), "inside")).toBe("whole");
  });

  test("unlink removes no directory, removeDir nothing else, and no full one", () => {
    const { disk, dir } = begin();
    disk.closeFile(write(disk, dir, "file", "whole"));
    disk.makeDir(dir, name("directory"), 0o700);
    const directory = disk.openDir(dir, name("directory"));
    disk.closeFile(write(disk, directory, "inside", "whole"));
    expect(codeOf(() => disk.unlink(dir, name("directory")))).toBe("EISDIR");
    expect(codeOf(() => disk.removeDir(dir, name("file")))).toBe("ENOTDIR");
    expect(["ENOTEMPTY", "EEXIST"]).toContain(codeOf(() => disk.removeDir(dir, name("directory"))));
    disk.unlink(directory, name("inside"));
    disk.removeDir(dir, name("directory"));
    expect(names(disk, dir)).toEqual(["file"]);
  });

  test("hard links are one file: its number, its content, how many names it has", () => {
    const { disk, dir } = begin();
    const file = write(disk, dir, "one", "first");
    disk.makeHardLink(dir, name("one"), dir, name("two"));
    disk.write(file, Buffer.from("later"), 0, 5, 0);
    disk.closeFile(file);
    const [one, two] = ["one", "two"].map((each) => disk.stat(dir, name(each))) as [Stat, Stat];
    expect([two.ino, two.dev, one.nlink, two.nlink]).toEqual([one.ino, one.dev, 2, 2]);
    expect(contentOf(disk, dir, "two")).toBe("later");
    disk.unlink(dir, name("one"));
    expect(disk.stat(dir, name("two")).nlink).toBe(1);
  });

  test("modes, owners, attributes and times to the nanosecond come back as they were set, of a link its own", () => {
    const { disk, dir } = begin();
    const file = write(disk, dir, "file", "x");
    disk.makeDir(dir, name("directory"), 0o700);
    const directory = disk.openDir(dir, name("directory"));
    disk.makeLink(dir, name("link"), name("file"));
    const [atimeNs, mtimeNs] = [1_600_000_000_123_456_789n, -86_399_999_999_999n];
    const attribute = { name: name("user.origin"), value: Buffer.from([0, 255, 10]) };
    for (const of of [file, directory]) {
      disk.setXattr(of, attribute);
      disk.setOwner(of, 4242, 4343);
      disk.setOpenMode(of, 0o4751);
      disk.setTimes(of, atimeNs, mtimeNs);
      expect(disk.statOpen(of)).toMatchObject({ uid: 4242, gid: 4343, mode: 0o4751, atimeNs, mtimeNs });
      expect(disk.xattrs(of)).toContainEqual(attribute);
    }
    disk.setMode(dir, name("file"), 0);
    expect(disk.stat(dir, name("file")).mode).toBe(0);
    disk.setLinkOwner(dir, name("link"), 17, 18);
    disk.setLinkTimes(dir, name("link"), atimeNs, 5n);
    expect(disk.stat(dir, name("link"))).toMatchObject({ uid: 17, gid: 18, mtimeNs: 5n, type: "link" });
    expect(disk.stat(dir, name("file"))).toMatchObject({ uid: 4242, gid: 4343, mtimeNs });
  });

  test("a status time never goes back to what it was, whatever time is set", () => {
    const { disk, dir } = begin();
    const file = write(disk, dir, "file", "one");
    const before = disk.statOpen(file);
    disk.wait(20);
    disk.write(file, Buffer.from("two"), 0, 3, 0);
    disk.setTimes(file, before.atimeNs, before.mtimeNs);
    const after = disk.statOpen(file);
    expect(after.mtimeNs).toBe(before.mtimeNs);
    expect(after.ctimeNs > before.ctimeNs).toBe(true);
  });

  test("where data lies is told with every byte of it, or not at all", () => {
    const { disk, dir } = begin();
    const file = disk.create(dir, name("file"), 0o600);
    disk.truncate(file, 10_000_000);
    disk.write(file, Buffer.from("here"), 0, 4, 5_000_000);
    const told = disk.extents(file, 10_000_000);
    if (told) expect(told.some(({ offset, length }) => offset <= 5_000_000 && offset + length >= 5_000_004)).toBe(true);
    expect(disk.extents(write(disk, dir, "full", "no gap"), 6)).toBeNull();
  });

  test("a lock is one holder's, until it lets go or is killed, and asking changes nothing", async () => {
    const { disk, dir, lockAndBeKilled } = begin();
    const held = disk.tryLock(dir, name("lock"));
    expect(held).not.toBeNull();
    expect(disk.tryLock(dir, name("lock"))).toBeNull();
    expect([disk.isLocked(dir, name("lock")), disk.isLocked(dir, name("lock"))]).toEqual([true, true]);
    if (held) disk.closeFile(held);
    expect(disk.isLocked(dir, name("lock"))).toBe(false);
    await lockAndBeKilled("lock");
    const next = disk.tryLock(dir, name("lock"));
    expect(next).not.toBeNull();
    if (next) disk.closeFile(next);
  });

  test("a lock is by its name: a file that was put in its place is locked by nobody", () => {
    const { disk, dir } = begin();
    const held = disk.tryLock(dir, name("lock"));
    disk.unlink(dir, name("lock"));
    const next = disk.tryLock(dir, name("lock"));
    expect(next).not.toBeNull();
    for (const one of [held, next]) if (one) disk.closeFile(one);
  });

  test("no writer is missed: a file that is open for writing is never said to be written by nobody", () => {
    const { disk, dir } = begin();
    const file = write(disk, dir, "file", "x");
    expect(disk.isWritten(dir, name("file"))).not.toBe(false);
    disk.closeFile(file);
    expect(disk.isWritten(dir, name("file"))).not.toBe(true);
  });

  test.skipIf(!start().canShowDurable)(
    "syncFile makes the content durable, syncDir the entries, barrier everything",
    async () => {
      const { madeDurable } = begin();
      expect(await madeDurable("syncFile")).toBe("content");
      expect(await madeDurable("syncDir")).toBe("entries");
      expect(await madeDurable("barrier")).toBe("everything");
    },
  );

  test("what its file system holds is said of the directory, and nothing is left of the trial", () => {
    const { disk, dir } = begin();
    expect(disk.holds(dir)).toMatchObject({ permissions: true, tellsCase: true, timeStepNs: 1n });
    expect(disk.freeBytes(dir)).toBeGreaterThan(0);
    expect([disk.writable(dir), disk.identifies(dir)]).toEqual([true, true]);
    expect(names(disk, dir)).toEqual([]);
  });

  test("a look by a path: a link is itself as its last part and followed before it, and only a file is read", () => {
    const { disk, dir, path: at } = begin();
    const { looks } = disk;
    const below = (entry: string): Buffer => Buffer.concat([at, Buffer.from(`/${entry}`)]);
    disk.makeDir(dir, name("directory"), 0o750);
    disk.closeFile(write(disk, disk.openDir(dir, name("directory")), "file", "what is in it"));
    disk.makeLink(dir, name("to directory"), name("directory"));
    disk.makeLink(dir, name("to file"), name("directory/file"));
    disk.makeLink(dir, name("nowhere"), name("gone"));
    disk.makeLink(dir, name("to itself"), name("to itself"));

    expect(looks.entry(below("directory"))).toMatchObject({ type: "dir", mode: 0o750 });
    expect(looks.entry(below("to directory"))).toMatchObject({ type: "link" });
    expect(looks.entry(below("to directory/file"))).toMatchObject({ type: "file", mode: 0o600, size: 13 });
    expect(looks.entry(below("none"))).toBeNull();
    const listed = looks.listing(at).map(({ name: one, type }) => `${one.toString()}: ${type}`);
    expect(listed.sort()).toEqual([
      "directory: dir",
      "nowhere: link",
      "to directory: link",
      "to file: link",
      "to itself: link",
    ]);
    expect(looks.listing(below("to directory"))).toEqual([{ name: name("file"), type: "file" }]);
    expect(codeOf(() => looks.listing(below("none")))).toBe("ENOENT");
    expect(codeOf(() => looks.listing(below("directory/file")))).toBe("ENOTDIR");
    for (const there of ["directory", "to directory", "to file"]) expect(looks.isThere(below(there))).toBe(true);
    for (const none of ["none", "nowhere", "to itself"]) expect(looks.isThere(below(none))).toBe(false);
    expect(looks.read(below("to directory/file"), 4)?.toString()).toBe("what");
    expect(looks.read(below("directory/file"), 100, 8)?.toString()).toBe("in it");
    for (const none of ["to file", "directory", "none"]) expect(looks.read(below(none), 100)).toBeNull();
  });

  test("a computer knows its own records, and nobody else's", () => {
    const { identity } = start().disk;
    const message = Buffer.from("a record");
    const proof = identity.prove(message);
    expect(identity.id).toMatch(/^[0-9a-f]{32}$/);
    expect(identity.isOwn(message, proof)).toBe(true);
    expect(identity.isOwn(Buffer.from("another"), proof)).toBe(false);
  });
});

test("the Linux disk's files lie where other programs see them", () => {
  const { disk, path: at } = onLinux();
  const dir = disk.openRoot(at);
  const file = disk.create(dir, name("seen"), 0o600);
  disk.write(file, Buffer.from("by others"), 0, 9, 0);
  disk.closeFile(file);
  expect(fs.readFileSync(path.join(at.toString(), "seen"), "utf8")).toBe("by others");
});
