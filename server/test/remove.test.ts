import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { sweepErased } from "@eremos/core";
import type { Protection } from "../src/contract";
import { finishCutOff, mediumView, overwrite, overwriteFree } from "../src/operations/folders/overwriting";
import { listFolders } from "../src/operations/folders/list-folders";
import { clearTraces, keptTraces } from "../src/operations/folders/traces";
import { lock } from "../src/operations/locking/lock-folder";
import { unlock } from "../src/operations/locking/open-folder";
import { emptyTrash, putBackFromTrash, removeNow, removeToTrash } from "../src/operations/locking/remove";
import { recoverInterrupted } from "../src/operations/ways-back/recover-interrupted";
import { TestHouse, sealedAnd, toldOf } from "./house";

let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const BARRED: Protection = { ...sealedAnd("view"), guard: "barred", bars: { others: "nothing", own: "everything" } };

async function locked(folder: string, protection: Protection = sealedAnd("hidden")): Promise<string> {
  await lock(house.eremos, { path: folder, protection, inUseAnyway: false, from: "/" }).then(({ outcome }) => outcome);
  return idOf(folder);
}
const idOf = (folder: string): string => listFolders(house.eremos).find((one) => one.path === folder)?.id ?? "";
const viewOf = (id: string) => listFolders(house.eremos).find((one) => one.id === id);
const open = async (id: string): Promise<unknown> =>
  (await unlock(house.eremos, { pathOrId: id, from: "/", mode: { kind: "usual" }, accept: [] })).outcome;
const intoTrash = async (id: string, days = 30): Promise<unknown> => (await removeToTrash(house.eremos, id, days)).done;
const NOW = { passes: 0, history: false, traces: false };
const names = (): string[] => fs.readdirSync(house.world).sort();

