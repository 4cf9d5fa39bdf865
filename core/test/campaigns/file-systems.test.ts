import { execFileSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, describe, expect, it } from "vitest";
import { changesSinceLock } from "../../src/engine/visiting/changes";
import { withFile, within } from "../../src/engine/ground/handles";
import { silentHooks } from "../../src/engine/ground/hooks";
import { inspectFolder } from "../../src/engine/guards/inspect";
import { releaseOpenFolder } from "../support/guarding";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { wholeDresser } from "../../src/engine/upkeep/dress-rescued";
import { NOT_GIVEN, plainDresser } from "../../src/rescue/dresser";
import { rescue } from "../../src/rescue/bring-out/to-directory";
import { CAN_MOUNT, Drive, type FileSystem } from "../support/mounts";
import { PASSWORD, type Person, lock, makeMixedTree, newPerson, release, snapshot, unlock } from "../support/world";

let person: Person;
let drive: Drive;
let folder: string;
beforeAll(async () => {
  person = await newPerson();
});
afterEach(() => drive.remove());

function plugIn(kind: FileSystem): void {
  // The least that each of them is made on.
  drive = new Drive(kind, kind === "xfs" ? 320 : kind === "btrfs" ? 128 : 64);
  folder = path.join(drive.at, "Payroll");
  fs.mkdirSync(path.join(folder, "inner", "empty"), { recursive: true });
  fs.writeFileSync(path.join(folder, "Letter.txt"), "Dear Jonas");
  fs.writeFileSync(path.join(folder, "inner", "Árvíztűrő 名前.bin"), Buffer.alloc(1_300_000, "large"));
  fs.writeFileSync(path.join(folder, "nothing"), "");
  fs.utimesSync(path.join(folder, "inner"), 1_400_000_000, 1_400_000_000);
}

describe.runIf(CAN_MOUNT)("a write-protected drive", () => {
  it("shows its locked folders; what would change them is refused with the reason", async () => {
    plugIn("ext4");
    const before = snapshot(folder);
    await lock(folder, person.owner);
    drive.protect(true);
    expect(inspectFolder(linuxDisk, Buffer.from(folder))).toMatchObject({ state: "sealed", busy: false });
    await expect(unlock(folder, person.access)).rejects.toMatchObject({
      code: "no-permission",
      message: expect.stringMatching(/read-only/),
    });
    drive.protect(false);
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });
});

describe.runIf(CAN_MOUNT).each(["xfs", "btrfs", "exfat", "ntfs"] as const)("a drive with %s", (kind) => {
  it.each(["view", "hidden"] as const)(
    "is locked, opened, changed, locked again and released, %s",
    async (visibility) => {
      plugIn(kind);
      const before = snapshot(folder);
      const first = await lock(folder, person.owner, { visibility });
      expect(fs.readdirSync(first.realPath).sort()).toEqual(
        visibility === "view" ? [".eremos", "Locked with Eremos.html"] : [".eremos"],
      );
      const opened = await unlock(first.realPath, person.access);
      expect(snapshot(folder, { withoutOwnDir: true }).slice(1)).toEqual(before.slice(1));
      // Of what was made here, the disk holds everything.
      expect(opened.holdsAll).toBe(true);

      // Same size, same time: only the content tells.
      const letter = path.join(folder, "Letter.txt");
      const { atime, mtime } = fs.statSync(letter);
      fs.writeFileSync(letter, "Dear Marta");
      fs.utimesSync(letter, atime, mtime);
      const edited = snapshot(folder, { withoutOwnDir: true });
      const again = await lock(folder, person.owner, { visibility, folder: first.folder, note: opened.note });
      expect(again.generation).toBe(2);
      await release(again.realPath, person.access);
      expect(fs.readFileSync(letter, "utf8")).toBe("Dear Marta");
      expect(snapshot(folder).slice(1)).toEqual(edited.slice(1));

      const locked = await lock(folder, person.device, { visibility });
      const { path: open } = await unlock(locked.realPath, person.access);
      await releaseOpenFolder(linuxDisk, open);
      expect(snapshot(folder).slice(1)).toEqual(edited.slice(1));
    },
  );
});

