import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { pathToFileURL } from "node:url";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { lock as lockOn } from "../../core/test/support/world";
import { linuxDisk } from "../../core/src/platform/linux/linux-disk";
import { crampedDisk } from "../../core/test/support/crashing-disk";
import { newId } from "../../core/src/format/ids";
import { jobs } from "../src/database/schema";
import { listFolders } from "../src/operations/folders/list-folders";
import { NO_RULES } from "../src/ledger/ledger";
import { lock, makeRoomFor } from "../src/operations/locking/lock-folder";
import { onlook } from "../src/operations/folders/look";
import { check } from "../src/operations/folders/check";
import { release, unlock } from "../src/operations/locking/open-folder";
import { encodePath, fullPath } from "../src/paths";
import { setOffLimits, setPreferences } from "../src/operations/folders/preferences";
import { placesOf } from "../src/settings";
import { startVisit } from "../src/operations/folders/visit";
import { planLock } from "../src/operations/locking/plan-lock";
import { recoverInterrupted } from "../src/operations/ways-back/recover-interrupted";
import { signOut } from "../src/operations/entrance/sign-in";
import { AS_BEFORE } from "../src/protection";
import { setProtection } from "../src/operations/locking/protection";
import { completePath, listPlace } from "../src/operations/folders/walk-places";
import { EremosError } from "@eremos/core";
import { said } from "@eremos/words/server/house";
import { TestHouse, sealedAnd, toldOf } from "./house";

let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
});
afterEach(() => house.remove());

const request = (folder: string, visibility: "view" | "hidden" | null = "hidden"): Parameters<typeof lock>[1] => ({
  path: folder,
  protection: visibility ? sealedAnd(visibility) : AS_BEFORE,
  inUseAnyway: false,
  from: "/",
});
const target = (pathOrId: string): Parameters<typeof unlock>[1] => ({
  pathOrId,
  from: "/",
  accept: [],
  mode: { kind: "until-locked" },
});

describe("a folder that was put back to an older state", () => {
  it("opens, is visited and is released only once that was agreed to, by what Eremos' own data knows of it", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await lock(house.eremos, request(folder, "view")).then(({ outcome }) => outcome);
    const older = path.join(house.base, "older");
    fs.cpSync(path.join(folder, ".eremos"), older, { recursive: true });
    await (
      await unlock(house.eremos, target(folder))
    ).outcome;
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Anna");
    await lock(house.eremos, request(folder, null)).then(({ outcome }) => outcome);
    fs.rmSync(path.join(folder, ".eremos"), { recursive: true });
    fs.cpSync(older, path.join(folder, ".eremos"), { recursive: true });
    await expect((await unlock(house.eremos, target(folder))).outcome).rejects.toMatchObject({ code: "rolled-back" });
    const released = async (): Promise<unknown> => (await release(house.eremos, target(folder))).outcome;
    await expect(released()).rejects.toMatchObject({ code: "rolled-back" });
    await expect(startVisit(house.eremos, { ...target(folder), minutes: null, secret: null })).rejects.toMatchObject({
      code: "rolled-back",
    });
    await (
      await unlock(house.eremos, { ...target(folder), accept: ["rolled-back"] })
    ).outcome;
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });
});

describe("what shows of a folder", () => {
  it("is changed while it is locked, and for the next lock while it lies open", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await lock(house.eremos, request(folder, "view")).then(({ outcome }) => outcome);
    const id = listFolders(house.eremos)[0]?.id ?? "";
    await setProtection(house.eremos, id, sealedAnd("hidden"));
    expect(fs.existsSync(folder)).toBe(false);
    fs.mkdirSync(folder);
    await expect(setProtection(house.eremos, id, sealedAnd("view"))).rejects.toMatchObject({ code: "path-taken" });
    fs.rmdirSync(folder);
    await setProtection(house.eremos, id, sealedAnd("view"));
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
    expect(listFolders(house.eremos)).toMatchObject([{ state: "locked", visibility: "view", arrivals: 0 }]);
    await (
      await unlock(house.eremos, target(folder))
    ).outcome;
    expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "letter.txt"]);
    await setProtection(house.eremos, id, sealedAnd("hidden"));
    house.eremos.forget();
    await lock(house.eremos, request(folder, null)).then(({ outcome }) => outcome);
    expect(fs.existsSync(folder)).toBe(false);
  });
});

