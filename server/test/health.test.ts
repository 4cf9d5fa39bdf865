import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { check } from "../src/operations/folders/check";
import { setFolderPassword } from "../src/operations/locking/folder-password";
import { insuranceView, insure, repair } from "../src/operations/folders/insurance";
import { listFolders } from "../src/operations/folders/list-folders";
import { lock } from "../src/operations/locking/lock-folder";
import { signOut } from "../src/operations/entrance/sign-in";
import { checksInTurn } from "../src/operations/folders/check-in-turn";
import { CheckWatch } from "../src/watch/check-watch";
import { TestHouse, sealedAnd, toldOf } from "./house";

const DAY = 24 * 60 * 60 * 1000;
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const seal = (folder: string): Promise<unknown> =>
  lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
const only = (): ReturnType<typeof listFolders>[number] => listFolders(house.eremos)[0] ?? never();
const never = (): never => {
  throw new TypeError("there is a folder");
};
const summary = (id: string): string | null => house.eremos.jobs.list().find((job) => job.id === id)?.summary ?? null;

/** Spoils some bytes of the pack with the large file. */
function spoil(folder: string, from: number, length: number): void {
  const packs = path.join(folder, ".eremos", "packs");
  const [largest = ""] = fs
    .readdirSync(packs, { recursive: true, encoding: "utf8" })
    .map((name) => path.join(packs, name))
    .filter((file) => fs.statSync(file).isFile())
    .sort((a, b) => fs.statSync(b).size - fs.statSync(a).size);
  const bytes = fs.readFileSync(largest);
  fs.writeFileSync(largest, bytes.fill(0x77, from, from + length));
}

describe("insurance", () => {
  it("says what it costs and survives, repairs damage from the list, and is told of in the list", async () => {
    const folder = house.makeFolder("Payroll", { "letter.txt": "Dear Jonas", "film.bin": "film ".repeat(600_000) });
    await seal(folder);
    const { chosen, now, choices } = await insuranceView(house.eremos, folder);
    expect([chosen, now, choices.map(({ insurance }) => insurance)]).toEqual([
      null,
      null,
      ["light", "standard", "strong"],
    ]);
    await (
      await insure(house.eremos, folder, "standard")
    ).outcome;
    const view = await insuranceView(house.eremos, folder);
    expect(view).toMatchObject({ chosen: "standard", now: { scattered: 3, uncovered: 0 } });
    expect(view.now?.burst).toBeGreaterThan(250_000);
    expect(only()).toMatchObject({ isInsured: true, lastCheck: null });
    spoil(folder, 500_000, 200_000);
    const checked = await check(house.eremos, { pathOrId: folder, from: "/" });
    expect(await checked.outcome).toMatchObject({
      ok: false,
      damaged: [{ path: "film.bin", ranges: [{ from: expect.any(Number), until: expect.any(Number) }] }],
    });
    expect(summary(checked.id)).toMatch(/film\.bin \(bytes [\d,]+ to [\d,]+\)/);
    expect(only()).toMatchObject({
      lastCheck: { ok: false, sample: false },
      attention: expect.stringContaining("found damage"),
    });
    const repaired = await repair(house.eremos, folder);
    expect(await repaired.outcome).toMatchObject({ lost: [], repaired: [{ path: expect.stringContaining("packs/") }] });
    expect(summary(repaired.id)).toContain("repaired, byte for byte");
    expect(toldOf(house.eremos)[0]).toMatchObject({ kind: "repaired" });
    expect(only()).toMatchObject({ lastCheck: null, attention: null });
    expect(await (await check(house.eremos, { pathOrId: folder, from: "/" })).outcome).toMatchObject({ ok: true });
    expect(only().attention).toBeNull();
    await (
      await insure(house.eremos, folder, null)
    ).outcome;
    expect(only().isInsured).toBe(false);
  });

  it("damage beyond it is named, with its bytes", async () => {
    const folder = house.makeFolder("Payroll", { "film.bin": "film ".repeat(600_000) });
    await seal(folder);
    await (
      await insure(house.eremos, folder, "light")
    ).outcome;
    spoil(folder, 100_000, 1_500_000);
    const job = await repair(house.eremos, folder);
    expect((await job.outcome).lost).toHaveLength(1);
    expect(summary(job.id)).toContain("Beyond repair: packs/");
  });
});

describe("checks by themselves", () => {
  it("look at a sample of each sealed folder when its time has come, one after the other, while somebody is signed in", async () => {
    const [first, second, own] = ["First", "Second", "Own"].map((name) => house.makeFolder(name)) as [
      string,
      string,
      string,
    ];
    for (const folder of [first, second, own]) await seal(folder);
    await setFolderPassword(house.eremos, {
      folder: own,
      secret: null,
      password: { password: "rosin on the left shelf", hint: null },
    });
    let now = Date.now();
    const watch = new CheckWatch(checksInTurn(house.eremos), () => now);
    expect(await watch.look()).toBe(false);
    now += 31 * DAY;
    expect([await watch.look(), await watch.look()]).toEqual([true, true]);
    expect(
      listFolders(house.eremos).map(({ name, lastCheck }) => [name, lastCheck?.ok ?? null, lastCheck?.sample ?? null]),
    ).toEqual([
      ["First", true, true],
      ["Own", null, null],
      ["Second", true, true],
    ]);
    house.eremos.preferences.set({ checkEveryDays: 0 });
    now += 400 * DAY;
    expect(await watch.look()).toBe(false);
    house.eremos.preferences.set({ checkEveryDays: 7 });
    signOut(house.eremos);
    expect(await watch.look()).toBe(false);
  });
});
