import { type ChildProcess, spawn } from "node:child_process";
import * as fs from "node:fs";
import { createRequire } from "node:module";
import * as path from "node:path";
import { afterEach, expect, it } from "vitest";
import { previewSealing } from "../../src/engine/guards/sealed/lock";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { CAN_MOUNT } from "../support/mounts";
import { type Place, usePlace } from "../support/place";
import { lock, release, snapshot } from "../support/world";

/**
 * Programs that write to a file by a way that no list of open files shows: the kernel is asked about each file before
 * it goes.
 */
let { person, folder } = {} as Place;
usePlace((place) => ({ person, folder } = place));
const writers: ChildProcess[] = [];
afterEach(async () => {
  for (const writer of writers.splice(0)) {
    const ended = new Promise((resolve) => writer.once("exit", resolve));
    writer.kill("SIGKILL");
    await ended;
  }
});

/** Starts it, and waits until it says that it writes. */
async function start(program: string, ...args: readonly string[]): Promise<void> {
  const writer = spawn(program, args, { stdio: ["ignore", "pipe", "inherit"] });
  writers.push(writer);
  await new Promise<void>((resolve, reject) => {
    writer.stdout.once("data", () => resolve());
    writer.once("exit", (code) => reject(new Error(`${program} ended with ${code}`)));
  });
}

/** Maps the file to be written, closes it, and keeps the mapping. */
const MAPPING = `
  const koffi = require(${JSON.stringify(createRequire(import.meta.url).resolve("koffi"))}), fs = require("node:fs");
  const mmap = koffi.load("libc.so.6").func("void *mmap(void *, size_t, int, int, int, int64_t)");
  const fd = fs.openSync(process.argv[1], "r+");
  mmap(null, 4096, 3, 1, fd, 0);
  fs.closeSync(fd);
  console.log("mapped");
  setTimeout(() => undefined, 60_000);`;

const ways: readonly (readonly [string, boolean, () => Promise<void>])[] = [
  [
    "a mapping that was kept after the file was closed",
    true,
    () => start(process.execPath, "-e", MAPPING, path.join(folder, "letter.txt")),
  ],
  [
    "a bind mount in another mount namespace, as containers have",
    CAN_MOUNT,
    () =>
      start(
        "unshare",
        "-m",
        "sh",
        "-c",
        'mkdir "$1.mounted" && mount --bind "$1" "$1.mounted" && exec 3>>"$1.mounted/letter.txt" && echo writing && exec sleep 60',
        "sh",
        folder,
      ),
  ],
];

it.each(ways.filter(([, canBe]) => canBe))(
  "%s: the lock stops, everything is at its place, and what is written goes on to be there; said to be right, it is locked",
  async (_way, _canBe, begin) => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
    fs.writeFileSync(path.join(folder, "bill.txt"), "42");
    const before = snapshot(folder);
    await begin();
    await expect(lock(folder, person.owner)).rejects.toMatchObject({
      code: "in-use",
      message: expect.stringContaining("letter.txt") as string,
    });
    expect(snapshot(folder)).toEqual(before);
    await lock(folder, person.owner, { inUseAnyway: true });
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  },
);

/** The real disk, with another answer to one question. */
function diskThat<K extends keyof Disk>(name: K, answer: (real: Disk[K]) => Disk[K]): Disk {
  return new Proxy(linuxDisk, {
    get: (target, asked: keyof Disk) => (asked === name ? answer(target[name]) : target[asked]),
  });
}

it("a program that begins to write while its files are being encrypted: the lock stops, and everything is at its place", async () => {
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  const before = snapshot(folder);
  const editor = { pid: 7, program: "editor", paths: [], writes: true, isStopped: false };
  let asked = 0;
  const disk = diskThat("holders", () => () => (asked++ === 0 ? [] : [editor]));
  await expect(lock(folder, person.owner, { disk })).rejects.toMatchObject({ code: "in-use" });
  expect(asked).toBe(2);
  expect(snapshot(folder)).toEqual(before);
});

it("a file that changes while it is read is read again, alone, and locked as it is then", async () => {
  const letter = path.join(folder, "letter.txt");
  fs.writeFileSync(letter, "Dear Jonas");
  fs.writeFileSync(path.join(folder, "bill.txt"), "42");
  let times = 0;
  const disk = diskThat("read", (real) => (file, into, offset, length, position) => {
    const count = real(file, into, offset, length, position);
    if (into.subarray(offset, offset + count).toString() === "Dear Jonas" && times++ === 0)
      fs.writeFileSync(letter, "Dear Anna");
    return count;
  });
  const phases: string[] = [];
  const hooks = {
    progress: ({ phase }: { readonly phase: string }) => void phases.push(phase),
    cancelled: () => false,
  };
  await lock(folder, person.owner, { disk, hooks });
  expect(phases.filter((phase) => phase === "making-durable")).toHaveLength(1);
  await release(folder, person.access);
  expect(fs.readFileSync(letter, "utf8")).toBe("Dear Anna");
});

it("where the file system does not tell who writes, that is said beforehand, and no lock stops for it", async () => {
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  const look = (disk: Disk): boolean =>
    previewSealing(disk, { path: Buffer.from(folder), visibility: "view", places: [Buffer.from(path.dirname(folder))] })
      .tellsWriters;
  const silent: Disk = { ...linuxDisk, isWritten: () => null };
  expect([look(linuxDisk), look(silent)]).toEqual([true, false]);
  await lock(folder, person.owner, { disk: silent });
});

it("a folder whose files nobody writes locks, whoever reads them", async () => {
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
  const reading = fs.openSync(path.join(folder, "letter.txt"), "r");
  await lock(folder, person.owner);
  fs.closeSync(reading);
  expect(fs.readdirSync(folder)).toContain("Locked with Eremos.html");
});
