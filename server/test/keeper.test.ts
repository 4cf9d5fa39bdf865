import { type ChildProcess, spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { OpeningMode } from "../src/contract";
import { closeUp } from "../src/operations/locking/close-up";
import { listFolders } from "../src/operations/folders/list-folders";
import { lock, lockAgain } from "../src/operations/locking/lock-folder";
import { keepOpen, setPreferences, setRules } from "../src/operations/folders/preferences";
import { unlock } from "../src/operations/locking/open-folder";
import { signOut } from "../src/operations/entrance/sign-in";
import { Keeper } from "../src/watch/keeper";
import { KnownOpen } from "../src/watch/known-open";
import { TestHouse, sealedAnd, toldOf } from "./house";

const MINUTE = 60_000;

let house: TestHouse;
let folder: string;
let now: number;
/** What the clock that never goes back is ahead of it. */
let ahead: number;
let known: KnownOpen;
let keeper: Keeper;
const keeperOf = (of: KnownOpen): Keeper => new Keeper(house.eremos, (path) => lockAgain(house.eremos, path), of);
const holders: ChildProcess[] = [];
beforeEach(async () => {
  house = await TestHouse.make();
  folder = house.makeFolder("Payroll");
  await house.signIn();
  await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  now = Date.now();
  ahead = 0;
  known = new KnownOpen({ wall: () => now, steady: () => now + ahead });
  keeper = keeperOf(known);
});
afterEach(async () => {
  for (const holder of holders.splice(0))
    if (holder.exitCode === null && holder.signalCode === null) await letGo(holder);
  house.remove();
});

async function open(mode: OpeningMode = { kind: "usual" }): Promise<void> {
  await (
    await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode })
  ).outcome;
}
const isLocked = (): boolean => !fs.existsSync(path.join(folder, "letter.txt"));
const view = (): ReturnType<typeof listFolders>[number] =>
  listFolders(house.eremos)[0] ?? expect.fail("the folder is not in the list");

const noteNow = () => house.eremos.data.note(view().id) ?? expect.fail("it lies open");

async function after(minutes: number): Promise<boolean> {
  now = Date.now() + minutes * MINUTE;
  await keeper.look();
  return isLocked();
}

async function hold(file: string): Promise<ChildProcess> {
  const holder = spawn("sleep", ["60"], { stdio: [fs.openSync(file, "r"), "ignore", "ignore"] });
  holders.push(holder);
  await expect.poll(() => fs.readlinkSync(`/proc/${holder.pid ?? 0}/exe`)).toContain("sleep");
  return holder;
}

async function letGo(holder: ChildProcess): Promise<void> {
  const ended = new Promise((resolve) => holder.once("exit", resolve));
  holder.kill();
  await ended;
}

describe("a folder left open locks by itself", () => {
  it("after a while, signed in or out, and not before", async () => {
    await open({ kind: "while", minutes: 15 });
    expect(view()).toMatchObject({ state: "open", locksWhenIdle: false, atSignOut: "lock" });
    expect(await after(14)).toBe(false);
    expect(await after(15.1)).toBe(true);
    expect(view()).toMatchObject({ state: "locked", locksAt: null });
    await open({ kind: "while", minutes: 15 });
    house.eremos.forget();
    expect(await after(15.1)).toBe(true);
  });

  it("when nothing in it changed for a while; a change puts it off", async () => {
    await open();
    const note = house.eremos.data.note(view().id) ?? expect.fail("there is no note");
    house.eremos.data.writeNote({ ...note, openedAt: Date.now() - 40 * MINUTE });
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Marta");
    expect(await after(0)).toBe(false);
    expect(known.locksAt(note)).toBeGreaterThan(Date.now() + 29 * MINUTE);
    expect(await after(29)).toBe(false);
    expect(await after(30.1)).toBe(true);
  });

  it("until it is locked it stays open when it was opened so; and when asked to stay open longer", async () => {
    await open({ kind: "until-locked" });
    expect(view()).toMatchObject({ locksAt: null, atSignOut: "leave" });
    expect(await after(60 * 24 * 30)).toBe(false);
    await setRules(house.eremos, view().id, {
      afterMinutes: 10,
      idleMinutes: null,
      letGoSeconds: null,
      atLetGo: "lock",
      atSignOut: "lock",
      atStop: false,
      atSleep: false,
      clears: [],
      overwrites: 0,
    });
    keepOpen(house.eremos, view().id, 60);
    expect(await after(59)).toBe(false);
    expect(await after(61)).toBe(true);
    await open();
    expect(view().locksAt).toBeLessThan(Date.now() + 10.1 * MINUTE);
  });

  it("a folder in use is not torn away: it waits, names the program, and locks when that lets go", async () => {
    await open({ kind: "while", minutes: 15 });
    await hold(path.join(folder, "letter.txt"));
    expect(await after(16)).toBe(false);
    expect(known.programsHolding(view().id)).toEqual(["sleep"]);
    const [holder] = holders.splice(0);
    const ended = new Promise((resolve) => holder?.once("exit", resolve));
    holder?.kill();
    await ended;
    expect(await after(17)).toBe(true);
  });

  it.each([
    ["after a while", { kind: "while", minutes: 15 }],
    ["when nobody has used it for a while", { kind: "usual" }],
  ] as const)("%s, also where the clock is set back meanwhile by three hours", async (_when, mode) => {
    await open(mode);
    await keeper.look();
    ahead = 180 * MINUTE;
    expect(await after(-180 + 14)).toBe(false);
    for (const minutes of [16, 32, 48, 64]) await after(-180 + minutes);
    expect(isLocked()).toBe(true);
  });

  it("at the next start, when it was left open by a stop that could not wait", async () => {
    await open();
    house.restart();
    keeper = keeperOf(house.eremos.knownOpen);
    await keeper.start();
    keeper.stop();
    expect(isLocked()).toBe(true);
    await house.signIn();
    await open({ kind: "until-locked" });
    house.restart();
    keeper = keeperOf(house.eremos.knownOpen);
    await keeper.start();
    keeper.stop();
    expect(isLocked()).toBe(false);
  });
});

