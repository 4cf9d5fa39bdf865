import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, describe, expect, it } from "vitest";
import { inspectFolder } from "../src/engine/recover";
import { releaseOpenFolder } from "../src/engine/unlock";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import { CAN_MOUNT, Drive, type FileSystem } from "./mounts";
import { type Person, lock, makeMixedTree, newPerson, release, snapshot, unlock } from "./world";

let person: Person;
let drive: Drive;
let folder: string;
beforeAll(async () => {
  person = await newPerson();
});
afterEach(() => drive.remove());

function plugIn(kind: FileSystem): void {
  drive = new Drive(kind);
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

describe.runIf(CAN_MOUNT).each(["exfat", "ntfs"] as const)("a drive with %s", (kind) => {
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
      expect(snapshot(folder, { withoutVault: true }).slice(1)).toEqual(before.slice(1));

      // Same size, same time: only the content tells.
      const letter = path.join(folder, "Letter.txt");
      const { atime, mtime } = fs.statSync(letter);
      fs.writeFileSync(letter, "Dear Marta");
      fs.utimesSync(letter, atime, mtime);
      const edited = snapshot(folder, { withoutVault: true });
      const again = await lock(folder, person.owner, { visibility, folder: first.folder, note: opened.note });
      expect(again.generation).toBe(2);
      await release(again.realPath, person.access);
      expect(fs.readFileSync(letter, "utf8")).toBe("Dear Marta");
      expect(snapshot(folder).slice(1)).toEqual(edited.slice(1));

      const locked = await lock(folder, person.device, { visibility });
      const { path: open } = await unlock(locked.realPath, person.access);
      releaseOpenFolder(linuxDisk, open);
      expect(snapshot(folder).slice(1)).toEqual(edited.slice(1));
    },
  );

  it("a folder that came from a Linux disk is refused with what this drive can't hold, and opens at home again", async () => {
    plugIn(kind);
    const home = new Drive("ext4");
    try {
      const original = path.join(home.at, "Desk");
      fs.mkdirSync(original);
      makeMixedTree(original);
      const before = snapshot(original);
      await lock(original, person.owner);
      const copy = path.join(drive.at, "Desk");
      fs.cpSync(original, copy, { recursive: true });
      const failure = await unlock(copy, person.access).then(
        () => null,
        (error: unknown) => error,
      );
      expect(failure).toMatchObject({
        code: "unsupported",
        message: expect.stringMatching(/can't hold .*sealed copy is whole/s),
      });
      expect(fs.readdirSync(copy).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
      await release(original, person.access);
      expect(snapshot(original).slice(1)).toEqual(before.slice(1));
    } finally {
      home.remove();
    }
  });
});