describe("the off-limits list", () => {
  it("is edited, and what is protected already can be locked again all the same", async () => {
    const folder = house.makeFolder("Payroll");
    const other = house.makeFolder("Letters");
    await house.signIn();
    await lock(house.eremos, request(folder, "view")).then(({ outcome }) => outcome);
    await (
      await unlock(house.eremos, target(folder))
    ).outcome;
    await expect(
      setOffLimits(house.eremos, { added: [{ path: "/**", reason: "" }], removed: [] }),
    ).rejects.toMatchObject({ code: "usage" });
    await setOffLimits(house.eremos, { added: [{ path: `${house.world}/*`, reason: "the shop's own" }], removed: [] });
    await expect(lock(house.eremos, request(other, "view"))).rejects.toThrow(
      expect.objectContaining({ code: "off-limits", message: expect.stringContaining("the shop's own") }),
    );
    await lock(house.eremos, request(folder, null)).then(({ outcome }) => outcome);
    await setOffLimits(house.eremos, { added: [], removed: [] });
    await lock(house.eremos, request(other, "view")).then(({ outcome }) => outcome);
  });
});

describe("what happens while nobody is signed in", () => {
  it("is in the list and the log at the next sign-in, said to be so, and opens", async () => {
    const folder = house.makeFolder("Payroll");
    await lock(house.eremos, request(folder)).then(({ outcome }) => outcome);
    house.restart();
    await house.signIn();
    expect(listFolders(house.eremos)).toMatchObject([
      { path: folder, state: "locked", visibility: "hidden", files: 1 },
    ]);
    expect(toldOf(house.eremos)).toMatchObject([{ kind: "locked", signedIn: false }]);
    await (
      await unlock(house.eremos, target(folder))
    ).outcome;
    fs.writeFileSync(path.join(folder, "second.txt"), "second");
    signOut(house.eremos);
    await lock(house.eremos, request(folder, null)).then(({ outcome }) => outcome);
    expect(fs.existsSync(folder)).toBe(false);
    await house.signIn();
    await (
      await release(house.eremos, target(folder))
    ).outcome;
    expect(fs.readdirSync(folder).sort()).toEqual(["letter.txt", "second.txt"]);
    expect(listFolders(house.eremos)).toEqual([]);
  });

  it("a first lock that was cut off half way, file by file, is in the list at the next sign-in, and opens", async () => {
    const content = Buffer.alloc(1_100_000, "scene").toString();
    const folder = house.makeFolder("Films", { "one.mov": content, "two.mov": content, "three.mov": content });
    const id = newId();
    house.eremos.data.writeNote({
      ...NO_RULES,
      id,
      path: encodePath(Buffer.from(folder)),
      ...sealedAnd("hidden"),
      kind: "folder",
      publicKey: null,
      opened: null,
      protectedAt: Date.now(),
    });
    const signer = { by: "device" as const, owner: house.eremos.requireOwner(), device: house.eremos.data.device };
    const options = { folder: id, visibility: "hidden" as const, places: [] };
    let rounds = 0;
    const untilSecondRound = crampedDisk(
      new Proxy(linuxDisk, {
        get: (disk, name: keyof typeof linuxDisk) =>
          name === "barrier" && ++rounds === 2
            ? () => {
                throw new Error("cut off");
              }
            : disk[name],
      }),
      6_000_000,
    );
    await lockOn(folder, signer, { ...options, disk: untilSecondRound }).catch(() => undefined);
    await recoverInterrupted(house.eremos);
    expect(fs.readdirSync(folder).filter((name) => name.endsWith(".mov"))).toHaveLength(2);
    await house.signIn();
    expect(listFolders(house.eremos)).toMatchObject([{ id, path: folder, state: "partly" }]);
    await (
      await release(house.eremos, target(folder))
    ).outcome;
    expect(fs.readdirSync(folder).sort()).toEqual(["one.mov", "three.mov", "two.mov"]);
    expect(fs.readFileSync(path.join(folder, "one.mov"), "utf8")).toBe(content);
  });

  it("a first lock that was cut off after its commit is found by its note alone", async () => {
    const folder = house.makeFolder("Payroll");
    const id = newId();
    house.eremos.data.writeNote({
      ...NO_RULES,
      id,
      path: encodePath(Buffer.from(folder)),
      ...sealedAnd("hidden"),
      kind: "folder",
      publicKey: null,
      opened: null,
      protectedAt: Date.now(),
    });
    const signer = { by: "device" as const, owner: house.eremos.requireOwner(), device: house.eremos.data.device };
    const options = { folder: id, visibility: "hidden" as const, places: [] };
    const untilRemoving: typeof linuxDisk = {
      ...house.eremos.disk,
      unlink: (dir, name) => {
        if (name.toString() === "letter.txt") throw new Error("cut off");
        house.eremos.disk.unlink(dir, name);
      },
    };
    await lockOn(folder, signer, { ...options, disk: untilRemoving }).catch(() => undefined);
    await recoverInterrupted(house.eremos);
    expect(fs.existsSync(folder)).toBe(false);
    expect(house.eremos.data.notes()).toEqual([]);
    await house.signIn();
    expect(listFolders(house.eremos)).toMatchObject([{ id, path: folder, state: "locked" }]);
    await (
      await unlock(house.eremos, target(folder))
    ).outcome;
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("of two first locks at once, the one that came to nothing leaves no note and no card", async () => {
    const folder = house.makeFolder("Payroll");
    house.eremos.data.writeNote({
      ...NO_RULES,
      id: newId(),
      path: encodePath(Buffer.from(folder)),
      ...sealedAnd("view"),
      kind: "folder",
      publicKey: null,
      opened: null,
      protectedAt: Date.now(),
    });
    await house.signIn();
    await lock(house.eremos, request(folder)).then(({ outcome }) => outcome);
    await recoverInterrupted(house.eremos);
    expect(house.eremos.data.notes()).toEqual([]);
    expect(listFolders(house.eremos)).toMatchObject([{ path: folder, state: "locked" }]);
  });

  it("opening, releasing, checking and looking around need the owner", async () => {
    const folder = house.makeFolder("Payroll");
    for (const attempt of [
      () => unlock(house.eremos, target(folder)),
      () => release(house.eremos, target(folder)),
      () => check(house.eremos, target(folder)),
      () => listFolders(house.eremos),
      () => listPlace(house.eremos, folder),
      () => planLock(house.eremos, folder, sealedAnd("view")),
    ]) {
      await expect((async () => attempt())()).rejects.toMatchObject({ code: "needs-sign-in" });
    }
  });
});

describe("a folder made where another one belongs, which is hidden", () => {
  it("is not locked under that path before it has another name; both stay, and each is found by its own path", async () => {
    const folder = house.makeFolder("Payroll", { "first.txt": "the first" });
    await house.signIn();
    const { folder: first } = await lock(house.eremos, request(folder)).then(({ outcome }) => outcome);
    house.makeFolder("Payroll", { "second.txt": "the second" });
    expect(
      (await listPlace(house.eremos, house.world)).entries.map((entry) => [entry.name, entry.folder, entry.hidden]),
    ).toEqual(
      expect.arrayContaining([
        ["Payroll", first, true],
        ["Payroll", null, false],
      ]),
    );
    expect((await planLock(house.eremos, folder, sealedAnd("hidden"))).refusal).toMatchObject({
      code: "path-taken",
      data: { what: "protected" },
    });
    await expect(lock(house.eremos, request(folder))).rejects.toThrow(/Give this one another name/);
    const beside = await makeRoomFor(house.eremos, folder);
    expect(beside).toBe(path.join(house.world, "Payroll (new)"));
    await expect(makeRoomFor(house.eremos, beside)).rejects.toThrow(expect.objectContaining({ code: "usage" }));
    await lock(house.eremos, request(beside)).then(({ outcome }) => outcome);
    for (const one of [folder, beside]) await (await unlock(house.eremos, target(one))).outcome;
    expect([
      fs.readFileSync(path.join(folder, "first.txt"), "utf8"),
      fs.readFileSync(path.join(beside, "second.txt"), "utf8"),
    ]).toEqual(["the first", "the second"]);
  });

  it("is locked while nobody can know, and then both are in the list, told apart by their ids", async () => {
    const folder = house.makeFolder("Payroll", { "first.txt": "the first" });
    await house.signIn();
    const { folder: first } = await lock(house.eremos, request(folder)).then(({ outcome }) => outcome);
    signOut(house.eremos);
    house.makeFolder("Payroll", { "second.txt": "the second" });
    const { folder: second } = await lock(house.eremos, request(folder)).then(({ outcome }) => outcome);
    await house.signIn();
    expect(listFolders(house.eremos).map(({ id, state }) => [id, state])).toEqual(
      expect.arrayContaining([
        [first, "locked"],
        [second, "locked"],
      ]),
    );
    await expect((async () => unlock(house.eremos, target(folder)))()).rejects.toThrow(
      new RegExp(`say which by its id: .*${second}`),
    );
    await (
      await unlock(house.eremos, target(second))
    ).outcome;
    expect(fs.readFileSync(path.join(folder, "second.txt"), "utf8")).toBe("the second");
    await expect((async () => (await unlock(house.eremos, target(first))).outcome)()).rejects.toMatchObject({
      code: "path-taken",
    });
    fs.renameSync(folder, path.join(house.world, "second"));
    await (
      await unlock(house.eremos, target(first))
    ).outcome;
    expect(fs.readFileSync(path.join(folder, "first.txt"), "utf8")).toBe("the first");
  });
});

it("where the engine ends over putting folders right, whoever signs in does, and each folder says that it could not be", async () => {
  const folder = house.makeFolder("Bills");
  await house.signIn();
  await lock(house.eremos, request(folder, "view")).then(({ outcome }) => outcome);
  await (
    await unlock(house.eremos, target(folder))
  ).outcome;
  signOut(house.eremos);
  house.eremos.ask = () => Promise.reject(new EremosError("interrupted", said("working")));
  await house.signIn();
  expect(listFolders(house.eremos)).toMatchObject([{ state: "open", attention: "working" }]);
});

it("what a sign-in saw of the folders is told on only where it did nothing with one since: not where it took in what was put into one", async () => {
  const folder = house.makeFolder("Bills");
  await house.signIn();
  await lock(house.eremos, request(folder, "view")).then(({ outcome }) => outcome);
  const seenBy = async (): Promise<unknown> => {
    signOut(house.eremos);
    const { looked } = await house.signIn();
    return looked && listFolders(house.eremos, looked);
  };
  expect(await seenBy()).toEqual(listFolders(house.eremos));
  fs.writeFileSync(path.join(folder, "new.txt"), "put in meanwhile");
  expect(await seenBy()).toBeNull();
  expect(listFolders(house.eremos)).toMatchObject([{ arrivals: 0, drops: 1 }]);
  expect(await seenBy()).toMatchObject([{ arrivals: 0, drops: 1 }]);
});

describe("long work", () => {
  it("goes on with its own keys when its owner signs out, queued work too", async () => {
    const folders = ["One", "Two", "Three", "Four", "Five"].map((name) => house.makeFolder(name));
    await house.signIn();
    const started = folders.map((folder) => lock(house.eremos, request(folder)));
    signOut(house.eremos);
    await Promise.all(started.map(async (job) => (await job).outcome));
    house.restart();
    await house.signIn();
    expect(listFolders(house.eremos).map((folder) => folder.state)).toEqual([
      "locked",
      "locked",
      "locked",
      "locked",
      "locked",
    ]);
    for (const folder of folders) await (await release(house.eremos, target(folder))).outcome;
    for (const folder of folders) expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("is persisted by ids, numbers and codes only, and called interrupted when its process is gone", async () => {
    const folder = house.makeFolder("Unmistakable name");
    await lock(house.eremos, request(folder)).then(({ outcome }) => outcome);
    const rows = house.eremos.database.orm.select().from(jobs).all();
    expect(rows).toHaveLength(1);
    expect(JSON.stringify(rows)).not.toContain("Unmistakable");
    const dead = { ...rows[0], id: "dead", state: "running" as const, holder: "0".repeat(32), endedAt: null };
    house.eremos.database.orm
      .insert(jobs)
      .values({
        ...dead,
        folder: "x",
        verb: "lock",
        phase: "sealing",
        files: 0,
        filesTotal: 0,
        bytes: 0,
        bytesTotal: 0,
        startedAt: Date.now(),
      })
      .run();
    expect(house.eremos.jobs.markInterrupted()).toBe(true);
    expect(house.eremos.jobs.cutOff("x")).toMatchObject({ verb: "lock" });
    expect(house.eremos.jobs.list().find((job) => job.id === "dead")).toMatchObject({
      state: "interrupted",
      error: { code: "interrupted" },
    });
  });

  it("leaves list and notes as they were when it is cancelled", async () => {
    const folder = house.makeFolder(
      "Large",
      Object.fromEntries(Array.from({ length: 60 }, (_, i) => [`f${i}`, "x".repeat(2_000_000)])),
    );
    await house.signIn();
    const job = await lock(house.eremos, request(folder));
    await expect.poll(() => house.eremos.jobs.list()[0]?.phase).toBe("sealing");
    expect(house.eremos.data.notes()).toHaveLength(1);
    house.eremos.jobs.cancel(job.id);
    await expect(job.outcome).rejects.toMatchObject({ code: "cancelled" });
    expect(listFolders(house.eremos)).toEqual([]);
    expect(house.eremos.data.notes()).toEqual([]);
    expect(fs.readdirSync(folder)).toHaveLength(60);
  });
});

describe("places and paths", () => {
  it("a place the owner names is one from then on, as it was typed; what is no folder is refused; and no more once it is taken off", async () => {
    const elsewhere = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-elsewhere-"));
    try {
      fs.mkdirSync(path.join(elsewhere, "Letters"));
      fs.writeFileSync(path.join(elsewhere, "Letters", "a.txt"), "a");
      await house.signIn();
      await expect(listPlace(house.eremos, elsewhere)).rejects.toMatchObject({ code: "outside-places" });
      await setPreferences(house.eremos, { places: [`"${pathToFileURL(elsewhere).href}"`] });
      expect(house.eremos.preferences.get().places).toEqual([elsewhere]);
      expect((await listPlace(house.eremos, elsewhere)).entries.map(({ name }) => name)).toEqual(["Letters"]);
      await lock(house.eremos, request(path.join(elsewhere, "Letters"))).then(({ outcome }) => outcome);
      await expect(setPreferences(house.eremos, { places: [path.join(elsewhere, "nothing")] })).rejects.toMatchObject({
        code: "usage",
      });
      await setPreferences(house.eremos, { places: [] });
      await expect(listPlace(house.eremos, elsewhere)).rejects.toMatchObject({ code: "outside-places" });
    } finally {
      fs.rmSync(elsewhere, { recursive: true, force: true });
    }
  });

  it.skipIf(process.geteuid?.() !== 0)("drives that are mounted for the first time after the start are places", () => {
    const account = `eremos-test-${process.pid}`;
    const settings = { ...house.eremos.settings, listedPlaces: [], account };
    expect(placesOf(settings)).toEqual([settings.home]);
    fs.mkdirSync(`/media/${account}`, { recursive: true });
    try {
      expect(placesOf(settings)).toEqual([settings.home, `/media/${account}`]);
    } finally {
      fs.rmdirSync(`/media/${account}`);
    }
  });

  it("shows the owner's hidden folders under their own names, and follows no link out", async () => {
    const folder = house.makeFolder("Home/Payroll");
    house.makeFolder("Home/Recipes");
    fs.symlinkSync("/etc", path.join(house.world, "out"));
    await house.signIn();
    await lock(house.eremos, request(folder)).then(({ outcome }) => outcome);
    const { entries } = await listPlace(house.eremos, path.join(house.world, "Home"));
    expect(entries.map(({ name, hidden, folder: id }) => [name, hidden, id !== null])).toEqual([
      ["Payroll", true, true],
      ["Recipes", false, false],
    ]);
    await expect(listPlace(house.eremos, path.join(house.world, "out"))).rejects.toThrow(
      expect.objectContaining({ code: "outside-places" }),
    );
    await expect(onlook(house.eremos, path.join(house.world, "out"), "/")).rejects.toThrow(
      expect.objectContaining({ code: "outside-places" }),
    );
    await expect(listPlace(house.eremos, "/etc")).rejects.toThrow(expect.objectContaining({ code: "outside-places" }));
    expect(await completePath(house.eremos, path.join(house.world, "Ho"))).toEqual([path.join(house.world, "Home")]);
    expect(await completePath(house.eremos, `${path.join(house.world, "Home")}/`)).toEqual([
      path.join(house.world, "Home", "Payroll"),
      path.join(house.world, "Home", "Recipes"),
    ]);
  });

  it("reads typed paths as people type them", () => {
    fs.mkdirSync(path.join(house.world, "real"));
    fs.symlinkSync("real", path.join(house.world, "link"));
    const read = (typed: string): string => fullPath(typed, "/home/ines", house.world).toString();
    expect(read("~/Payroll")).toBe("/home/ines/Payroll");
    expect(read("file:///tmp/a%20b")).toBe("/tmp/a b");
    expect(read("link/new")).toBe(path.join(house.world, "real", "new"));
    expect(read("link/")).toBe(path.join(house.world, "link"));
    expect(read("../x/../y")).toBe(path.join(house.base, "y"));
    expect(() => read("  ")).toThrow(expect.objectContaining({ code: "usage" }));
    const typed = (text: string): string => fullPath(text, "/home/ines").toString();
    expect(typed('"~/Cello fund"')).toBe("/home/ines/Cello fund");
    expect(typed("'/srv/Cello fund' ")).toBe("/srv/Cello fund");
    expect(typed(" Workshop/Payroll")).toBe("/home/ines/Workshop/Payroll");
    // What begins with a slash is meant to the letter.
    expect(typed("/srv/It's 'here' ")).toBe("/srv/It's 'here' ");
  });

  it("offers what was chosen last, and locks no weaker by itself for it", async () => {
    await house.signIn();
    const choice = (): unknown => house.eremos.preferences.get().chosen;
    expect(choice()).toEqual({ guard: "sealed", visibility: "hidden" });
    const asked = { path: house.makeFolder("Cello fund"), inUseAnyway: false, from: "/" };
    await lock(house.eremos, { ...asked, protection: { ...AS_BEFORE, guard: "sight", visibility: "tucked" } }).then(
      ({ outcome }) => outcome,
    );
    expect(choice()).toEqual({ guard: "sight", visibility: "tucked" });
    await lock(house.eremos, { ...asked, path: house.makeFolder("Payroll"), protection: AS_BEFORE }).then(
      ({ outcome }) => outcome,
    );
    expect(listFolders(house.eremos).map(({ name, guard, visibility }) => [name, guard, visibility])).toEqual([
      ["Cello fund", "sight", "tucked"],
      ["Payroll", "sealed", "hidden"],
    ]);
  });

  it("plans a lock with its size and says why it can't be", async () => {
    await house.signIn();
    const folder = house.makeFolder("Payroll", { a: "12345", b: "123" });
    fs.linkSync(path.join(folder, "a"), path.join(house.world, "outside"));
    expect(await planLock(house.eremos, folder, sealedAnd("view"))).toMatchObject({
      files: 2,
      bytes: 8,
      outsideLinks: ["a"],
      refusal: null,
    });
    expect(await planLock(house.eremos, house.world, sealedAnd("view"))).toMatchObject({
      refusal: { code: "off-limits" },
    });
  });
});
