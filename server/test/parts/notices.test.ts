import { type ChildProcess, spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { createInterface } from "node:readline";
import { fileURLToPath } from "node:url";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Notifications } from "../../src/desktop/notifications";
import { offersShortcuts } from "../../src/desktop/shortcut";
import { watchForPanel } from "../../src/notices/panel";
import { watchForShortcut } from "../../src/notices/shortcut";
import { tellOfPractice, watchForNotices } from "../../src/notices/watch";
import { signIn, signOut } from "../../src/operations/entrance/sign-in";
import { lock, lockAgain } from "../../src/operations/locking/lock-folder";
import { unlock } from "../../src/operations/locking/open-folder";
import { watchDatabase } from "../../src/watch/database-watch";
import { Eremos } from "../../src/eremos";
import { Keeper } from "../../src/watch/keeper";
import type { NoticesPreference } from "../../src/contract";
import { holdOpen } from "../../../core/test/support/holder";
import { TestHouse, sealedAnd, toldOf } from "../house";

const WAIT = { timeout: 20_000, interval: 50 };

interface Heard {
  readonly shown?: number;
  readonly closed?: number;
  readonly summary?: string;
  readonly body?: string;
  readonly buttons?: readonly string[];
  readonly urgency?: number;
  readonly panel?: string;
  readonly menu?: readonly { readonly id: number; readonly label: string | null; readonly enabled: boolean | null }[];
  readonly icon?: readonly number[];
  readonly portal?: boolean;
  readonly session?: string;
  readonly shortcuts?: readonly { readonly id: string; readonly description: string; readonly keys: string }[];
}

let house: TestHouse;
let programs: ChildProcess[];
let heard: Heard[];
let stop: () => void;
let environment: Record<string, string>;
let say: (what: object) => void;

beforeEach(async () => {
  house = await TestHouse.make();
  const bus = spawn("dbus-daemon", ["--session", "--nofork", "--print-address"], {
    stdio: ["ignore", "pipe", "ignore"],
  });
  const busAddress = await new Promise<string>((resolve) =>
    bus.stdout.once("data", (text) => resolve(String(text).trim())),
  );
  const host = spawn("node", [fileURLToPath(new URL("desktop-host.mjs", import.meta.url)), busAddress], {
    stdio: ["pipe", "pipe", "inherit"],
  });
  programs = [host, bus];
  heard = [];
  await new Promise<void>((resolve) =>
    createInterface({ input: host.stdout }).on("line", (line) => {
      const told = JSON.parse(line) as Heard & { readonly ready?: boolean };
      if (told.ready) resolve();
      else heard.push(told);
    }),
  );
  say = (what) => void host.stdin.write(`${JSON.stringify(what)}\n`);
  environment = { DBUS_SESSION_BUS_ADDRESS: busAddress };
  stop = watchForNotices(house.eremos, new Notifications(environment));
  // What is shown in the browser is written down instead.
  const bin = path.join(house.base, "bin");
  fs.mkdirSync(bin);
  fs.writeFileSync(path.join(bin, "xdg-open"), `#!/bin/sh\ncp "$1" '${house.base}/shown'\n`, { mode: 0o755 });
  vi.stubEnv("PATH", `${bin}:${process.env["PATH"] ?? ""}`);
  house.eremos.data.writeServer({ port: 4711, host: "eremos-test.localhost:4711", secret: "s".repeat(32) });
  await house.signIn();
});
afterEach(async () => {
  stop();
  vi.unstubAllEnvs();
  for (const program of programs) program.kill();
  house.remove();
});

const shown = (): Heard[] => heard.filter((one) => one.shown !== undefined);
const set = (change: Partial<NoticesPreference>): void =>
  house.eremos.preferences.set({ notices: { ...house.eremos.preferences.get().notices, ...change } });
const keeper = (): Keeper => new Keeper(house.eremos, (at) => lockAgain(house.eremos, at));
const inBrowser = (): string =>
  fs.existsSync(`${house.base}/shown`) ? fs.readFileSync(`${house.base}/shown`, "utf8") : "";