describe("Eremos' trash", () => {
  it.each([
    ["sealed, hidden", sealedAnd("hidden")],
    ["sealed, in view", sealedAnd("view")],
    ["barred, in view", BARRED],
  ] as const)("%s: out of sight there, told with its days, and back with one call as it was", async (_, protection) => {
    const folder = house.makeFolder("Payroll");
    const id = await locked(folder, protection);
    const before = names();
    await intoTrash(id, 7);
    expect(names()).toEqual([".eremos-held"]);
    expect(viewOf(id)).toMatchObject({ state: "locked", removed: { daysLeft: 7 } });
    await expect(open(id)).rejects.toMatchObject({ code: "not-found" });
    await putBackFromTrash(house.eremos, id);
    expect(viewOf(id)).toMatchObject({ removed: null, visibility: protection.visibility, guard: protection.guard });
    // A hidden name is chosen anew.
    expect(names().filter((name) => !name.startsWith("."))).toEqual(before.filter((name) => !name.startsWith(".")));
    await open(id);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("one that lies open is locked first, with what changed in it", async () => {
    const folder = house.makeFolder("Payroll");
    const id = await locked(folder);
    await open(id);
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Ines");
    await intoTrash(id);
    expect(names()).toEqual([".eremos-held"]);
    await putBackFromTrash(house.eremos, id);
    await open(id);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Ines");
  });

  it("a new folder can be locked at its place meanwhile; then it comes back only when that place is free", async () => {
    const folder = house.makeFolder("Payroll");
    const id = await locked(folder);
    await intoTrash(id);
    house.makeFolder("Payroll", { "new.txt": "new" });
    await expect(putBackFromTrash(house.eremos, id)).rejects.toMatchObject({ code: "path-taken" });
    expect(viewOf(id)?.removed).not.toBeNull();
    const other = await locked(folder);
    const both = listFolders(house.eremos).filter((one) => one.path === folder);
    expect(both.map((one) => one.removed !== null).sort()).toEqual([false, true]);
    expect(other).not.toBe("");
  });

  it("goes for good after its days as Eremos counts them, and not before, however far the clock jumps", async () => {
    const id = await locked(house.makeFolder("Payroll"));
    await intoTrash(id, 3);
    const { days } = house.eremos.data.countedDays() ?? { days: 0 };
    const set = (counted: number, at: number): void => house.eremos.data.writeCountedDays({ days: counted, at });
    set(days + 2.9, Date.now() - 10 * 365 * 24 * 3600 * 1000);
    expect(await emptyTrash(house.eremos)).toBe(0);
    expect(viewOf(id)).toBeDefined();
    set(days + 3.1, Date.now());
    expect(await emptyTrash(house.eremos)).toBe(1);
    expect(viewOf(id)).toBeUndefined();
    expect(names()).toEqual([]);
  });
});

describe("Removing for good", () => {
  it("needs the name as it is; then nothing is left of it on the disk, in the list, in the kept traces or the database", async () => {
    const folder = house.makeFolder("Payroll");
    const marks = path.join(house.base, "config", "gtk-3.0", "bookmarks");
    fs.mkdirSync(path.dirname(marks), { recursive: true });
    fs.writeFileSync(marks, `file://${folder}\n`);
    const id = await locked(folder);
    await clearTraces(house.eremos, id, "/", {
      ids: null,
      kinds: null,
      onlySure: true,
      keep: true,
      byInside: false,
      overwrite: 0 as const,
    }).then(({ outcome }) => outcome);
    expect(await keptTraces(house.eremos)).toHaveLength(1);
    const header = house.eremos.registry.header(id) ?? Buffer.alloc(0);
    expect(header.length).toBeGreaterThan(0);
    await expect(removeNow(house.eremos, { ...NOW, folder: id, name: "payroll" })).rejects.toMatchObject({
      code: "usage",
    });
    expect(viewOf(id)?.state).toBe("locked");
    await (
      await removeNow(house.eremos, { ...NOW, folder: id, name: "Payroll" })
    ).done;
    expect(names()).toEqual([]);
    expect(viewOf(id)).toBeUndefined();
    expect(await keptTraces(house.eremos)).toEqual([]);
    expect(house.eremos.data.note(id)).toBeNull();
    const sealed = header.toString("latin1").slice(20, 220);
    for (const name of fs.readdirSync(house.data).filter((one) => one.startsWith("eremos.db")))
      expect([name, fs.readFileSync(path.join(house.data, name)).includes(Buffer.from(sealed, "latin1"))]).toEqual([
        name,
        false,
      ]);
    expect(toldOf(house.eremos)[0]).toMatchObject({ kind: "erased", name: "Payroll" });
  });

  it("with its history, and what elsewhere surely names it, where that is asked", async () => {
    const folder = house.makeFolder("Payroll");
    const other = house.makeFolder("Photos");
    const marks = path.join(house.base, "config", "gtk-3.0", "bookmarks");
    fs.mkdirSync(path.dirname(marks), { recursive: true });
    fs.writeFileSync(marks, `file://${folder}\nfile:///elsewhere\n`);
    const id = await locked(folder);
    await locked(other);
    await (
      await removeNow(house.eremos, { folder: id, name: "Payroll", passes: 1, history: true, traces: true })
    ).done;
    expect(fs.readFileSync(marks, "utf8")).toBe("file:///elsewhere\n");
    expect(toldOf(house.eremos).map(({ name }) => name)).toEqual(["Photos"]);
  });

  it("of one that lies open, and of one in the trash", async () => {
    const [one, two] = [await locked(house.makeFolder("One")), await locked(house.makeFolder("Two"))];
    await open(one);
    await intoTrash(two);
    for (const [folder, name] of [
      [one, "One"],
      [two, "Two"],
    ] as const)
      await (
        await removeNow(house.eremos, { ...NOW, folder, name })
      ).done;
    expect(names()).toEqual([]);
    expect(listFolders(house.eremos)).toEqual([]);
  });

  it("cut off half way, the next start ends it without asking; the list follows at the next sign-in", async () => {
    const folder = house.makeFolder("Payroll");
    const id = await locked(folder);
    const { realPath } = viewOf(id) ?? { realPath: "" };
    const kept = path.join(house.base, "kept");
    // As a kill leaves it: the record says so, and most is still there.
    const state = path.join(realPath, ".eremos");
    fs.cpSync(state, kept, { recursive: true });
    const stop = new Error("killed");
    const { disk } = house.eremos;
    const { eraseFolder } = await import("../../core/src/engine/guards");
    const dying = new Proxy(disk, {
      get(target, key: keyof typeof disk) {
        if (key !== "barrier") return target[key];
        return () => {
          throw stop;
        };
      },
    });
    const { ino, birthtimeNs } = fs.statSync(path.dirname(folder), { bigint: true });
    noteErasing(id, `${ino}:${birthtimeNs}`);
    await expect(
      eraseFolder(
        dying,
        { path: Buffer.from(realPath), folder: id, guard: "sealed", passes: 0 },
        { progress: () => undefined, cancelled: () => false },
      ),
    ).rejects.toThrow();
    expect(fs.existsSync(state)).toBe(true);
    house.restart();
    await recoverInterrupted(house.eremos);
    expect(names()).toEqual([]);
    expect(house.eremos.data.note(id)).not.toBeNull();
    await house.signIn();
    expect(viewOf(id)).toBeUndefined();
    expect(house.eremos.data.note(id)).toBeNull();
  });

  it("its drive is away when the next start looks: it is not taken for gone", async () => {
    const folder = house.makeFolder("Payroll");
    const id = await locked(folder);
    noteErasing(id, "1:1");
    const { realPath } = viewOf(id) ?? { realPath: "" };
    fs.renameSync(realPath, path.join(house.base, "away"));
    await recoverInterrupted(house.eremos);
    expect(house.eremos.data.note(id)).not.toBeNull();
    expect(viewOf(id)?.state).toBe("away");
    sweepErased(house.eremos.disk, Buffer.from(folder), id);
    fs.renameSync(path.join(house.base, "away"), realPath);
  });
});

/** As a removal leaves it that was cut off. */
function noteErasing(id: string, beside: string): void {
  const record = house.eremos.registry.list(house.eremos.requireKeys()).find((one) => one.id === id);
  if (record) house.eremos.ledger.erasing(record, { history: false, beside });
}

describe("Overwriting, as it is asked for", () => {
  const asked = (paths: readonly string[]) => overwrite(house.eremos, { paths, passes: 1, allNames: false, from: "/" });

  it("files and folders go, and the record of what was begun with them", async () => {
    const folder = house.makeFolder("Old photos");
    expect(await asked([folder]).outcome).toMatchObject({ files: 1, left: [] });
    expect(names()).toEqual([]);
    expect(fs.readdirSync(path.join(house.data, "overwriting"))).toEqual([]);
    expect(await finishCutOff(house.eremos)).toBe(0);
  });

  it("what is protected, lies in that, belongs to Eremos, is off limits or outside the places is refused untouched", async () => {
    const folder = house.makeFolder("Payroll");
    await locked(folder, sealedAnd("view"));
    const inside = path.join(folder, ".eremos", "header.json");
    for (const [paths, code] of [
      [[folder], "nested"],
      [[inside], "nested"],
      [[house.world], "off-limits"],
      [["/etc/hostname"], "off-limits"],
      [[house.data], "off-limits"],
      [["/elsewhere/letters"], "outside-places"],
    ] as const)
      expect(() => asked(paths)).toThrow(expect.objectContaining({ code }) as Error);
    expect(fs.existsSync(inside)).toBe(true);
    expect(() => overwriteFree(house.eremos, "/etc", "/")).toThrow(
      expect.objectContaining({ code: "outside-places" }) as Error,
    );
  });

  it("what it reaches is told before the choice, for a path that is not there, too", () => {
    const view = mediumView(house.eremos, path.join(house.world, "not", "there"), "/");
    expect(view.verdict).not.toBe("");
    expect(view.contents === "reached" || view.because.length > 0).toBe(true);
  });
});
