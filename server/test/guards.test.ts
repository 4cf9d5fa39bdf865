import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { Visit, disk } from "@eremos/core";
import type { Protection } from "../src/contract";
import { closeUp } from "../src/operations/locking/close-up";
import { findTarget } from "../src/operations/locking/find-target";
import { setFolderPassword } from "../src/operations/locking/folder-password";
import { followDrives, lookAtAll } from "../src/operations/folders/follow-drives";
import { listFolders } from "../src/operations/folders/list-folders";
import { NO_RULES } from "../src/ledger/ledger";
import { UNTIL_LOCKED } from "../src/locking-rules";
import { lock, lockAgain } from "../src/operations/locking/lock-folder";
import { check } from "../src/operations/folders/check";
import { openToChange, release, unlock } from "../src/operations/locking/open-folder";
import { planLock } from "../src/operations/locking/plan-lock";
import { setPreferences } from "../src/operations/folders/preferences";
import { setProtection } from "../src/operations/locking/protection";
import { reach } from "../src/operations/folders/reach";
import { recoverInterrupted } from "../src/operations/ways-back/recover-interrupted";
import { listPlace } from "../src/operations/folders/walk-places";
import { AS_BEFORE } from "../src/protection";
import { Eremos } from "../src/eremos";
import { setStay, signIn, signOut } from "../src/operations/entrance/sign-in";
import { decodePath } from "../src/paths";
import { readSettings } from "../src/settings";
import { Keeper } from "../src/watch/keeper";
import { CAN_MOUNT, Drive } from "../../core/test/support/mounts";
import { PASSWORD, TestHouse, sealedAnd, toldOf } from "./house";

let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
});
afterEach(() => house.remove());

const SIGHT: Protection = { guard: "sight", visibility: "tucked", cover: null, icon: null, bars: null };
const BARRED: Protection = {
  guard: "barred",
  visibility: "view",
  cover: null,
  icon: null,
  bars: { others: "read", own: "read" },
};

