import * as fs from "node:fs";
import * as path from "node:path";
import { beforeEach, describe, expect, it } from "vitest";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { type Place, usePlace } from "../support/place";
import { lock } from "../support/world";

let { person, base } = {} as Place;
usePlace((place) => ({ person, base } = place));

const MANY = 12;
let folders: { readonly path: Buffer; readonly id: string; readonly realPath: string }[];
beforeEach(async () => {
  folders = [];
  for (let i = 0; i < MANY; i++) {
    const folder = path.join(base, `Folder ${i}`);
    fs.mkdirSync(folder);
    fs.writeFileSync(path.join(folder, "letter.txt"), `letter ${i}`);
    const { folder: id, realPath } = await lock(folder, person.owner, { visibility: "hidden" });
    folders.push({ path: Buffer.from(folder), id, realPath: realPath.toString() });
  }
});

/** The real disk, as it is to somebody who has not seen anything on it yet; and how many directories were opened. */
function freshDisk(): { readonly disk: Disk; readonly opened: () => number } {
  let opened = 0;
  const disk = new Proxy(linuxDisk, {
    get(target, name: keyof Disk) {
      const method: unknown = target[name];
      if (name !== "openDir" && name !== "openRoot") return method;
      return (...args: unknown[]): unknown => {
        opened++;
        return Reflect.apply(method as (...all: unknown[]) => unknown, target, args);
      };
    },
  });
  return { disk, opened: () => opened };
}

const whereIs = (disk: Disk, { path: at, id }: (typeof folders)[number]): string | undefined =>
  locateFolder(disk, at, id)?.realPath.toString();

describe("hidden folders in one directory", () => {
  it("are all found, and finding all of them takes little more looks than finding one among the others", () => {
    const { disk, opened } = freshDisk();
    expect(folders.map((folder) => whereIs(disk, folder))).toEqual(folders.map(({ realPath }) => realPath));
    const forAll = opened();
    const one = freshDisk();
    const [last] = folders.slice(-1);
    if (last) whereIs(one.disk, last);
    expect(forAll).toBeLessThan(3 * one.opened());
  });

  it("are found where they are now, not where they were seen, and what stands there since is not taken for them", () => {
    const { disk } = freshDisk();
    for (const folder of folders) whereIs(disk, folder);
    const [first, second] = folders;
    if (!first || !second) throw new Error("there are folders");
    const moved = path.join(base, `.${"f".repeat(20)}`);
    fs.renameSync(first.realPath, moved);
    fs.renameSync(second.realPath, first.realPath);
    expect(whereIs(disk, second)).toBe(first.realPath);
    expect(whereIs(disk, first)).toBe(moved);
    fs.renameSync(moved, second.realPath);
    expect(whereIs(disk, first)).toBe(second.realPath);
    fs.renameSync(first.realPath, first.path);
    expect(whereIs(disk, { ...first, id: second.id })).toBe(first.path.toString());
  });

  it("are not found in another directory, where one of them was moved by hand", () => {
    const { disk } = freshDisk();
    for (const folder of folders) whereIs(disk, folder);
    const [first] = folders;
    if (!first) throw new Error("there are folders");
    const elsewhere = path.join(base, "Elsewhere");
    fs.mkdirSync(elsewhere);
    fs.renameSync(first.realPath, path.join(elsewhere, path.basename(first.realPath)));
    expect(whereIs(disk, { ...first, path: Buffer.from(path.join(elsewhere, "Folder 0")) })).toBeDefined();
    expect(whereIs(disk, first)).toBeUndefined();
  });
});