/** A folder that lies open, and whose time is up. */
async function leftOpen(name = "Payroll"): Promise<string> {
  const folder = house.makeFolder(name);
  await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  await (
    await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "while", minutes: 1 } })
  ).outcome;
  const [note] = house.eremos.data.notes();
  if (note) house.eremos.ledger.renoted({ ...note, openedAt: 1, locksAt: 2 });
  return folder;
}

it("a folder left open past its time: which programs it waits for, a button keeps it open, and it goes when the folder locks", async () => {
  const folder = await leftOpen();
  programs.push(await holdOpen(path.join(folder, "letter.txt")));
  await keeper().look();
  await vi.waitFor(
    () =>
      expect(shown()).toMatchObject([
        {
          summary: "Payroll should be locked by now",
          body: expect.stringMatching(/^It waits, since sh has files of it open/),
          buttons: ["keep", "Keep it open for half an hour", "desk", "Open the Desk"],
          urgency: 1,
        },
      ]),
    WAIT,
  );
  say({ press: [shown()[0]?.shown, "desk"] });
  const [note] = house.eremos.data.notes();
  await vi.waitFor(() => expect(inBrowser()).toContain(`eremos-test.localhost:4711/folders/${note?.id}"`), WAIT);
  say({ press: [shown()[0]?.shown, "keep"] });
  await vi.waitFor(
    () => expect(house.eremos.data.notes()[0]?.staysUntil).toBeGreaterThan(Date.now() + 29 * 60_000),
    WAIT,
  );
  await vi.waitFor(() => expect(heard).toContainEqual({ closed: shown()[0]?.shown }), WAIT);
});

it("a folder that was locked by itself is told quietly; one that somebody locked is not", async () => {
  const folder = await leftOpen();
  await keeper().look();
  await vi.waitFor(
    () =>
      expect(shown()).toMatchObject([
        { summary: "Payroll was locked by itself", body: "Its time was up.", urgency: 0 },
      ]),
    WAIT,
  );
  await (
    await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "until-locked" } })
  ).outcome;
  await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  await house.eremos.settle();
  expect(shown()).toHaveLength(1);
});

it("a wrong password while nobody is signed in is told with the account; with somebody signed in it is not", async () => {
  signOut(house.eremos);
  await expect(signIn(house.eremos, "violin varnish at noon")).rejects.toThrow();
  await house.eremos.settle();
  await vi.waitFor(
    () =>
      expect(shown()).toMatchObject([
        {
          summary: "A wrong password was tried",
          body: expect.stringContaining("while you were signed out"),
          urgency: 2,
        },
      ]),
    WAIT,
  );
});

it("a wrong password on the command line, while Eremos runs and nobody is signed in, is told too", async () => {
  const end = watchDatabase(house.eremos, () => Promise.resolve());
  signOut(house.eremos);
  const elsewhere = Eremos.open(house.eremos.settings);
  await expect(signIn(elsewhere, "violin varnish at noon")).rejects.toThrow();
  await elsewhere.settle();
  elsewhere.close();
  await vi.waitFor(() => expect(shown()).toMatchObject([{ summary: "A wrong password was tried", urgency: 2 }]), WAIT);
  end();
});

it("a check that found damage is told until it is looked at", async () => {
  const folder = house.makeFolder("Payroll <b>\u202e&");
  await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  const [record] = house.eremos.registry.list(house.eremos.requireKeys());
  await house.eremos.ledger.noticed(record?.id ?? "", "damaged", {});
  await vi.waitFor(
    () => expect(shown()).toMatchObject([{ summary: "Payroll <b><U+202E>&: a check found damage", urgency: 2 }]),
    WAIT,
  );
});

it("that a way back is to be practised is told after half a year without, and again after a month", async () => {
  const folder = house.makeFolder("Payroll");
  await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  const told: number[] = [];
  const day = 24 * 3600 * 1000;
  const look = (days: number): void =>
    tellOfPractice(house.eremos, { practiceIsDue: async () => void told.push(days) }, Date.now() + days * day);
  for (const days of [1, 179, 181, 190, 212]) look(days);
  expect(told).toEqual([181, 212]);
  signOut(house.eremos);
  look(300);
  expect(told).toEqual([181, 212]);
});

