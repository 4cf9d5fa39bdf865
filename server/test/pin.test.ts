import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { stateOf } from "../src/operations/folders/about";
import { listFolders } from "../src/operations/folders/list-folders";
import { returnWithPin, signOut, signOutIdle } from "../src/operations/entrance/sign-in";
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

/** How often the end of the session was told to the one who ends the process. */
function endings(): () => number {
  let told = 0;
  house.eremos.endWithSession(() => told++);
  return () => told;
}

describe("a process that ends with its session", () => {
  it("is over at a sign-out, by hand or idle, and takes nobody in again; signing in once more while signed in ends none", async () => {
    const told = endings();
    await house.signIn();
    expect(told()).toBe(0);
    signOut(house.eremos);
    signOut(house.eremos);
    expect(told()).toBe(1);
    await expect(house.signIn()).rejects.toMatchObject({ code: "busy" });
    house.restart();
    const again = endings();
    await house.signIn();
    signOutIdle(house.eremos);
    expect(again()).toBe(1);
  });

  it("goes on dozing while a PIN leads back, and is over when it is forgotten", async () => {
    const told = endings();
    house.eremos.pin.choose(PIN);
    signOutIdle(house.eremos);
    await back(PIN);
    signOutIdle(house.eremos);
    expect(told()).toBe(0);
    for (let tried = 0; tried < 3; tried++) await back("111222").catch(() => undefined);
    expect(told()).toBe(1);
  });

  it("is over a while after a secret that opened nothing, unless somebody got in meanwhile, or is trying just then", async () => {
    house.restart();
    const told = endings();
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
    try {
      const wrong = (): Promise<unknown> =>
        house.eremos.trying(() => Promise.reject(new Error("wrong"))).catch(() => undefined);
      await wrong();
      vi.advanceTimersByTime(10_000);
      await wrong();
      vi.advanceTimersByTime(10_000);
      expect(told()).toBe(0);
      let done = (): void => undefined;
      const trying = house.eremos.trying(() => new Promise<void>((resolve) => (done = resolve)));
      vi.advanceTimersByTime(10_000);
      expect(told()).toBe(0);
      done();
      await trying;
      vi.advanceTimersByTime(20_000);
      expect(told()).toBe(1);
    } finally {
      vi.useRealTimers();
    }
    house.restart();
    const second = endings();
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
    try {
      await house.eremos.trying(() => Promise.reject(new Error("wrong"))).catch(() => undefined);
      await house.signIn();
      vi.advanceTimersByTime(60_000);
      expect(second()).toBe(0);
    } finally {
      vi.useRealTimers();
    }
  });
});

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
    for (const code of ["wrong-pin", "wrong-pin", "needs-sign-in"])
      await expect(back("111222")).rejects.toMatchObject({ code });
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
    for (const pin of ["123", "12ab", "0000", "123456", "9876", ""])
      expect(() => house.eremos.pin.choose(pin)).toThrow(expect.objectContaining({ code: "weak-pin" }));
    const before = contentsOf(house.data);
    house.eremos.pin.choose(PIN);
    house.eremos.doze();
    expect(contentsOf(house.data)).toEqual(before);
  });
});

function contentsOf(directory: string): string[] {
  const files = fs.readdirSync(directory, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile());
  return files.map((file) => `${file.name} ${fs.readFileSync(path.join(file.parentPath, file.name)).toString("hex")}`);
}
