import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type * as z from "zod";
import { eventSchema } from "../../src/calls/shapes/activity";
import type { ActivityEvent, ActivityFilter } from "../../src/contract";
import { causedBy } from "../../src/ledger/cause";
import { chartsOf } from "../../src/operations/activity/charts";
import { exportHistory } from "../../src/operations/activity/export";
import { activityOf, folderNamed } from "../../src/operations/activity/history";
import { clearHistory, keepHistory, sweepHistory } from "../../src/operations/activity/keeping";
import { linesOf, sinceLastTime } from "../../src/operations/activity/since";
import { practice } from "../../src/operations/entrance/practice";
import { returnWithPin, signIn, signOut, signOutIdle } from "../../src/operations/entrance/sign-in";
import { setPreferences, setRules } from "../../src/operations/folders/preferences";
import { clearTraces, tracesOf } from "../../src/operations/folders/traces";
import { startVisit } from "../../src/operations/folders/visit";
import { closeUp } from "../../src/operations/locking/close-up";
import { setFolderPassword } from "../../src/operations/locking/folder-password";
import { lock } from "../../src/operations/locking/lock-folder";
import { release, unlock } from "../../src/operations/locking/open-folder";
import { finishWork } from "../../src/http/stop";
import { TestHouse, sealedAnd, toldOf } from "../house";

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
const ALL: ActivityFilter = { folder: null, groups: [], who: null, from: null, until: null, find: "" };
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
});
afterEach(() => house.remove());

const lockNow = (folder: string) =>
  lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
const openNow = async (folder: string) =>
  (await unlock(house.eremos, { pathOrId: folder, from: "/", mode: { kind: "usual" }, accept: [] })).outcome;
const inPage = <T>(work: () => T): T => causedBy({ from: "page", why: null }, work);
const all = (): readonly ActivityEvent[] => house.eremos.registry.log.all(house.eremos.requireKeys());
const own = { uid: process.geteuid?.() ?? 0, name: expect.any(String) as string };

/** Everything that Eremos keeps, as it lies on the disk. */
const onDisk = (): string =>
  fs
    .readdirSync(house.data, { recursive: true, encoding: "utf8" })
    .map((name) => path.join(house.data, name))
    .filter((file) => fs.statSync(file).isFile())
    .map((file) => fs.readFileSync(file).toString("latin1"))
    .join("\n");