describe.runIf(CAN_MOUNT).each(["exfat", "ntfs"] as const)("a drive with %s", (kind) => {
  it("a folder with permissions, attributes and times that this drive can't hold opens here all the same; changed and locked here, it has them all again at home", async () => {
    plugIn(kind);
    const home = new Drive("ext4");
    try {
      const original = path.join(home.at, "Desk");
      fs.mkdirSync(path.join(original, "closed"), { recursive: true });
      const letter = path.join(original, "closed", "Letter.txt");
      fs.writeFileSync(letter, "Dear Jonas");
      fs.writeFileSync(path.join(original, "run.sh"), "#!/bin/sh\n");
      fs.chownSync(path.join(original, "run.sh"), 4711, 4712);
      fs.chmodSync(path.join(original, "run.sh"), 0o6751);
      fs.chmodSync(letter, 0o604);
      const setXattr = (name: string): void =>
        within(linuxDisk, linuxDisk.openRoot(Buffer.from(path.dirname(letter))), (dir) =>
          withFile(linuxDisk, linuxDisk.openRead(dir, Buffer.from("Letter.txt")), (file) =>
            linuxDisk.setXattr(file, { name: Buffer.from(name), value: Buffer.from("of it") }),
          ),
        );
      setXattr("user.author");
      setXattr("trusted.of-the-system");
      for (const at of [letter, path.dirname(letter)])
        execFileSync("touch", ["-m", "-d", "2021-03-04 05:06:07.123456789 UTC", at]);
      fs.chmodSync(path.dirname(letter), 0o710);
      const before = snapshot(original);
      const first = await lock(original, person.owner);
      const copy = path.join(drive.at, "Desk");
      fs.cpSync(original, copy, { recursive: true });
      await expect(release(copy, person.access)).rejects.toMatchObject({
        code: "unsupported",
        message: expect.stringContaining("open it here without releasing it"),
      });
      const opened = await unlock(copy, person.access);
      expect(opened.holdsAll).toBe(false);
      expect(
        (
          await changesSinceLock(
            linuxDisk,
            { path: Buffer.from(copy), access: person.access, keptHeader: null, expected: null, accept: [], most: 10 },
            silentHooks,
          )
        ).changes,
      ).toEqual([]);
      expect(fs.readFileSync(path.join(copy, "closed", "Letter.txt"), "utf8")).toBe("Dear Jonas");
      const script = path.join(copy, "run.sh");
      fs.writeFileSync(script, "#!/bin/sh\necho changed\n");
      fs.utimesSync(script, 1_600_000_000, 1_600_000_000);
      await lock(copy, person.owner, { folder: first.folder, note: opened.note });
      const back = path.join(home.at, "Back");
      fs.cpSync(copy, back, { recursive: true });
      expect((await unlock(back, person.access)).holdsAll).toBe(true);
      expect(fs.readFileSync(path.join(back, "run.sh"), "utf8")).toContain("changed");
      const changed = (lines: readonly string[]): string[] => lines.filter((line) => !line.includes("run.sh")).slice(1);
      expect(changed(snapshot(back, { withoutOwnDir: true }))).toEqual(changed(before));
      const { mode, uid, gid } = fs.statSync(path.join(back, "run.sh"));
      expect([mode & 0o7777, uid, gid]).toEqual([0o6751, 4711, 4712]);
    } finally {
      home.remove();
    }
  });

  it("names that this drive can't hold, or not tell apart, have another form here; changed and locked here, all have their own again at home", async () => {
    plugIn(kind);
    const home = new Drive("ext4");
    try {
      const original = path.join(home.at, "Desk");
      const names = [
        "Is it whole?.txt",
        "README.txt",
        "Readme.txt",
        "a%3Fb",
        "ends in a dot.",
        "con",
        ".EREMOS",
        "50 %.txt",
        path.join("what:now", "Is it whole?.txt"),
        path.join("what:now", "readme.txt"),
      ];
      for (const name of names) {
        fs.mkdirSync(path.dirname(path.join(original, name)), { recursive: true });
        fs.writeFileSync(path.join(original, name), `this is ${name}`);
      }
      fs.writeFileSync(Buffer.concat([Buffer.from(`${original}/`), Buffer.from([0x80, 0x61])]), "");
      const before = snapshot(original);
      const first = await lock(original, person.owner);
      const copy = path.join(drive.at, "Desk");
      fs.cpSync(original, copy, { recursive: true });
      await expect(release(copy, person.access)).rejects.toMatchObject({
        code: "unsupported",
        message: expect.stringContaining("open it here without releasing it"),
      });
      const out = path.join(drive.at, "Out");
      const report = await rescue({
        folder: Buffer.from(copy),
        to: Buffer.from(out),
        secret: async () => ({ kind: "password", password: PASSWORD, folderPassword: null }),
      });
      expect([report.files, [...report.notGiven].sort()]).toEqual([
        names.length + 1,
        [expect.stringContaining("Names that this disk can't hold"), NOT_GIVEN.times],
      ]);
      const opened = await unlock(copy, person.access);
      const contentsOf = (at: string): string[] =>
        fs
          .readdirSync(at, { recursive: true, encoding: "utf8" })
          .filter((name) => !name.startsWith(".eremos"))
          .sort();
      expect(contentsOf(out).map((name) => name.replace(".EREMOS%~2", ".EREMOS"))).toEqual(
        contentsOf(copy).map((name) => name.replace(".EREMOS%~2", ".EREMOS")),
      );
      expect(
        fs
          .readdirSync(copy, { recursive: true, encoding: "utf8" })
          .filter((name) => !name.startsWith(".eremos"))
          .sort(),
      ).toEqual([
        "%63on",
        "%80a",
        ".EREMOS%~2",
        "50 %.txt",
        "Is it whole%3f.txt",
        "README.txt",
        "Readme%~2.txt",
        "a%253Fb",
        "ends in a dot%2e",
        "what%3anow",
        "what%3anow/Is it whole%3f.txt",
        "what%3anow/readme%~3.txt",
      ]);
      expect(
        (
          await changesSinceLock(
            linuxDisk,
            { path: Buffer.from(copy), access: person.access, keptHeader: null, expected: null, accept: [], most: 10 },
            silentHooks,
          )
        ).changes,
      ).toEqual([]);
      const held = path.join(copy, "Is it whole%3f.txt");
      expect(fs.readFileSync(held, "utf8")).toBe("this is Is it whole?.txt");
      fs.writeFileSync(held, "it is");
      await lock(copy, person.owner, { folder: first.folder, note: opened.note });
      const back = path.join(home.at, "Back");
      fs.cpSync(copy, back, { recursive: true });
      await release(back, person.access);
      expect(fs.readFileSync(path.join(back, "Is it whole?.txt"), "utf8")).toBe("it is");
      fs.writeFileSync(path.join(back, "Is it whole?.txt"), "this is Is it whole?.txt");
      const shown = (lines: readonly string[]): string[] => lines.slice(1).map((line) => line.replace(/mtime=\d+/, ""));
      expect(shown(snapshot(back))).toEqual(shown(before));
    } finally {
      home.remove();
    }
  });

  it(
    kind === "exfat"
      ? "a folder with links is refused with what this drive can't hold, a rescue brings everything else out and says so, and it opens at home again"
      : "a folder with one of everything opens here, and is as it was at home after a lock here",
    async () => {
      plugIn(kind);
      const home = new Drive("ext4");
      try {
        const original = path.join(home.at, "Desk");
        fs.mkdirSync(original);
        makeMixedTree(original);
        const before = snapshot(original);
        const plain = path.join(home.at, "Plain");
        fs.mkdirSync(plain);
        makeMixedTree(plain);
        const { folder: id } = await lock(original, person.owner);
        const copy = path.join(drive.at, "Desk");
        fs.cpSync(original, copy, { recursive: true });
        let last = original;
        if (kind === "exfat") {
          const failure = await unlock(copy, person.access).then(
            () => null,
            (error: unknown) => error,
          );
          expect(failure).toMatchObject({
            code: "unsupported",
            message: expect.stringMatching(/can't hold .*encrypted copy is whole/s),
          });
          expect(fs.readdirSync(copy).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
          for (const dresser of [plainDresser, wholeDresser(linuxDisk)]) {
            const out = path.join(drive.at, dresser === plainDresser ? "Out" : "Out again");
            const report = await rescue({
              folder: Buffer.from(copy),
              to: Buffer.from(out),
              dresser,
              secret: async () => ({ kind: "password", password: PASSWORD, folderPassword: null }),
            });
            expect([report.damaged, report.problems]).toEqual([[], []]);
            for (const what of [
              "link to letter: a link, to letter.txt, which this disk can't hold",
              "Second names of one file",
            ])
              expect(report.notGiven.join("\n")).toContain(what);
            for (const name of ["letter.txt", path.join("photos", "same letter.txt"), path.join("photos", "large.bin")])
              expect(fs.readFileSync(path.join(out, name)).equals(fs.readFileSync(path.join(plain, name)))).toBe(true);
          }
        } else {
          const { note } = await unlock(copy, person.access);
          await lock(copy, person.owner, { folder: id, note });
          last = path.join(home.at, "Back");
          fs.cpSync(copy, last, { recursive: true });
        }
        await release(last, person.access);
        expect(snapshot(last).slice(1)).toEqual(before.slice(1));
      } finally {
        home.remove();
      }
    },
  );
});
