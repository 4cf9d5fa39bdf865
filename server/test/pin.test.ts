import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { stateOf } from "../src/operations/about";
import { listFolders } from "../src/operations/list-folders";
import { returnWithPin, signOut, signOutIdle } from "../src/operations/sign-in";
import { TestHouse } from "./house";

const PIN = "731946";

let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const back = (pin: string): Promise<void> => returnWithPin(house.eremos, pin);
const isDozing = (): boolean => stateOf(house.eremos, false).pin;

describe("a PIN", () => {
  it("leads back after an idle sign-out, and only then", async () => {
    house.eremos.pin.choose(PIN);
    await expect(back("111222")).rejects.toMatchObject({ code: "needs-sign-in" });
    await house.signIn();
    house.eremos.pin.choose(PIN);
    signOutIdle(house.eremos);
    expect(() => listFolders(house.eremos)).toThrow(expect.objectContaining({ code: "needs-sign-in" }));
    expect(isDozing()).toBe(true);
    await expect(back("111222")).rejects.toMatchObject({ code: "wrong-pin", data: { left: 2 } });
    await back(PIN);
    expect(listFolders(house.eremos)).toEqual([]);
    expect(isDozing()).toBe(false);
  });

  it("is forgotten after three wrong ones, with the keys", async () => {
    house.eremos.pin.choose(PIN);
    const { rootKey } = house.eremos.requireKeys();
    signOutIdle(house.eremos);
    for (const code of ["wrong-pin", "wrong-pin", "needs-sign-in"]) await expect(back("111222")).rejects.toMatchObject({ code });
    expect(rootKey.every((byte) => byte === 0)).toBe(true);
    await expect(back(PIN)).rejects.toMatchObject({ code: "needs-sign-in" });
    expect(isDozing()).toBe(false);
  });

  it("goes with a sign-out by hand and with a restart; without one, an idle sign-out wipes the keys", async () => {
    house.eremos.pin.choose(PIN);
    signOut(house.eremos);
    await expect(back(PIN)).rejects.toMatchObject({ code: "needs-sign-in" });
    await house.signIn();
    house.eremos.pin.choose(PIN);
    signOutIdle(house.eremos);
    house.restart();
    await expect(back(PIN)).rejects.toMatchObject({ code: "needs-sign-in" });
    await house.signIn();
    const { rootKey } = house.eremos.requireKeys();
    signOutIdle(house.eremos);
    expect(rootKey.every((byte) => byte === 0)).toBe(true);
  });

  it("is not one of those that are tried first, and nothing of it is stored", () => {
    for (const pin of ["123", "12ab", "0000", "123456", "9876", ""]) expect(() => house.eremos.pin.choose(pin)).toThrow(expect.objectContaining({ code: "weak-pin" }));
    const before = contentsOf(house.data);
    house.eremos.pin.choose(PIN);
    signOutIdle(house.eremos);
    expect(contentsOf(house.data)).toEqual(before);
  });
});

function contentsOf(directory: string): string[] {
  const files = fs.readdirSync(directory, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile());
  return files.map((file) => `${file.name} ${fs.readFileSync(path.join(file.parentPath, file.name)).toString("hex")}`);
}