describe("names of folders", () => {
  it("are taken away when the screen is locked, and stand in nothing that is shown then", async () => {
    await leftOpen("Payroll");
    await keeper().look();
    await vi.waitFor(() => expect(shown()).toHaveLength(1), WAIT);
    say({ screen: true });
    await vi.waitFor(
      () => expect(shown()[1]).toMatchObject({ shown: shown()[0]?.shown, summary: "A folder was locked by itself" }),
      WAIT,
    );
    await house.eremos.ledger.noticed("", "damaged", {});
    await vi.waitFor(() => expect(shown()).toHaveLength(3), WAIT);
    expect(JSON.stringify(shown().slice(1))).not.toContain("Payroll");
  });

  it.each([
    ["never", false, "A folder was locked by itself"],
    ["always", true, "Payroll was locked by itself"],
    ["unlocked", true, "A folder was locked by itself"],
  ] as const)("%s, with the screen locked: %s", async (names, isLocked, summary) => {
    set({ names });
    say({ screen: isLocked });
    await leftOpen("Payroll");
    await keeper().look();
    await vi.waitFor(() => expect(shown()).toMatchObject([{ summary }]), WAIT);
  });
});

it("what is switched off is not told, nor anything in quiet hours: that is one number afterwards", async () => {
  set({ kinds: ["damaged"] });
  await leftOpen("Payroll");
  await keeper().look();
  const now = new Date();
  const minute = now.getHours() * 60 + now.getMinutes();
  set({ quiet: { from: (minute + 1439) % 1440, until: (minute + 60) % 1440 } });
  await house.eremos.ledger.noticed("", "damaged", {});
  await house.eremos.ledger.noticed("", "damaged", {});
  expect(shown()).toEqual([]);
  set({ quiet: null });
  await house.eremos.ledger.noticed("", "damaged", {});
  await vi.waitFor(
    () =>
      expect(shown().map(({ summary }) => summary)).toEqual([
        "2 things happened while it was quiet",
        "A folder: a check found damage",
      ]),
    WAIT,
  );
});

it("without a desktop nothing is told, and nothing fails", async () => {
  const end = watchForNotices(house.eremos, new Notifications({}));
  await leftOpen("Payroll");
  await keeper().look();
  end();
  expect(house.eremos.data.notes()).toEqual([]);
});

describe("the item in the panel", () => {
  const lastPanel = (): Heard | undefined => heard.findLast(({ panel }) => panel !== undefined);
  const choose = (label: string): void => {
    const entry = lastPanel()?.menu?.find((one) => one.label === label);
    expect(entry?.enabled).toBe(true);
    say({ choose: entry?.id });
  };
  let take: () => void;
  beforeEach(() => (take = watchForPanel(house.eremos, environment)));
  afterEach(() => take());

  it("comes when a panel does, says how many folders lie open, and locks one, or all, and shows the Desk", async () => {
    say({ panel: true });
    await vi.waitFor(() => expect(lastPanel()?.panel).toBe("Nothing lies open"), WAIT);
    expect(lastPanel()?.menu?.filter(({ label }) => label !== null)).toEqual([
      { id: 1, label: "Nothing lies open", enabled: false, type: null },
      { id: 3, label: "Close up", enabled: false, type: null },
      { id: 4, label: "Open the Desk", enabled: true, type: null },
    ]);
    expect(lastPanel()?.icon).toEqual([32, 32, 32 * 32 * 4]);
    const payroll = await leftOpen("Payroll_2026");
    await leftOpen("Photos");
    await vi.waitFor(() => expect(lastPanel()?.panel).toBe("2 folders lie open"), WAIT);
    const visitsEnd = vi.spyOn(house.eremos.visits, "endAll");
    choose("Lock Payroll__2026");
    await vi.waitFor(() => expect(lastPanel()?.panel).toBe("One folder lies open"), WAIT);
    expect(fs.existsSync(path.join(payroll, "letter.txt"))).toBe(false);
    expect(lastPanel()?.menu?.map(({ label }) => label)).not.toContain("Lock Payroll__2026");
    choose("Open the Desk");
    await vi.waitFor(() => expect(inBrowser()).toContain('url=http://eremos-test.localhost:4711"'), WAIT);
    expect(visitsEnd).not.toHaveBeenCalled();
    choose("Close up");
    await vi.waitFor(() => expect(visitsEnd).toHaveBeenCalled(), WAIT);
    await vi.waitFor(() => expect(lastPanel()?.panel).toBe("Nothing lies open"), WAIT);
    expect(house.eremos.data.notes()).toEqual([]);
    expect(heard.filter((one) => "wrong" in one)).toEqual([]);
    const [event] = toldOf(house.eremos);
    expect(event).toMatchObject({ kind: "locked", from: "menu" });
  });

  it("is there signed out, too, and what can't be locked from it is shown on the Desk", async () => {
    const folder = await leftOpen("Payroll");
    programs.push(await holdOpen(path.join(folder, "letter.txt")));
    signOut(house.eremos);
    say({ panel: true });
    await vi.waitFor(() => expect(lastPanel()?.panel).toBe("One folder lies open"), WAIT);
    choose("Lock Payroll");
    await vi.waitFor(() => expect(inBrowser()).toContain("eremos-test.localhost"), WAIT);
    expect(fs.existsSync(path.join(folder, "letter.txt"))).toBe(true);
  });
});

