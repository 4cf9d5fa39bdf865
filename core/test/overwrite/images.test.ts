import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, describe, expect, it } from "vitest";
import { fileAddress, silentHooks, within } from "../../src/engine/ground";
import { linuxDiskOf as diskOf } from "../../src/platform/linux/linux-disk";
import { overwrite, overwriteFreeSpace, whatOverwritingReaches } from "../../src/overwrite";
import { clearTraces } from "../../src/traces";
import { putBelow, traceHome, xbel } from "../traces/remembered";
import { crampedDisk } from "../support/crashing-disk";
import { lock, newPerson, unlock } from "../support/world";
import { CAN_MOUNT, Drive, type FileSystem } from "../support/mounts";

const disk = diskOf(Buffer.alloc(32, 7));
const CONTENTS = Buffer.from("the secret of the Appraisals, 0123456789");
const SMALL = Buffer.from("a secret of one line, and no more");
const NAME = "Marmalade and quince";
/** Some file systems keep names in pieces. */
const WORD = "Marmalade";
const LEAVE = 1024 * 1024;
let drive: Drive | null = null;
afterEach(() => drive?.remove());

const FILE_SYSTEMS: readonly FileSystem[] = ["ext4", "ext4-data-journal", "xfs", "btrfs", "exfat", "ntfs"];

/** A folder with two large files and a small one, as it lay there for a while. */
function filled(kind: FileSystem, bytes = 3_000_000): { readonly on: Drive; readonly folder: string } {
  const on = new Drive(kind, kind === "xfs" || kind === "btrfs" ? 320 : 96);
  drive = on;
  const folder = path.join(on.at, NAME);
  fs.mkdirSync(folder);
  for (const name of [`${NAME}.txt`, `${NAME}, too.txt`])
    fs.writeFileSync(path.join(folder, name), Buffer.alloc(bytes / 2, CONTENTS));
  fs.writeFileSync(path.join(folder, `${NAME} (small).txt`), SMALL);
  on.countRaw(SMALL);
  return { on, folder };
}

function standsRaw(on: Drive): { readonly contents: number; readonly names: number } {
  const names = on.countRaw(Buffer.from(WORD)) + on.countRaw(Buffer.from(WORD, "utf16le"));
  return { contents: on.countRaw(CONTENTS) + on.countRaw(SMALL), names };
}