describe("signing out", () => {
  const drained = (): Promise<void> => house.eremos.jobs.drain(20_000);

  it("locks what is to be locked then, and leaves what is to stay", async () => {
    await open();
    signOut(house.eremos);
    await drained();
    expect(isLocked()).toBe(true);
    await house.signIn();
    await open({ kind: "leaving" });
    signOut(house.eremos, true);
    await drained();
    expect(isLocked()).toBe(false);
    await house.signIn();
    signOut(house.eremos);
    await drained();
    expect(isLocked()).toBe(true);
  });

  it("soon after the last program lets go of its files, where it was opened so; not before one had taken any", async () => {
    await open({ kind: "programs" });
    await keeper.look();
    expect(await after(1)).toBe(false);
    const program = await hold(path.join(folder, "letter.txt"));
    expect(await after(2)).toBe(false);
    await letGo(program);
    ahead += 4000;
    expect(await after(2)).toBe(false);
    ahead += 7000;
    expect(await after(2)).toBe(true);
  });

  it("asks once the last program lets go, where it was opened so, and stays open; no more while one uses it again", async () => {
    await open({ kind: "programs-ask" });
    const isAsked = (): boolean => known.isAskedAbout(view().id);
    const program = await hold(path.join(folder, "letter.txt"));
    expect(await after(1)).toBe(false);
    await letGo(program);
    expect([await after(1), isAsked()]).toEqual([false, false]);
    ahead += 11_000;
    expect([await after(2), isAsked()]).toEqual([false, true]);
    await hold(path.join(folder, "letter.txt"));
    expect([await after(2), isAsked()]).toEqual([false, false]);
  });

  it("follows what is set for all", async () => {
    await setPreferences(house.eremos, {
      ...house.eremos.preferences.get(),
      rules: {
        afterMinutes: 5,
        idleMinutes: null,
        letGoSeconds: null,
        atLetGo: "lock",
        atSignOut: "leave",
        atStop: false,
        atSleep: false,
        clears: [],
        overwrites: 0,
      },
    });
    await open();
    expect(view().locksAt).toBeGreaterThan(Date.now() + 4 * MINUTE);
    signOut(house.eremos);
    await drained();
    expect(isLocked()).toBe(false);
    expect(await after(6)).toBe(true);
  });
});

it("that it locked by itself is written down with why: its time, that nobody used it, the computer's sleep, a stop", async () => {
  const why = (): unknown => toldOf(house.eremos)[0];
  const rules = house.eremos.preferences.get().rules;
  await open({ kind: "while", minutes: 15 });
  expect(await after(15.1)).toBe(true);
  expect(why()).toMatchObject({ kind: "locked", from: "itself", why: "time", since: expect.any(Number) as number });
  await setRules(house.eremos, view().id, { ...rules, afterMinutes: null, idleMinutes: 15 });
  await open();
  expect(await after(16)).toBe(true);
  expect(why()).toMatchObject({ kind: "locked", why: "idle" });
  await open({ kind: "until-locked" });
  house.eremos.ledger.renoted({ ...noteNow(), rules: { ...noteNow().rules, atSleep: true } });
  now = Date.now() + 1000;
  await keeper.lockBeforeAway();
  expect(why()).toMatchObject({ kind: "locked", why: "asleep" });
  await open({ kind: "until-locked" });
  house.eremos.ledger.renoted({ ...noteNow(), rules: { ...noteNow().rules, atStop: true } });
  await keeper.start();
  keeper.stop();
  expect(why()).toMatchObject({ kind: "locked", why: "after-stop" });
});

it("closing up locks everything that lies open, and says what it could not", async () => {
  await open({ kind: "until-locked" });
  const second = house.makeFolder("Letters");
  await lock(house.eremos, { path: second, protection: sealedAnd("hidden"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  await (
    await unlock(house.eremos, { pathOrId: second, from: "/", accept: [], mode: { kind: "until-locked" } })
  ).outcome;
  house.eremos.forget();
  const { locking, left } = await closeUp(house.eremos, false);
  expect(left).toEqual([]);
  await Promise.all(locking.map(({ job }) => job.outcome));
  expect(isLocked()).toBe(true);
  expect(fs.existsSync(second)).toBe(false);
});