describe("what is written down", () => {
  it("says through what it came about, in whatever an operation begins: the page, a command, or by itself and why", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await inPage(() => lockNow(folder));
    await causedBy({ from: "command-line", why: null }, () => openNow(folder));
    inPage(() => signOut(house.eremos));
    await house.eremos.jobs.drain(5000);
    await house.signIn();
    await openNow(folder);
    await finishWork(house.eremos);
    expect(toldOf(house.eremos).map(({ kind, from, why, signedIn }) => [kind, from, why, signedIn])).toEqual([
      ["locked", "itself", "stopped", true],
      ["opened", "itself", null, true],
      ["locked", "itself", "signed-out", false],
      ["opened", "command-line", null, true],
      ["locked", "page", null, true],
    ]);
  });

  it("says by what whoever opened a folder got in, how long it lay open, and how large it was", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await lockNow(folder);
    await openNow(folder);
    fs.writeFileSync(path.join(folder, "more.txt"), "more");
    await lockNow(folder);
    const [locked, opened] = toldOf(house.eremos);
    expect(opened).toMatchObject({ kind: "opened", way: "password", name: "Payroll" });
    expect(locked).toMatchObject({ since: opened?.at, size: { generation: 2, files: 2, bytes: 14 } });
    await setFolderPassword(house.eremos, {
      folder,
      secret: null,
      password: { password: "rosin and chalk", hint: null },
    });
    const secret = { kind: "password", password: "rosin and chalk" } as const;
    const asked = { pathOrId: folder, from: "/", mode: { kind: "usual" }, accept: [], secret } as const;
    await (
      await unlock(house.eremos, asked)
    ).outcome;
    expect(toldOf(house.eremos)[0]).toMatchObject({ kind: "opened", way: "folder-password" });
    await (
      await release(house.eremos, { pathOrId: folder, from: "/", accept: [] })
    ).outcome;
    const released = toldOf(house.eremos)[0];
    expect(released).toMatchObject({ kind: "released", name: "Payroll", since: expect.any(Number) as number });
    // Its name and its id are found though it is in no list any more.
    expect(await folderNamed(house.eremos, "Payroll", "/")).toBe(released?.folder);
    await expect(folderNamed(house.eremos, "Letters", "/")).rejects.toMatchObject({ code: "not-found" });
  });

  it("has every wrong password, code and PIN, by account, though nobody was signed in; and nothing of it is readable", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await lockNow(folder);
    await setFolderPassword(house.eremos, {
      folder,
      secret: null,
      password: { password: "rosin and chalk", hint: null },
    });
    const asked = { pathOrId: folder, from: "/", mode: { kind: "usual" }, accept: [] } as const;
    await expect(
      unlock(house.eremos, { ...asked, secret: { kind: "password", password: "rosin and cheese" } }),
    ).rejects.toMatchObject({ code: "wrong-password" });
    await new Promise((resolve) => setTimeout(resolve, 1100));
    await expect(unlock(house.eremos, { ...asked, secret: { kind: "code", code: "ABCDE" } })).rejects.toMatchObject({
      class: "password",
    });
    await expect(practice(house.eremos, { kind: "code", code: "ABCDE" })).rejects.toMatchObject({ class: "password" });
    house.eremos.pin.choose("2580");
    signOutIdle(house.eremos);
    await expect(returnWithPin(house.eremos, "2581")).rejects.toMatchObject({ code: "wrong-pin" });
    house.eremos.forget();
    await expect(signIn(house.eremos, "violin varnish at dawn")).rejects.toMatchObject({ code: "wrong-password" });
    expect(onDisk()).not.toMatch(/wrong|signed-in|Payroll/);
    await new Promise((resolve) => setTimeout(resolve, house.eremos.gate.wait));
    await house.signIn();
    const [{ id } = expect.fail()] = house.eremos.registry.list(house.eremos.requireKeys());
    expect(
      toldOf(house.eremos)
        .filter(({ kind }) => kind === "wrong")
        .map(({ way, folder: of, signedIn, account }) => [way, of, signedIn, account]),
    ).toEqual([
      ["password", "", false, own],
      ["pin", "", false, own],
      ["code", "", true, own],
      ["code", id, true, own],
      ["folder-password", id, true, own],
    ]);
  });

  it("has a try whose process was ended before it was answered", async () => {
    const { eremos } = house;
    eremos.gate.tries("password").begin();
    eremos.database.orm.run(`UPDATE gate SET trying = ${Date.now() - 60_000}, blocked_until = 0`);
    await house.signIn();
    expect(toldOf(eremos)).toMatchObject([{ kind: "wrong", way: "password", why: "cut-off", signedIn: false }]);
  });

  it("has how many files a visit looked at, and wrong passwords at its drive by the account of the program", async () => {
    const folder = house.makeFolder("Payroll", { "a.txt": "a", "b.txt": "b", "c.txt": "c" });
    await house.signIn();
    await lockNow(folder);
    const visit = await startVisit(house.eremos, {
      pathOrId: folder,
      from: "/",
      minutes: null,
      accept: [],
      secret: null,
    });
    const get = (name: string, password: string) =>
      fetch(new URL(name, visit.url), {
        headers: { authorization: `Basic ${Buffer.from(`${visit.user}:${password}`).toString("base64")}` },
      }).then((answer) => answer.text());
    for (const name of ["a.txt", "b.txt", "a.txt"]) await get(name, visit.password);
    await fetch(visit.url);
    for (let i = 0; i < 3; i++) await get("c.txt", "guessed");
    // Together, or in two parts: the first is told at once, the others in a while.
    const wrong = () => toldOf(house.eremos).filter(({ kind }) => kind === "wrong");
    await expect.poll(() => wrong().reduce((sum, { count }) => sum + (count ?? 0), 0), { timeout: 20_000 }).toBe(3);
    await house.eremos.settle();
    expect(wrong()[0]).toMatchObject({ way: "drive", from: "drive", account: own, name: "Payroll" });
    await house.eremos.visits.endAll();
    await expect
      .poll(() => toldOf(house.eremos)[0])
      .toMatchObject({ kind: "visit-ended", count: 2, since: visit.startedAt, name: "Payroll" });
  });

  it("has who was sent away from the page, by the account's name", async () => {
    house.eremos.count("stranger", "", 0, 7);
    house.eremos.count("stranger", "", 0, 5);
    await house.eremos.settle();
    await house.signIn();
    const { events } = await activityOf(house.eremos, { filter: { ...ALL, who: "others" }, skip: 0, limit: 10 });
    expect([...events].sort((a, b) => (a.count ?? 0) - (b.count ?? 0))).toMatchObject([
      { kind: "stranger", count: 5, account: { uid: 0, name: "root" } },
      { kind: "stranger", count: 7, how: "by the account root" },
    ]);
  });

  it("has changes of rules and settings, and not how the page looks", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await lockNow(folder);
    const { rules } = house.eremos.preferences.get();
    await setRules(house.eremos, folder, { ...rules, idleMinutes: 5 });
    await setPreferences(house.eremos, { theme: "dark" });
    await setPreferences(house.eremos, { rules: { ...rules, atStop: false } });
    await setPreferences(house.eremos, { keepEarlier: 3 });
    expect(toldOf(house.eremos).map(({ kind, name }) => [kind, name])).toEqual([
      ["settings", ""],
      ["rules", ""],
      ["rules", "Payroll"],
      ["locked", "Payroll"],
    ]);
  });
});

