import * as fs from "node:fs";
import * as path from "node:path";
import Database from "better-sqlite3";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { changePassword } from "../../src/operations/entrance/change-password";
import { signIn, signOut } from "../../src/operations/entrance/sign-in";
import { PASSWORD, TestHouse } from "../house";

let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
});
afterEach(() => house.remove());

const at = (...names: string[]): string => path.join(house.data, ...names);
const { version } = JSON.parse(fs.readFileSync("package.json", "utf8")) as { version: string };
/** As if an older one had been the last to use it. */
function startsAnewAfter(older: string): void {
  house.eremos.close();
  fs.writeFileSync(at("used-by.json"), JSON.stringify(older));
  house.restart();
}

describe("the first start of another version", () => {
  it("copies the owner's record, this computer's key and the database first, for this account alone, and no note", async () => {
    const owner = fs.readFileSync(at("owner.json"));
    expect(fs.existsSync(at("before-upgrade"))).toBe(false);
    startsAnewAfter("0.0.1");
    expect(JSON.parse(fs.readFileSync(at("used-by.json"), "utf8"))).toBe(version);
    const copy = at("before-upgrade", "0.0.1");
    expect(fs.existsSync(copy)).toBe(true);
    expect(fs.readFileSync(path.join(copy, "owner.json"))).toEqual(owner);
    expect(fs.readdirSync(copy)).toEqual(expect.arrayContaining(["device.json", "owner.copy.json", "eremos.db"]));
    expect(fs.readdirSync(copy)).not.toContain("open");
    expect([fs.statSync(copy).mode & 0o777, fs.statSync(path.join(copy, "eremos.db")).mode & 0o777]).toEqual([
      0o700, 0o600,
    ]);
    const database = new Database(path.join(copy, "eremos.db"), { readonly: true });
    expect(database.pragma("integrity_check", { simple: true })).toBe("ok");
    database.close();
    await house.signIn();
  });

  it("copies nothing at the next start, and removes the copy when its thirty days have been counted", () => {
    startsAnewAfter("0.0.1");
    const copy = at("before-upgrade", "0.0.1");
    const made = fs.statSync(copy).ino;
    house.restart();
    expect(fs.statSync(copy).ino).toBe(made);
    const about = path.join(copy, "copied.json");
    const { days } = JSON.parse(fs.readFileSync(about, "utf8")) as { days: number };
    fs.writeFileSync(about, JSON.stringify({ days: days - 29 }));
    house.restart();
    expect(fs.existsSync(copy)).toBe(true);
    fs.writeFileSync(about, JSON.stringify({ days: days - 31 }));
    house.restart();
    expect(fs.existsSync(copy)).toBe(false);
  });

  it("leaves no copy that an earlier master password opens, once another one has been used", async () => {
    startsAnewAfter("0.0.1");
    await house.signIn();
    expect(fs.existsSync(at("before-upgrade", "0.0.1"))).toBe(true);
    const password = "another rosin bridge lantern";
    await changePassword(house.eremos, { current: PASSWORD, password, hint: "" });
    signOut(house.eremos);
    await signIn(house.eremos, password);
    expect(fs.existsSync(at("before-upgrade"))).toBe(false);
  });

  it("goes on where there is no room for a copy, and tries it again at the next start", () => {
    fs.writeFileSync(at("before-upgrade"), "in the way");
    startsAnewAfter("0.0.1");
    expect(JSON.parse(fs.readFileSync(at("used-by.json"), "utf8"))).toBe("0.0.1");
    fs.rmSync(at("before-upgrade"));
    house.restart();
    expect(fs.existsSync(at("before-upgrade", "0.0.1"))).toBe(true);
  });
});

it("data that a newer Eremos has brought further is not opened, and not changed", () => {
  house.eremos.close();
  const database = new Database(at("eremos.db"));
  database.prepare("insert into __drizzle_migrations (hash, created_at) values ('later', 9999999999999)").run();
  database.close();
  fs.writeFileSync(at("used-by.json"), JSON.stringify("99.0.0"));
  const bytes = fs.readFileSync(at("eremos.db"));
  expect(() => house.restart()).toThrow(/newer Eremos has used its own data[^]*Nothing was touched/);
  expect(fs.readFileSync(at("eremos.db"))).toEqual(bytes);
  expect(JSON.parse(fs.readFileSync(at("used-by.json"), "utf8"))).toBe("99.0.0");
  fs.rmSync(at("used-by.json"));
});
