import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { settingsOf } from "../src/operations/folders/about";
import { changeEffort, changePassword, efforts } from "../src/operations/entrance/change-password";
import { lock } from "../src/operations/locking/lock-folder";
import { holdFolder, letGo } from "../../core/src/engine/ground/own-dir";
import { listFolders } from "../src/operations/folders/list-folders";
import { release, unlock } from "../src/operations/locking/open-folder";
import { catchUp } from "../src/operations/ways-back/renew-headers";
import { startVisit } from "../src/operations/folders/visit";
import { signIn, signOut } from "../src/operations/entrance/sign-in";
import { PASSWORD, TestHouse, sealedAnd, toldOf } from "./house";

const NEW = "half a cello and its bow";

let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
});
afterEach(() => house.remove());

const change = (current: string, password: string, hint: string | null = null): ReturnType<typeof changePassword> =>
  changePassword(house.eremos, { current, password, hint });
const lockNow = (folder: string): Promise<unknown> =>
  lock(house.eremos, { path: folder, protection: sealedAnd("hidden"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
const headersIn = (place: string): string[] =>
  fs
    .readdirSync(place, { recursive: true, encoding: "utf8" })
    .filter((name) => /header(\.twin)?\.json$/.test(name))
    .map((name) => fs.readFileSync(path.join(place, name), "utf8"));

describe("changing the master password", () => {
  it("asks for the present one, refuses a weak one and a hint that gives it away, and changes nothing then", async () => {
    await house.signIn();
    await expect(change("not this one at all", NEW)).rejects.toMatchObject({ code: "wrong-password" });
    house.eremos.gate.tries("password").succeed();
    await expect(change(PASSWORD, "password")).rejects.toMatchObject({ code: "weak-password" });
    await expect(change(PASSWORD, NEW, "half a cello and its bow, of course")).rejects.toMatchObject({
      code: "hint-gives-away",
    });
    signOut(house.eremos);
    await signIn(house.eremos, PASSWORD);
  });

  it("reaches a folder that is visited, whose visit ends, and one that lies open; what was held by another program is said, and gets it by itself; the hint stays", async () => {
    await house.signIn();
    house.eremos.gate.setHint("what I smelled in the workshop");
    const [visited, open, held] = ["Visited", "Open", "Held"].map((name) => house.makeFolder(name)) as [
      string,
      string,
      string,
    ];
    for (const folder of [visited, open, held])
      await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
        ({ outcome }) => outcome,
      );
    await startVisit(house.eremos, { pathOrId: visited, from: "/", minutes: null, accept: [], secret: null });
    await (
      await unlock(house.eremos, { pathOrId: open, from: "/", accept: [], mode: { kind: "until-locked" } })
    ).outcome;
    const other = holdFolder(house.eremos.disk, Buffer.from(held), { create: false });
    const { left } = await change(PASSWORD, NEW);
    expect(left.map(({ name }) => name)).toEqual(["Held"]);
    const attention = (): (string | null)[] =>
      listFolders(house.eremos)
        .map(({ name, attention: told, visit }) =>
          visit ? `${name} is visited` : told?.includes("still does") ? name : null,
        )
        .filter((one) => one !== null);
    expect(attention()).toEqual(["Held"]);
    letGo(house.eremos.disk, other);
    await catchUp(house.eremos);
    expect(attention()).toEqual([]);
    const hashing = new Set(headersIn(house.world).map((text) => /"hashing":"([^"]+)"/.exec(text)?.[1]));
    expect([...hashing]).toEqual([house.eremos.requireOwner().password.hashing]);
    expect(house.eremos.gate.hint).toBe("what I smelled in the workshop");
  });

  it("another effort changes the work of each try, in the owner's record and in every folder, and holds for the next password, even where the machine seems slow then", async () => {
    const folder = house.makeFolder("Payroll");
    await house.signIn();
    await lockNow(folder);
    const passesIn = (text: string): number => Number(/,t=(\d+),/.exec(text)?.[1]);
    const before = passesIn(house.eremos.requireOwner().password.hashing);
    const { chosen, seconds } = await efforts(house.eremos);
    expect(chosen).toBe("light");
    expect(seconds.heavy).toBeGreaterThanOrEqual(seconds.light);
    await expect(changeEffort(house.eremos, { current: "not this one at all", effort: "heavy" })).rejects.toMatchObject(
      { code: "wrong-password" },
    );
    house.eremos.gate.tries("password").succeed();
    expect(passesIn(house.eremos.requireOwner().password.hashing)).toBe(before);
    await changeEffort(house.eremos, { current: PASSWORD, effort: "heavy" });
    const after = passesIn(house.eremos.requireOwner().password.hashing);
    expect(headersIn(house.world).map(passesIn)).toEqual([after, after]);
    expect((await efforts(house.eremos)).chosen).toBe("heavy");
    // What is measured is as little as on a machine that is busy.
    house.eremos.preferences.set({ effort: "light" });
    await change(PASSWORD, NEW);
    expect(passesIn(house.eremos.requireOwner().password.hashing)).toBeGreaterThanOrEqual(after);
    house.eremos.preferences.set({ effort: "heavy" });
    signOut(house.eremos);
    await signIn(house.eremos, NEW);
    expect(settingsOf(house.eremos)).toMatchObject({ preferences: { effort: "heavy" }, behind: [] });
  });

  it("reaches every folder there is, catches up with those that were away, and locks made meanwhile open with it", async () => {
    const here = house.makeFolder("Payroll");
    const away = house.makeFolder("Stick/Appraisals");
    await house.signIn();
    await lockNow(here);
    await lockNow(away);
    const barred = house.makeFolder("Photos");
    await lock(house.eremos, {
      path: barred,
      protection: { guard: "barred", visibility: "view", bars: { others: "nothing", own: "everything" } },
      inUseAnyway: false,
      from: "/",
    }).then(({ outcome }) => outcome);
    const drive = path.join(house.base, "drive that is away");
    fs.renameSync(path.join(house.world, "Stick"), drive);

    const before = headersIn(house.world);
    const { left } = await change(PASSWORD, NEW, "two strings");
    expect(left).toEqual([{ id: expect.any(String), name: "Appraisals", path: away }]);
    expect(settingsOf(house.eremos)).toMatchObject({ hint: "two strings", behind: left });
    expect(headersIn(house.world)).not.toEqual(before);
    expect(headersIn(drive).join()).toContain(JSON.parse(before[0] ?? "{}").owner.password.root);
    expect(toldOf(house.eremos)[0]).toMatchObject({ kind: "password" });
    expect(fs.readFileSync(path.join(barred, ".eremos", "guard.json"), "utf8")).toContain(
      house.eremos.requireOwner().password.root,
    );

    house.restart();
    await expect(signIn(house.eremos, PASSWORD)).rejects.toMatchObject({ code: "wrong-password" });
    house.eremos.gate.tries("password").succeed();
    const another = house.makeFolder("Letters");
    await lockNow(another);
    fs.renameSync(drive, path.join(house.world, "Stick"));
    await signIn(house.eremos, NEW);
    expect(settingsOf(house.eremos).behind).toEqual([]);
    expect(headersIn(house.world).join()).not.toContain(JSON.parse(before[0] ?? "{}").owner.password.root);
    for (const folder of [here, away, another]) {
      await (
        await release(house.eremos, { pathOrId: folder, from: "/", accept: [] })
      ).outcome;
      expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
    }
  });
});