describe("how long it is kept", () => {
  it("nothing more is written while it is off, signed in or out, and the list stays right; that it was off is told", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await lockNow(folder);
    await keepHistory(house.eremos, "off");
    await openNow(folder);
    signOut(house.eremos);
    await house.eremos.jobs.drain(5000);
    await expect(signIn(house.eremos, "another one")).rejects.toThrow();
    await new Promise((resolve) => setTimeout(resolve, house.eremos.gate.wait));
    await house.signIn();
    expect(house.eremos.registry.list(house.eremos.requireKeys())).toMatchObject([
      { generation: 1, lockedAt: expect.any(Number) as number },
    ]);
    await keepHistory(house.eremos, "for-good");
    expect(toldOf(house.eremos).map(({ kind }) => kind)).toEqual(["history-on", "history-off", "locked"]);
  });

  it("what is older than its days goes, by days that no clock makes fewer", async () => {
    await house.signIn();
    const today = house.eremos.days.now();
    const keys = house.eremos.requireKeys();
    const [one = expect.fail()] = all();
    // By its clock it is from long ago; by the days that were counted it is from today.
    house.eremos.ledger.recall(keys, [
      { ...one, at: Date.now() - 900 * DAY, day: today, name: "from today" },
      { ...one, at: Date.now(), day: today - 31, name: "from before" },
    ]);
    await keepHistory(house.eremos, 30);
    expect(all().map(({ name }) => name)).toContain("from today");
    expect(all().map(({ name }) => name)).not.toContain("from before");
    await keepHistory(house.eremos, "for-good");
    house.eremos.ledger.recall(keys, [{ ...one, day: today - 31, name: "from before" }]);
    sweepHistory(house.eremos);
    expect(all().map(({ name }) => name)).toContain("from before");
  });

  it("one folder's goes, or all of it, and that it was cleared is told without a name", async () => {
    const [payroll, letters] = [house.makeFolder("Payroll"), house.makeFolder("Letters")];
    await house.signIn();
    for (const folder of [payroll, letters]) await lockNow(folder);
    const id = await folderNamed(house.eremos, payroll, "/");
    expect(await clearHistory(house.eremos, id)).toEqual({ cleared: 1 });
    expect(toldOf(house.eremos).map(({ kind, name, count }) => [kind, name, count])).toEqual([
      ["history-cleared", "", 1],
      ["locked", "Letters", null],
    ]);
    const { length } = all();
    expect(await clearHistory(house.eremos, null)).toEqual({ cleared: length });
    expect(all().map(({ kind, folder }) => [kind, folder])).toEqual([["history-cleared", ""]]);
    house.restart();
    await house.signIn();
    expect(toldOf(house.eremos).map(({ kind }) => kind)).toEqual(["history-cleared"]);
  });
});

