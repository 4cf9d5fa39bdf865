import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Days } from "../src/days";
import { UNTIL_LOCKED } from "../src/locking-rules";
import { setRules } from "../src/operations/folders/preferences";
import { clearTraces, keptTraces, putTracesBack, sweepKept, tracesOf } from "../src/operations/folders/traces";
import { lock } from "../src/operations/locking/lock-folder";
import { unlock } from "../src/operations/locking/open-folder";
import { newKeysAtOnce } from "../src/operations/ways-back/new-keys";
import { PASSWORD, TestHouse, sealedAnd } from "./house";

const DAY_MS = 24 * 3600 * 1000;
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
});
afterEach(() => house.remove());

const bookmarks = (): string => path.join(house.base, "config", "gtk-3.0", "bookmarks");
function remember(...folders: readonly string[]): string {
  const text = [...folders, "/elsewhere"].map((folder) => `file://${folder}\n`).join("");
  fs.mkdirSync(path.dirname(bookmarks()), { recursive: true });
  fs.writeFileSync(bookmarks(), text);
  return text;
}
const lockNow = (folder: string) =>
  lock(house.eremos, { path: folder, protection: sealedAnd("hidden"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );

const openNow = async (folder: string) =>
  (await unlock(house.eremos, { pathOrId: folder, from: "/", mode: { kind: "usual" }, accept: [] })).outcome;

const ALL_SURE = { ids: null, kinds: null, onlySure: true, keep: true, byInside: false, overwrite: 0 as const };

describe("days, for what is kept so many of them", () => {
  let [wall, steady] = [0, 0];
  const days = (): Days => new Days(house.eremos.data, { wall: () => wall, steady: () => steady });
  beforeEach(() => void ([wall, steady] = [1_000 * DAY_MS, 0]));

  it("pass as the clocks go", () => {
    const counted = days();
    expect(counted.now()).toBe(0);
    for (const clock of [1, 2, 3]) {
      [wall, steady] = [(1_000 + clock) * DAY_MS, clock * DAY_MS];
      expect(counted.now()).toBeCloseTo(clock);
    }
    wall += DAY_MS / 2;
    expect(days().now()).toBeCloseTo(3.5);
  });

  it("are never more than passed, however far the wall clock jumps", () => {
    const counted = days();
    counted.now();
    wall += 3650 * DAY_MS;
    steady += 1000;
    expect(counted.now()).toBeLessThan(0.001);
    wall -= 5000 * DAY_MS;
    expect(counted.now()).toBeLessThan(0.001);
    // While it did not run nobody counted: at most one.
    wall += 9000 * DAY_MS;
    expect(days().now()).toBeLessThan(1.01);
  });
});

describe("traces", () => {
  it("that were cleared are kept for seven days and put back, also after new keys were made", async () => {
    await house.signIn();
    const folder = house.makeFolder("Payroll");
    const text = remember(folder);
    await lockNow(folder);
    const [record] = house.eremos.registry.list(house.eremos.requireKeys());
    const id = record?.id ?? "";
    expect((await tracesOf(house.eremos, id, "/", false)).traces).toHaveLength(1);
    const { ids, kept } = await clearTraces(house.eremos, id, "/", ALL_SURE).then(({ outcome }) => outcome);
    expect([ids.length, fs.readFileSync(bookmarks(), "utf8")]).toEqual([1, "file:///elsewhere\n"]);
    expect(await keptTraces(house.eremos)).toMatchObject([{ id: kept, folder: id, traces: 1, daysLeft: 7 }]);
    const NEW = "a tin roof in the rain";
    await newKeysAtOnce(house.eremos, { current: PASSWORD, password: NEW, hint: null });
    expect(await putTracesBack(house.eremos, kept ?? "")).toEqual({ back: 1, left: [] });
    expect(fs.readFileSync(bookmarks(), "utf8")).toBe(text);
    await expect(putTracesBack(house.eremos, kept ?? "")).rejects.toMatchObject({ code: "not-found" });
    await expect(putTracesBack(house.eremos, "../../owner")).rejects.toMatchObject({ code: "not-found" });
  });

  it("are forgotten when their days are over, and not before", async () => {
    await house.signIn();
    const folder = house.makeFolder("Payroll");
    remember(folder);
    await lockNow(folder);
    await clearTraces(house.eremos, folder, "/", ALL_SURE).then(({ outcome }) => outcome);
    const day = (days: number): void => house.eremos.data.writeCountedDays({ days, at: Date.now() });
    day(6.9);
    expect(await sweepKept(house.eremos)).toHaveLength(1);
    day(7.1);
    expect(await sweepKept(house.eremos)).toEqual([]);
    expect(fs.readdirSync(house.eremos.data.cleared)).toEqual([]);
  });

  it("go by themselves after each lock by the rules of the folder, with nobody signed in, and of no other kind or folder", async () => {
    await house.signIn();
    const [folder, other] = [house.makeFolder("Payroll"), house.makeFolder("Letters")];
    await lockNow(folder);
    await setRules(house.eremos, folder, { ...UNTIL_LOCKED, clears: ["bookmarks"] });
    await openNow(folder);
    remember(folder, other);
    house.restart();
    expect(house.eremos.keys).toBeNull();
    await lockNow(folder);
    expect(fs.readFileSync(bookmarks(), "utf8")).toBe(`file://${other}\nfile:///elsewhere\n`);
    expect(house.eremos.jobs.list()[0]?.summary).toContain("1 trace of Payroll was cleared");
    await house.signIn();
    const [kept] = await keptTraces(house.eremos);
    expect(await putTracesBack(house.eremos, kept?.id ?? "")).toEqual({ back: 1, left: [] });

    await setRules(house.eremos, folder, { ...UNTIL_LOCKED, clears: ["shell"] });
    await openNow(folder);
    const text = remember(folder, other);
    await lockNow(folder);
    expect(fs.readFileSync(bookmarks(), "utf8")).toBe(text);
  });

  it("that a program writes back go a minute later, while the folder is locked, and not once it was opened", async () => {
    await house.signIn();
    house.eremos.isLasting = true;
    const folder = house.makeFolder("Payroll");
    await lockNow(folder);
    await setRules(house.eremos, folder, { ...UNTIL_LOCKED, clears: ["bookmarks"] });
    vi.useFakeTimers({ toFake: ["setTimeout"] });
    try {
      await openNow(folder);
      await lockNow(folder);
      const text = remember(folder);
      vi.advanceTimersByTime(59_000);
      expect(fs.readFileSync(bookmarks(), "utf8")).toBe(text);
      vi.advanceTimersByTime(2000);
      await vi.waitFor(() => expect(fs.readFileSync(bookmarks(), "utf8")).toBe("file:///elsewhere\n"));
      await openNow(folder);
      await lockNow(folder);
      await openNow(folder);
      remember(folder);
      vi.advanceTimersByTime(61_000);
    } finally {
      vi.useRealTimers();
    }
    expect((await tracesOf(house.eremos, folder, "/", false)).traces).toHaveLength(1);
  });

  it("that can't be cleared after a lock leave the folder locked, and are told of", async () => {
    await house.signIn();
    const folder = house.makeFolder("Payroll");
    await lockNow(folder);
    await setRules(house.eremos, folder, { ...UNTIL_LOCKED, clears: ["bookmarks"] });
    await openNow(folder);
    const text = remember(folder);
    fs.writeFileSync(house.eremos.data.cleared, "in the way");
    await lockNow(folder);
    expect(fs.existsSync(folder)).toBe(false);
    expect(house.eremos.jobs.list()[0]?.summary).toContain("Its traces elsewhere were not cleared");
    expect(fs.readFileSync(bookmarks(), "utf8")).toBe(text);
  });
});