describe.runIf(CAN_MOUNT)("Overwriting, on real file systems searched raw", () => {
  it.each(FILE_SYSTEMS)("on %s what is said of contents and names is what a search of the device finds", (kind) => {
    const { on, folder } = filled(kind);
    const medium = within(disk, disk.openRoot(Buffer.from(on.at)), (dir) => disk.medium(dir));
    const before = standsRaw(on);
    expect(before.contents).toBeGreaterThan(70_000);
    expect(before.names).toBeGreaterThan(0);
    const begunIn = Buffer.from(fs.mkdtempSync("/dev/shm/eremos-test-begun-"));
    const done = overwrite(disk, { paths: [Buffer.from(folder)], passes: 1, allNames: false, begunIn }, silentHooks);
    fs.rmSync(begunIn, { recursive: true });
    expect(done).toMatchObject({ files: 3, left: [] });
    expect(fs.readdirSync(on.at)).not.toContain(NAME);
    const after = standsRaw(on);
    // The drive below is a file, which keeps no other places: what is said of the file system alone is on trial.
    const said = whatOverwritingReaches({ ...medium, rotates: true });
    expect(said.contents).toBe(after.contents === 0 ? "reached" : "stay");
    expect(said.names).toBe("may-stay");
    expect(after.names).toBeGreaterThan(0);
  });

  it.each(["whole", "file by file"] as const)(
    "%s: a lock that overwrites leaves no readable contents on the device, and one that does not leaves them",
    async (how) => {
      const person = await newPerson();
      const lockOn = async (passes: number): Promise<number> => {
        const { on, folder } = filled("ext4");
        const locked = await lock(folder, person.owner, {
          disk: how === "whole" ? disk : crampedDisk(disk, 6 * 1024 * 1024),
          overwrite: passes,
        });
        expect(locked).toMatchObject({ strategy: how === "whole" ? "whole" : "file-by-file", notOverwritten: 0 });
        const { contents } = standsRaw(on);
        expect((await unlock(locked.realPath, person.access)).files).toBe(3);
        expect(fs.readFileSync(path.join(folder, `${NAME} (small).txt`))).toEqual(SMALL);
        on.remove();
        return contents;
      };
      expect(await lockOn(1)).toBe(0);
      expect(await lockOn(0)).toBeGreaterThan(70_000);
    },
  );

  it("traces that are cleared and overwritten are nowhere on ext4, in lists as in files; without, they are", async () => {
    const cleared = async (passes: number): Promise<number> => {
      const on = new Drive("ext4", 96);
      drive = on;
      const folder = Buffer.from("/elsewhere/Quince and medlar");
      const home = traceHome(on.at);
      const address = fileAddress(Buffer.concat([folder, Buffer.from("/a.txt")]));
      putBelow(on.at, xbel([...Array<string>(50).fill("file:///other"), address]), "share", "recently-used.xbel");
      putBelow(
        on.at,
        `[Trash Info]\nPath=/elsewhere/Quince%20and%20medlar/a.txt\n`,
        "share",
        "Trash",
        "info",
        "a.trashinfo",
      );
      putBelow(on.at, "contents of Quince%20and%20medlar", "share", "Trash", "files", "a");
      on.countRaw(SMALL);
      const input = { home, folder, inside: null, ids: null, kinds: null, onlySure: true, keep: null };
      expect((await clearTraces(disk, { ...input, overwrite: passes }, silentHooks)).left).toEqual([]);
      const count = on.countRaw(Buffer.from("Quince%20and%20medlar"));
      expect(on.countRaw(Buffer.from("file:///other"))).toBeGreaterThan(49);
      on.remove();
      return count;
    };
    expect(await cleared(1)).toBe(0);
    expect(await cleared(0)).toBeGreaterThan(2);
  });

  it("shared blocks are told of: a copy made by reflink on xfs still holds the contents afterwards", () => {
    const { on, folder } = filled("xfs");
    fs.copyFileSync(path.join(folder, `${NAME}.txt`), path.join(on.at, "copy"), fs.constants.COPYFILE_FICLONE_FORCE);
    const begunIn = Buffer.from(fs.mkdtempSync("/dev/shm/eremos-test-begun-"));
    const done = overwrite(disk, { paths: [Buffer.from(folder)], passes: 1, allNames: false, begunIn }, silentHooks);
    fs.rmSync(begunIn, { recursive: true });
    expect(done).toMatchObject({ files: 3, shared: 1 });
    expect(standsRaw(on).contents).toBeGreaterThan(30_000);
  });

  it.each(["ext4", "exfat"] as const)(
    "filling the free space of %s leaves of what was deleted there no more than the margin and what the file system reserves",
    (kind) => {
      const { on, folder } = filled(kind, 30_000_000);
      fs.rmSync(folder, { recursive: true });
      const before = standsRaw(on).contents;
      const named: string[] = [];
      const progress = (): void => void named.push(...fs.readdirSync(on.at));
      const hooks = { progress, cancelled: () => false };
      const filledUp = overwriteFreeSpace(disk, { place: Buffer.from(on.at), leave: LEAVE }, hooks);
      // A kill leaves nothing: what has no name goes with its process.
      if (kind === "ext4") expect(named.filter((name) => name !== "lost+found")).toEqual([]);
      expect(filledUp.ended).toBe("room");
      const { bfree, bavail, bsize } = fs.statfsSync(on.at);
      expect(fs.readdirSync(on.at).filter((name) => name.startsWith(".eremos"))).toEqual([]);
      const most = LEAVE + (bfree - bavail) * bsize;
      expect(standsRaw(on).contents * CONTENTS.length).toBeLessThan(most);
      expect(most).toBeLessThan(before * CONTENTS.length * 0.5);
    },
  );
});