describe("an export of it", () => {
  it("is a file of this account's alone, under a free name, that is among the folder's traces and goes from there", async () => {
    const folder = house.makeFolder("=Payroll");
    const other = house.makeFolder("Letters");
    await house.signIn();
    for (const one of [folder, other]) await lockNow(one);
    const out = path.join(house.base, "out");
    fs.mkdirSync(out);
    const id = await folderNamed(house.eremos, folder, "/");
    const asked = { filter: { ...ALL, folder: id }, directory: out, from: "/" };
    const csv = await exportHistory(house.eremos, { ...asked, format: "csv" });
    const json = await exportHistory(house.eremos, { ...asked, format: "csv" });
    expect([csv.entries, path.dirname(json.path)]).toEqual([1, out]);
    expect(json.path).toMatch(/ \(2\)\.csv$/);
    expect(fs.statSync(csv.path).mode & 0o777).toBe(0o600);
    expect(fs.readFileSync(csv.path, "utf8").split("\r\n")[1]).toMatch(/^[^,]*Z,"?'=Payroll"?,"?Locked/);
    const moved = path.join(out, "renamed.csv");
    fs.renameSync(csv.path, moved);
    const ofKind = async (of: string) =>
      (await tracesOf(house.eremos, of, "/", false)).traces.filter(({ kind }) => kind === "exports");
    expect((await ofKind(folder)).map(({ where, gives }) => [where, gives])).toEqual([
      [moved, "name"],
      [json.path, "name"],
    ]);
    expect(await ofKind(other)).toEqual([]);
    await clearTraces(house.eremos, folder, "/", {
      ids: null,
      kinds: ["exports"],
      onlySure: true,
      byInside: false,
      keep: true,
      overwrite: 0,
    }).then(({ outcome }) => outcome);
    expect(fs.readdirSync(out)).toEqual([]);
  });

  it("says where it can't be written, and writes nothing", async () => {
    await house.signIn();
    const asked = { format: "json", filter: ALL, from: "/" } as const;
    await expect(
      exportHistory(house.eremos, { ...asked, directory: path.join(house.base, "nowhere") }),
    ).rejects.toMatchObject({ code: "not-a-folder" });
    fs.symlinkSync(house.base, path.join(house.base, "link"));
    await expect(
      exportHistory(house.eremos, { ...asked, directory: path.join(house.base, "link") }),
    ).rejects.toMatchObject({ code: expect.stringMatching(/not-a-folder|io/) as string });
    expect(toldOf(house.eremos).map(({ kind }) => kind)).not.toContain("exported");
  });
});

describe("the charts", () => {
  it("tell the hours of each day and night that a folder lay open, also across midnight, and wrong tries by day", async () => {
    await house.signIn();
    const keys = house.eremos.requireKeys();
    house.eremos.ledger.forget(keys, null);
    const day = (on: number, hour: number): number => new Date(2026, 10, on, hour).getTime();
    const told = (event: Partial<ActivityEvent>): ActivityEvent =>
      eventSchema.parse({ folder: "", signedIn: true, from: "page", ...event });
    const size = { generation: 1, files: 2, bytes: 3 };
    const lay = (since: number, at: number): ActivityEvent =>
      told({ kind: "locked", folder: "a", name: "Payroll", at, since, size });
    house.eremos.ledger.recall(keys, [
      lay(day(3, 20), day(4, 7)),
      lay(day(5, 9), day(5, 12)),
      told({ kind: "wrong", way: "password", count: 2, at: day(4, 3) }),
      told({ kind: "wrong", folder: "a", way: "folder-password", at: day(5, 3) }),
      told({ kind: "stranger", count: 9, at: day(5, 3) }),
    ]);
    const charts = await chartsOf(house.eremos, { folder: null, from: day(3, 0), until: day(6, 0) });
    expect(charts.days).toEqual([day(3, 0), day(4, 0), day(5, 0)]);
    expect(charts.open).toEqual([{ id: "a", name: "Payroll", day: [2, 1, 3], night: [2, 6, 0], nights: 1 }]);
    expect(charts.wrong).toEqual({ gate: [0, 2, 0], folder: [0, 0, 1], drive: [0, 0, 0], strangers: [0, 0, 9] });
    // A lock that changed nothing made no other state.
    expect(charts.sizes.map(({ name, states }) => [name, states.length])).toEqual([["Payroll", 1]]);
    expect((await chartsOf(house.eremos, { folder: "b", from: day(3, 0), until: day(6, 0) })).open).toEqual([]);
  });

  it("tell when each way back was seen to work, though the history was cleared", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await lockNow(folder);
    const { at } = await practice(house.eremos, { kind: "code", code: house.code });
    const proven = async () =>
      (await chartsOf(house.eremos, { folder: null, from: null, until: null })).proofs.find(({ way }) => way === "code")
        ?.at;
    expect(await proven()).toEqual([at]);
    await clearHistory(house.eremos, null);
    expect(await proven()).toEqual([at]);
  });
});