describe("keys for closing up", () => {
  let end: () => void;
  afterEach(() => end());
  const begin = async (portal: "gives" | "refuses" | null): Promise<void> => {
    if (portal) {
      say({ portal });
      await vi.waitFor(() => expect(heard.some((one) => one.portal)).toBe(true), WAIT);
    }
    end = watchForShortcut(house.eremos, environment);
  };
  const asked = (): Heard[] => heard.filter((one) => one.shortcuts);
  const want = (shortcut: boolean): void => {
    house.eremos.preferences.set({ shortcut });
    house.eremos.announce({ topic: "session" });
  };

  it("are asked of the desktop once they are wanted; they lock all that lies open, and go when they are not wanted", async () => {
    const folder = await leftOpen();
    await begin("gives");
    expect(await offersShortcuts(environment)).toBe(true);
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(asked()).toEqual([]);
    want(true);
    await vi.waitFor(() => expect(house.eremos.shortcutKeys).toBe("Ctrl+Alt+L"), WAIT);
    const [{ session, shortcuts } = expect.fail()] = asked();
    expect(shortcuts).toEqual([{ id: "close-up", description: "Lock everything that lies open", keys: "CTRL+ALT+l" }]);
    say({ keys: { session: `${session ?? ""}0`, id: "close-up" } });
    say({ keys: { session, id: "another" } });
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect(house.eremos.jobs.list().filter(({ state }) => state === "running")).toEqual([]);
    expect(fs.existsSync(path.join(folder, "letter.txt"))).toBe(true);
    say({ keys: { session, id: "close-up" } });
    await vi.waitFor(() => expect(fs.existsSync(path.join(folder, "letter.txt"))).toBe(false), WAIT);
    want(false);
    expect(house.eremos.shortcutKeys).toBeNull();
    await (
      await unlock(house.eremos, { pathOrId: folder, from: "/", accept: [], mode: { kind: "until-locked" } })
    ).outcome;
    say({ keys: { session, id: "close-up" } });
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect(fs.existsSync(path.join(folder, "letter.txt"))).toBe(true);
  });

  it("are none where its owner refuses them, and where the desktop gives none", async () => {
    await begin("refuses");
    want(true);
    await vi.waitFor(() => expect(asked()).toHaveLength(1), WAIT);
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(house.eremos.shortcutKeys).toBeNull();
    end();
    const elsewhere = { DBUS_SESSION_BUS_ADDRESS: "unix:path=/nowhere" };
    expect(await offersShortcuts(elsewhere)).toBe(false);
    end = watchForShortcut(house.eremos, elsewhere);
    expect(house.eremos.shortcutKeys).toBeNull();
  });
});
