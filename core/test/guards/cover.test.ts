import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { changeVisibility } from "../support/guarding";
import { changeGuarded, guardFolder, openGuarded, releaseOpenFolder } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { recoverFolder } from "../../src/engine/guards/recover";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import {
  ICON,
  ITEM,
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
let before: string[];
beforeEach(async () => {
  person = await newPerson();
  base = newDirectory();
  folder = path.join(base, "Adoption papers");
  fs.mkdirSync(folder);
  makeMixedTree(folder);
  fs.writeFileSync(path.join(folder, ".directory"), "[Desktop Entry]\nIcon=mine\n");
  before = snapshot(folder);
});
afterEach(() => removeDirectory(base));

const at = (...parts: string[]): string => path.join(base, ...parts);

describe("the file by which a computer with Eremos opens it", () => {
  const item = (): string => path.join(folder, "Open with Eremos");

  it("stands beside the page while it is locked, is no arrival, and goes when it opens", async () => {
    fs.writeFileSync(item(), "the owner's own file of that name");
    before = snapshot(folder);
    const { folder: id, realPath } = await lock(folder, person.owner, { item: ITEM });
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html", "Open with Eremos"]);
    expect(fs.readFileSync(item())).toEqual(ITEM);
    expect(locateFolder(linuxDisk, realPath, id)?.inspection.arrivals).toBe(0);
    await unlock(realPath, person.access);
    await releaseOpenFolder(linuxDisk, realPath);
    expect(snapshot(folder)).toEqual(before);
  });

  it("put there by somebody else instead, it is kept as a file that arrived", async () => {
    const { realPath } = await lock(folder, person.owner, { item: ITEM });
    fs.writeFileSync(item(), "Eremos item 1\nfrom a stranger\n");
    await unlock(realPath, person.access);
    expect(fs.existsSync(item())).toBe(true);
    expect(fs.readFileSync(item(), "utf8")).toBe("Eremos item 1\nfrom a stranger\n");
  });
});

describe("a cover name", () => {
  it("shows in place of the folder's own, with an icon, and nothing tells the own one; opening brings back the same folder", async () => {
    const { folder: id, realPath } = await lock(folder, person.owner, { cover: "Recipes", icon: ICON });
    expect(realPath.toString()).toBe(at("Recipes"));
    expect(fs.readdirSync(base)).toEqual(["Recipes"]);
    expect(fs.readdirSync(realPath).sort()).toEqual([".directory", ".eremos", "Locked with Eremos.html"]);
    expect(fs.readFileSync(at("Recipes", ".directory"))).toEqual(ICON);
    const everything = fs
      .readdirSync(at("Recipes"), { recursive: true, encoding: "utf8" })
      .map((name) => at("Recipes", name))
      .filter((file) => fs.statSync(file).isFile())
      .map((file) => fs.readFileSync(file));
    expect(Buffer.concat(everything).includes("Adoption")).toBe(false);
    const located = locateFolder(linuxDisk, Buffer.from(folder), id);
    expect(located).toMatchObject({ realPath, inspection: { state: "sealed", visibility: "view", arrivals: 0 } });
    await unlock(realPath, person.access);
    expect(fs.readdirSync(base)).toEqual(["Adoption papers"]);
    await lock(folder, person.owner, { folder: id, cover: "Recipes" });
    await release(at("Recipes"), person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("is refused when it is no name, none that a stick can hold, or taken; taken later, the folder goes on under its own name", async () => {
    for (const name of [
      "",
      ".hidden",
      "a/b",
      "x".repeat(256),
      "a:b",
      "what?",
      "bills.",
      "bills ",
      "con",
      "LPT1.txt",
      "a\\b",
    ])
      await expect(lock(folder, person.owner, { cover: name })).rejects.toMatchObject({ code: "usage" });
    fs.mkdirSync(at("Recipes"));
    await expect(lock(folder, person.owner, { cover: "Recipes" })).rejects.toMatchObject({ code: "path-taken" });
    expect(snapshot(folder)).toEqual(before);
    const { realPath } = await lock(folder, person.owner, { cover: "Bills" });
    fs.renameSync(realPath, folder);
    fs.mkdirSync(at("Bills"));
    expect(recoverFolder(linuxDisk, Buffer.from(folder))).toMatchObject({ state: "sealed", steps: [] });
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("changes while the folder is locked, and so does the icon", async () => {
    const { realPath } = await lock(folder, person.owner);
    const places = [Buffer.from(base)];
    const become = (
      from: Buffer,
      to: { readonly visibility: "view" | "tucked"; readonly cover?: string; readonly icon?: Buffer },
    ): Promise<Buffer> =>
      changeVisibility(linuxDisk, { path: from, place: Buffer.from(folder), places, page: PAGE, ...to });
    const covered = await become(realPath, { visibility: "view", cover: "Recipes", icon: ICON });
    expect(fs.readdirSync(base)).toEqual(["Recipes"]);
    const tucked = await become(covered, { visibility: "tucked" });
    expect(fs.readdirSync(base)).toEqual([".eremos-held"]);
    expect(fs.readdirSync(tucked)).toEqual([".eremos"]);
    const again = await become(tucked, { visibility: "view", cover: "Old bills" });
    expect(fs.readdirSync(again).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    await release(again, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("serves a barred folder too", async () => {
    const guarding = {
      guard: "barred",
      bars: { others: "nothing", own: "everything" },
      visibility: "view",
      places: [Buffer.from(base)],
    } as const;
    const { path: first } = await guardFolder(
      linuxDisk,
      { ...guarding, cover: "Recipes", path: Buffer.from(folder), folder: "a".repeat(32), owner: person.access.owner },
      silentHooks,
    );
    expect(fs.readdirSync(base)).toEqual(["Recipes"]);
    const { path: now } = await changeGuarded(linuxDisk, {
      ...guarding,
      cover: "Old bills",
      path: first,
      place: Buffer.from(folder),
    });
    expect(fs.readdirSync(base)).toEqual(["Old bills"]);
    await openGuarded(linuxDisk, { path: now, place: Buffer.from(folder) });
    expect(snapshot(folder, { withoutOwnDir: true }).slice(1)).toEqual(before.slice(1));
  });
});