describe("since the last time", () => {
  it("is what happened after the page was left, and before it was signed in to again", async () => {
    const folder = house.makeFolder("Payroll");
    await inPage(() => house.signIn());
    expect(await sinceLastTime(house.eremos)).toEqual({ since: null, lines: [] });
    await lockNow(folder);
    await openNow(folder);
    inPage(() => signOut(house.eremos, true));
    await house.eremos.jobs.drain(5000);
    await expect(signIn(house.eremos, "another one")).rejects.toThrow();
    await new Promise((resolve) => setTimeout(resolve, house.eremos.gate.wait));
    await inPage(() => house.signIn());
    const { lines } = await sinceLastTime(house.eremos);
    expect(lines.map(({ text, isWarning }) => [text.replace(/ on \w+ \w+$/, ""), isWarning])).toEqual([
      ["One wrong master password", true],
    ]);
    await inPage(() => closeUp(house.eremos, false));
  });

  it("says what matters in a sentence each, the gravest first, with when it was", () => {
    const now = new Date(2026, 10, 26, 9).getTime();
    const at = (on: number, hour: number, minute = 0): number => new Date(2026, 10, on, hour, minute).getTime();
    const told = { folder: "a", name: "Payroll", signedIn: false } as const;
    const said = (...events: readonly z.input<typeof eventSchema>[]): readonly string[] =>
      linesOf(
        events.map((one) => eventSchema.parse(one)),
        1000,
        now,
      ).map(({ text }) => text);
    expect(
      said(
        { ...told, kind: "wrong", way: "password", at: at(24, 23) },
        { ...told, kind: "wrong", way: "password", at: at(25, 1) },
        { ...told, kind: "locked", why: "idle", at: at(25, 18, 40) },
        { ...told, kind: "stranger", account: { uid: 1002, name: "tomas" }, count: 3, at: at(25, 16) },
      ),
    ).toEqual([
      "2 wrong master passwords on Tuesday night",
      "tomas was sent away from the page 3 times on Wednesday afternoon",
      "Payroll locked itself yesterday at 18:40: nobody used it",
    ]);
    expect(
      said(
        { ...told, kind: "locked", why: "signed-out", at: at(25, 18) },
        { ...told, kind: "opened", from: "command-line", at: at(26, 3, 5) },
        { ...told, kind: "damaged", at: at(2, 3) },
        { ...told, kind: "dropped", count: 2, at: at(26, 8) },
      ),
    ).toEqual([
      "Payroll was opened from the command line at 03:05",
      "Damage was found in Payroll on 1 November",
      "2 files were put into Payroll at 08:00",
    ]);
  });
});