const lockAs = async (folder: string, protection: Protection | typeof AS_BEFORE): Promise<void> =>
  void (await lock(house.eremos, { path: folder, protection, inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  ));
const target = (pathOrId: string): Parameters<typeof unlock>[1] => ({
  pathOrId,
  from: "/",
  accept: [],
  mode: { kind: "until-locked" },
});
const modeOf = (file: string): number => fs.statSync(file).mode & 0o777;
const only = (): ReturnType<typeof listFolders>[number] | undefined => listFolders(house.eremos)[0];

it("out of sight and tucked away: locked while signed out, listed at its ordinary place, opened, closed up, released", async () => {
  const folder = house.makeFolder("Workshop/Surprise");
  const inode = fs.statSync(path.join(folder, "letter.txt")).ino;
  await lockAs(folder, SIGHT);
  expect(fs.readdirSync(path.dirname(folder))).toEqual([]);
  await house.signIn();
  expect(only()).toMatchObject({
    path: folder,
    state: "locked",
    guard: "sight",
    visibility: "tucked",
    realPath: expect.stringContaining("/.eremos-held/."),
    attention: null,
  });
  expect((await listPlace(house.eremos, path.dirname(folder))).entries).toMatchObject([{ path: folder, hidden: true }]);
  expect((await listPlace(house.eremos, house.world)).entries.map((entry) => entry.name)).toEqual(["Workshop"]);
  const opened = await (await unlock(house.eremos, target(folder))).outcome;
  expect(opened.path.toString()).toBe(folder);
  expect(fs.statSync(path.join(folder, "letter.txt")).ino).toBe(inode);
  expect(only()).toMatchObject({ state: "open", guard: "sight" });
  house.eremos.forget();
  const { locking, left } = await closeUp(house.eremos, false);
  expect(left).toEqual([]);
  await Promise.all(locking.map(({ job }) => job.outcome));
  expect(fs.readdirSync(path.dirname(folder))).toEqual([]);
  await house.signIn();
  await (
    await release(house.eremos, target(folder))
  ).outcome;
  expect(fs.readdirSync(folder)).toEqual(["letter.txt"]);
  expect(fs.readdirSync(house.world)).toEqual(["Workshop"]);
  expect(listFolders(house.eremos)).toEqual([]);
  expect(toldOf(house.eremos).map((event) => event.kind)).toEqual(["released", "locked", "opened", "locked"]);
});

it("nothing is tucked away into a synced directory, and where there is nowhere else it is refused", async () => {
  const folder = house.makeFolder("Synced/Workshop/Surprise");
  await house.signIn();
  await setPreferences(house.eremos, { synced: [path.join(house.world, "Synced")] });
  await lockAs(folder, SIGHT);
  expect(only()?.realPath).toMatch(new RegExp(`^${house.world}/\\.eremos-held/`));
  await (
    await release(house.eremos, target(folder))
  ).outcome;
  await setPreferences(house.eremos, { synced: [house.world] });
  await expect(lockAs(folder, SIGHT)).rejects.toThrow("Tucking away moves the folder out of synced folders");
  await expect(lockAs(folder, { ...sealedAnd("tucked") })).rejects.toThrow("hide it in place instead");
  expect(fs.readdirSync(folder)).toEqual(["letter.txt"]);
});

it("barred: other rules while it is locked, and the permissions it had when it opens", async () => {
  const folder = house.makeFolder("Payroll");
  const letter = path.join(folder, "letter.txt");
  fs.chmodSync(letter, 0o664);
  await house.signIn();
  await lockAs(folder, BARRED);
  expect([modeOf(folder), modeOf(letter)]).toEqual([0o555, 0o444]);
  expect(only()).toMatchObject({ state: "locked", guard: "barred", bars: BARRED.bars, realPath: folder });
  await setProtection(house.eremos, only()?.id ?? "", { ...BARRED, bars: { others: "nothing", own: "change" } });
  expect([modeOf(folder), modeOf(letter)]).toEqual([0o500, 0o664]);
  await setProtection(house.eremos, only()?.id ?? "", {
    guard: "sight",
    visibility: "hidden",
    cover: null,
    icon: null,
    bars: null,
  });
  expect(fs.existsSync(folder)).toBe(false);
  expect(modeOf(path.join(only()?.realPath ?? "", "letter.txt"))).toBe(0o664);
  await setProtection(house.eremos, only()?.id ?? "", BARRED);
  await (
    await unlock(house.eremos, target(folder))
  ).outcome;
  expect([modeOf(folder), modeOf(letter)]).toEqual([0o755, 0o664]);
  await lockAs(folder, AS_BEFORE);
  expect(modeOf(letter)).toBe(0o444);
  await expect(check(house.eremos, target(folder))).rejects.toThrow("Only a sealed folder");
});

/** Waits until nothing runs any more. */
async function settled(): Promise<void> {
  await vi.waitFor(() => expect([house.eremos.jobs.busy, only()?.state]).toEqual([false, "locked"]), {
    timeout: 20_000,
    interval: 50,
  });
}

it("between sealed and the others while it stays locked: closed to other accounts, then locked in the new way, and told as one thing", async () => {
  const folder = house.makeFolder("Payroll");
  fs.chmodSync(folder, 0o755);
  await house.signIn();
  await lockAs(folder, sealedAnd("hidden"));
  const id = only()?.id ?? "";
  await setFolderPassword(house.eremos, {
    folder: id,
    secret: null,
    password: { password: "rosin on the left shelf", hint: null },
  });
  await expect(setProtection(house.eremos, id, BARRED)).rejects.toMatchObject({ code: "needs-folder-password" });
  expect(
    await setProtection(house.eremos, id, BARRED, { kind: "password", password: "rosin on the left shelf" }),
  ).toMatch(/^[0-9a-f-]{36}$/);
  await settled();
  expect(only()).toMatchObject({ id, guard: "barred", state: "locked", hasPassword: false, realPath: folder });
  expect(fs.readdirSync(path.join(folder, ".eremos")).sort()).toEqual([
    "guard.json",
    "guard.twin.json",
    "lock",
    expect.stringMatching(/^originals-/),
  ]);
  expect([modeOf(folder), modeOf(path.join(folder, "letter.txt"))]).toEqual([0o555, 0o444]);
  expect(
    house.eremos.jobs
      .list()
      .filter(({ verb }) => verb === "reguard")
      .map(({ state, summary }) => [state, summary]),
  ).toEqual([
    ["done", expect.stringMatching(/^Payroll is barred/)],
    ["done", null],
  ]);

  expect(await setProtection(house.eremos, id, sealedAnd("tucked"))).not.toBeNull();
  await settled();
  expect(only()).toMatchObject({ id, guard: "sealed", visibility: "tucked", files: 1, hasPassword: false });
  expect(fs.readdirSync(house.world)).toEqual([".eremos-held"]);
  await (
    await release(house.eremos, target(id))
  ).outcome;
  expect(fs.readdirSync(folder)).toEqual(["letter.txt"]);
  expect([modeOf(folder), modeOf(path.join(folder, "letter.txt"))]).toEqual([0o755, 0o644]);
  expect(toldOf(house.eremos).map((event) => event.kind)).toEqual([
    "released",
    "locked",
    "reguarded",
    "locked",
    "reguarded",
    "folder-password",
    "locked",
  ]);
});

it("a change of guard that can't be finished leaves it locked as it was", async () => {
  const folder = house.makeFolder("Payroll");
  await house.signIn();
  await lockAs(folder, sealedAnd("view"));
  const id = only()?.id ?? "";
  fs.mkdirSync(path.join(house.world, "Old bills"));
  await setProtection(house.eremos, id, { ...BARRED, cover: "Old bills" });
  await settled();
  expect(only()).toMatchObject({ guard: "sealed", visibility: "view", cover: null, realPath: folder });
  expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
  expect(
    house.eremos.jobs
      .list()
      .filter(({ verb }) => verb === "reguard")
      .map(({ state, error }) => [state, error?.code ?? null]),
  ).toEqual([
    ["done", null],
    ["failed", "path-taken"],
    ["done", null],
  ]);
});

it("a change of guard that was cut off half way is finished at the next start, without the password", async () => {
  const folder = house.makeFolder("Payroll");
  await house.signIn();
  await lockAs(folder, sealedAnd("hidden"));
  const id = only()?.id ?? "";
  await (
    await openToChange(house.eremos, findTarget(house.eremos, id, "/"), BARRED, null)
  ).outcome;
  expect([fs.readdirSync(folder).sort(), modeOf(folder)]).toEqual([[".eremos", "letter.txt"], 0o700]);
  house.restart();
  await recoverInterrupted(house.eremos);
  expect(modeOf(folder)).toBe(0o700);
  await new Keeper(house.eremos, (path) => lockAgain(house.eremos, path)).look();
  expect(modeOf(folder)).toBe(0o700);
  const keeper = new Keeper(house.eremos, (path) => lockAgain(house.eremos, path));
  await keeper.start();
  keeper.stop();
  await house.signIn();
  expect(only()).toMatchObject({ guard: "barred", state: "locked", bars: BARRED.bars });
  expect(modeOf(path.join(folder, "letter.txt"))).toBe(0o444);
});

it("another guard chosen while it lies open holds from the next lock on, and it keeps its place in the list", async () => {
  const folder = house.makeFolder("Payroll");
  await house.signIn();
  await lockAs(folder, sealedAnd("hidden"));
  const id = only()?.id ?? "";
  await (
    await unlock(house.eremos, target(folder))
  ).outcome;
  await setProtection(house.eremos, id, BARRED);
  await lockAs(folder, AS_BEFORE);
  expect(fs.readdirSync(path.join(folder, ".eremos")).sort()).toEqual([
    "guard.json",
    "guard.twin.json",
    "lock",
    expect.stringMatching(/^originals-/),
  ]);
  expect(only()).toMatchObject({ id, guard: "barred", state: "locked" });
  await (
    await unlock(house.eremos, target(folder))
  ).outcome;
  await setProtection(house.eremos, id, sealedAnd("view"));
  await lockAs(folder, AS_BEFORE);
  expect(fs.readdirSync(folder).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
  expect(only()).toMatchObject({ id, guard: "sealed", state: "locked", files: 1 });
  await (
    await release(house.eremos, target(id))
  ).outcome;
  expect(fs.readdirSync(folder)).toEqual(["letter.txt"]);
});

it("a lock that was cut off is finished at the next start, from its note and the disk", async () => {
  const folder = house.makeFolder("Payroll");
  await lockAs(folder, BARRED);
  const record = path.join(folder, ".eremos", "guard.json");
  await house.signIn();
  await (
    await unlock(house.eremos, target(folder))
  ).outcome;
  const { length } = house.eremos.data.notes();
  expect(length).toBe(1);
  // As after a kill between the first record and the work: the note is there, the record says what is to be.
  await lockAs(folder, AS_BEFORE);
  const [listed] = listFolders(house.eremos);
  house.eremos.data.writeNote({
    id: listed?.id ?? "",
    path: Buffer.from(folder).toString("base64"),
    ...BARRED,
    kind: "folder",
    publicKey: null,
    opened: null,
    isUnknown: false,
    erases: null,
    protectedAt: 1,
    rules: UNTIL_LOCKED,
    openedAt: 0,
    locksAt: null,
    staysUntil: 0,
  });
  fs.chmodSync(folder, 0o755);
  house.restart();
  expect(await recoverInterrupted(house.eremos)).toHaveLength(1);
  expect(modeOf(folder)).toBe(0o555);
  expect(house.eremos.data.notes()).toEqual([]);
  expect(fs.existsSync(record)).toBe(true);
});

it("a synced directory that is locked and hidden itself does not keep Eremos from starting", () => {
  const away = path.join(house.world, "Cloud drive");
  expect(
    readSettings(
      { EREMOS_DATA: house.data, EREMOS_PLACES: house.world, EREMOS_SYNCED: away },
      house.eremos.settings.program,
    ).synced,
  ).toEqual([away]);
  expect(() => readSettings({ EREMOS_DATA: house.data, EREMOS_PLACES: away }, house.eremos.settings.program)).toThrow(
    "EREMOS_PLACES names",
  );
});

it("a folder that a protected one belongs in can't be protected itself, even while that one is tucked away", async () => {
  const folder = house.makeFolder("Workshop/Payroll");
  await house.signIn();
  await lockAs(folder, SIGHT);
  await expect(
    lock(house.eremos, { path: path.dirname(folder), protection: sealedAnd("view"), inUseAnyway: false, from: "/" }),
  ).rejects.toThrow("release that one first");
});

it.runIf(CAN_MOUNT)(
  "a drive that is taken out shows its folders as away, and they come back with it, at another path too",
  async () => {
    const drive = new Drive("ext4");
    const eremos = Eremos.open(
      readSettings({ EREMOS_DATA: house.data, EREMOS_PLACES: path.dirname(drive.at) }, house.eremos.settings.program),
    );
    try {
      await signIn(eremos, PASSWORD);
      const folders = ["In view", "Tucked"].map((name) => path.join(drive.at, "Papers", name));
      for (const folder of folders) {
        fs.mkdirSync(folder, { recursive: true });
        fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
      }
      const [inView = "", tucked = ""] = folders;
      await lock(eremos, { path: inView, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
        ({ outcome }) => outcome,
      );
      await lock(eremos, { path: tucked, protection: SIGHT, inUseAnyway: false, from: "/" }).then(
        ({ outcome }) => outcome,
      );
      drive.pullOut();
      expect(listFolders(eremos)).toMatchObject([
        { state: "away", path: inView, attention: null },
        { state: "away", path: tucked },
      ]);
      await expect(unlock(eremos, target(inView))).rejects.toThrow("is not at its place now");
      drive.replug("mounted elsewhere");
      expect(listFolders(eremos)).toMatchObject(
        ["In view", "Tucked"].map((name) => ({ state: "locked", path: path.join(drive.at, "Papers", name) })),
      );
      // To look writes nothing; the list follows when the drive is seen to have come, or at the next sign-in.
      const { keys } = eremos;
      if (!keys) throw new Error("signed out");
      const paths = (): string[] =>
        eremos.registry
          .list(keys)
          .map((record) => path.basename(path.dirname(path.dirname(decodePath(record.path).toString()))));
      const before = paths();
      expect(new Set(before)).not.toContain("mounted elsewhere");
      followDrives(eremos, keys, await lookAtAll(eremos, keys));
      expect(paths()).toEqual(["mounted elsewhere", "mounted elsewhere"]);
      for (const name of ["In view", "Tucked"]) {
        const { path: now } = await (await unlock(eremos, target(path.join(drive.at, "Papers", name)))).outcome;
        expect(fs.readFileSync(path.join(now.toString(), "letter.txt"), "utf8")).toBe("Dear Jonas");
      }
      fs.renameSync(path.join(drive.at, "Papers", "In view"), path.join(drive.at, "moved by hand"));
      expect(listFolders(eremos)).toMatchObject([
        { state: "missing", attention: expect.stringContaining("not at its place") },
        { state: "open" },
      ]);
    } finally {
      eremos.close();
      drive.remove();
    }
  },
);

it("a cover name and an icon show while it is locked in view, from the lock on or later, and are kept for the next lock", async () => {
  const folder = house.makeFolder("Payroll");
  await house.signIn();
  await lockAs(folder, { ...sealedAnd("view"), cover: "Recipes", icon: "x-office-document" });
  expect(fs.readdirSync(house.world)).toEqual(["Recipes"]);
  expect(fs.readFileSync(path.join(house.world, "Recipes", ".directory"), "utf8")).toContain("Icon=x-office-document");
  expect(listFolders(house.eremos)).toMatchObject([
    {
      path: folder,
      realPath: path.join(house.world, "Recipes"),
      cover: "Recipes",
      icon: "x-office-document",
      arrivals: 0,
    },
  ]);
  expect((await reach(house.eremos, folder))[0]?.exists).toMatchObject({
    answer: "partly",
    reason: expect.stringContaining("Recipes"),
  });
  await (
    await unlock(house.eremos, target(folder))
  ).outcome;
  expect(fs.readdirSync(folder)).toEqual([".eremos", "letter.txt"]);
  await lockAs(folder, AS_BEFORE);
  expect(fs.readdirSync(house.world)).toEqual(["Recipes"]);
  await setProtection(house.eremos, folder, { ...sealedAnd("view"), cover: "Old bills" });
  expect(fs.readdirSync(house.world)).toEqual(["Old bills"]);
  await expect(setProtection(house.eremos, folder, { ...sealedAnd("view"), cover: "a/b" })).rejects.toMatchObject({
    code: "usage",
  });
  expect(listFolders(house.eremos)).toMatchObject([{ cover: "Old bills", icon: null, state: "locked" }]);
  await (
    await release(house.eremos, target(folder))
  ).outcome;
  expect(fs.readdirSync(house.world)).toEqual(["Payroll"]);
});

it.each([sealedAnd("hidden"), sealedAnd("view"), SIGHT, BARRED])(
  "a single file ($guard, $visibility) is locked while signed out, opens at its place, closes up, and is an ordinary file again",
  async (protection) => {
    const place = house.makeFolder("Home", { "letter.txt": "Dear Jonas", "neighbour.txt": "stays" });
    const file = path.join(place, "letter.txt");
    await lockAs(file, protection);
    await house.signIn();
    expect(only()).toMatchObject({ path: file, name: "letter.txt", kind: "file", state: "locked", arrivals: 0 });
    expect((await listPlace(house.eremos, place)).entries.find(({ name }) => name === "letter.txt")).toMatchObject({
      path: file,
      folder: only()?.id,
    });
    expect((await reach(house.eremos, file)).find(({ kind }) => kind === "disk")?.reads.answer).toBe(
      protection.guard === "sealed" ? "no" : "yes",
    );
    await (
      await unlock(house.eremos, target(file))
    ).outcome;
    expect(only()).toMatchObject({ path: file, realPath: file, state: "open" });
    expect((await reach(house.eremos, file))[0]?.reads.answer).toBe("yes");
    expect((await listPlace(house.eremos, place)).entries.map(({ name }) => name)).toEqual([
      "letter.txt",
      "neighbour.txt",
    ]);
    fs.writeFileSync(file, "edited");
    signOut(house.eremos);
    await Promise.all((await closeUp(house.eremos, false)).locking.map(({ job }) => job.outcome));
    expect(house.eremos.data.notes()).toEqual([]);
    await house.signIn();
    expect(only()).toMatchObject({ path: file, state: "locked", visibility: protection.visibility });
    await expect(lockAs(file, AS_BEFORE)).rejects.toMatchObject({ code: "already-protected" });
    await (
      await release(house.eremos, target(file))
    ).outcome;
    expect(fs.readFileSync(file, "utf8")).toBe("edited");
    expect(fs.readdirSync(place)).toEqual(["letter.txt", "neighbour.txt"]);
    expect(only()).toBeUndefined();
  },
);

it("a single file whose lock was cut off at its first step is put right at the next start", async () => {
  const file = path.join(house.makeFolder("Home"), "letter.txt");
  await house.signIn();
  house.eremos.data.writeNote({
    ...NO_RULES,
    ...sealedAnd("view"),
    id: "a".repeat(32),
    path: Buffer.from(file).toString("base64"),
    kind: "file",
    publicKey: null,
    opened: null,
    protectedAt: 1,
  });
  const container = path.join(path.dirname(file), `.${"0".repeat(20)}`);
  fs.mkdirSync(path.join(container, ".eremos"), { recursive: true });
  await recoverInterrupted(house.eremos);
  expect(fs.readdirSync(path.dirname(file))).toEqual(["letter.txt"]);
  expect(house.eremos.data.notes()).toEqual([]);
});

it.runIf(CAN_MOUNT)(
  "a drive's whole contents: away with it, back with it at another path, hidden on the drive itself",
  async () => {
    const drive = new Drive("ext4");
    const eremos = Eremos.open(
      readSettings({ EREMOS_DATA: house.data, EREMOS_PLACES: path.dirname(drive.at) }, house.eremos.settings.program),
    );
    const top = (): string[] => fs.readdirSync(drive.at).filter((name) => name !== "lost+found");
    try {
      await signIn(eremos, PASSWORD);
      fs.writeFileSync(path.join(drive.at, "letter.txt"), "Dear Jonas");
      expect((await planLock(eremos, drive.at, SIGHT)).refusal).toMatchObject({ code: "unsupported" });
      await lock(eremos, { path: drive.at, protection: sealedAnd("hidden"), inUseAnyway: false, from: "/" }).then(
        ({ outcome }) => outcome,
      );
      expect(top()).toEqual([".eremos"]);
      expect(listFolders(eremos)).toMatchObject([{ kind: "drive", state: "locked", path: drive.at }]);
      drive.pullOut();
      expect(listFolders(eremos)).toMatchObject([{ kind: "drive", state: "away", attention: null }]);
      drive.replug("mounted elsewhere");
      expect(listFolders(eremos)).toMatchObject([{ kind: "drive", state: "locked", path: drive.at }]);
      await (
        await unlock(eremos, target(drive.at))
      ).outcome;
      expect(top().sort()).toEqual([".eremos", "letter.txt"]);
      await lock(eremos, {
        path: drive.at,
        protection: { ...SIGHT, visibility: "hidden" },
        inUseAnyway: false,
        from: "/",
      }).then(({ outcome }) => outcome);
      expect(top()).toEqual([".eremos"]);
      const rows = await reach(eremos, drive.at);
      expect(rows.map(({ kind, exists, reads }) => [kind, exists.answer, reads.answer])).toEqual([
        ["keyboard", "partly", "no"],
        ["keyboard-hidden-shown", "partly", "yes"],
        ["account", "no", "no"],
        ["administrator", "partly", "yes"],
        ["disk", "partly", "yes"],
        ["provider", "no", "no"],
      ]);
      await (
        await release(eremos, target(drive.at))
      ).outcome;
      expect(top()).toEqual(["letter.txt"]);
    } finally {
      eremos.close();
      drive.remove();
    }
  },
);

it("staying signed in changes who could get at a sealed folder, and the key it keeps really opens it; not one with a password of its own", async () => {
  const folder = house.makeFolder("Payroll");
  await house.signIn();
  await lockAs(folder, sealedAnd("view"));
  const answers = async (): Promise<string[]> =>
    (await reach(house.eremos, folder)).map(({ kind, reads }) => `${kind} ${reads.answer}`);
  expect(await answers()).toEqual([
    "keyboard no",
    "keyboard-hidden-shown no",
    "account no",
    "administrator partly",
    "disk no",
    "provider no",
  ]);
  await setStay(house.eremos, PASSWORD);
  expect(await answers()).toEqual([
    "keyboard partly",
    "keyboard-hidden-shown partly",
    "account no",
    "administrator yes",
    "disk partly",
    "provider no",
  ]);
  const [file = ""] = fs.readdirSync(house.eremos.settings.stayDirectory);
  const { rootKey } = JSON.parse(fs.readFileSync(path.join(house.eremos.settings.stayDirectory, file), "utf8")) as {
    rootKey: string;
  };
  const access = {
    owner: house.eremos.requireOwner(),
    rootKey: Buffer.from(rootKey, "base64url"),
    folderKey: null,
    devices: [],
  };
  const account = { uid: 0, gid: 0 };
  const reader = await Visit.open(disk, {
    path: Buffer.from(folder),
    access,
    keptHeader: null,
    expected: null,
    accept: [],
    account,
  });
  expect(reader.list(reader.root).map(({ name }) => name.toString())).toEqual(["letter.txt"]);
  reader.close();
  await setFolderPassword(house.eremos, {
    folder,
    secret: null,
    password: { password: "rosin on the left shelf", hint: null },
  });
  expect(await answers()).toEqual([
    "keyboard no",
    "keyboard-hidden-shown no",
    "account no",
    "administrator partly",
    "disk no",
    "provider no",
  ]);
  await expect(
    Visit.open(disk, { path: Buffer.from(folder), access, keptHeader: null, expected: null, accept: [], account }),
  ).rejects.toMatchObject({ code: "needs-folder-password" });
});
