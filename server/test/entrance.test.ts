import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { fileURLToPath } from "node:url";
import { Eremos } from "../src/eremos";
import { hintGivesAway } from "../src/operations/entrance/password-strength";
import { beginSetup, finishSetup, setupAtOnce } from "../src/operations/entrance/setup";
import { signIn, signOut } from "../src/operations/entrance/sign-in";
import { delayAfter } from "../src/session/gate";
import { readSettings } from "../src/settings";
import { passwordStrength } from "../src/strength";

const PROGRAM = fileURLToPath(new URL("../..", import.meta.url)).replace(/\/$/, "");
const PASSWORD = "violin varnish at dusk";

let base: string;
let eremos: Eremos;
const open = (): Eremos =>
  Eremos.open(readSettings({ EREMOS_DATA: path.join(base, "data"), EREMOS_PLACES: base }, PROGRAM));

beforeEach(() => {
  base = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-server-"));
  eremos = open();
});
afterEach(() => {
  eremos.close();
  fs.rmSync(base, { recursive: true, force: true });
});

describe("the first run", () => {
  it("writes nothing until the recovery code was proven kept", async () => {
    const begun = await beginSetup(eremos, { password: PASSWORD, hint: null });
    const groups = begun.recoveryCode.split("-");
    await expect(finishSetup(eremos, begun.id, ["AAAAA", "BBBBB"])).rejects.toMatchObject({ code: "wrong-code" });
    expect(eremos.data.owner()).toBeNull();
    await finishSetup(
      eremos,
      begun.id,
      begun.ask.map((group) => groups[group]?.toLowerCase() ?? ""),
    );
    expect(eremos.data.owner()).not.toBeNull();
    expect(eremos.keys).not.toBeNull();
    await expect(setupAtOnce(eremos, { password: PASSWORD, hint: null })).rejects.toMatchObject({
      code: "already-set-up",
    });
  });

  it("shows the same code again to whoever begins again with the same password; another password makes another, and says so", async () => {
    const begun = await beginSetup(eremos, { password: Buffer.from(PASSWORD), hint: null });
    const again = await beginSetup(eremos, { password: Buffer.from(PASSWORD), hint: "the workshop in winter" });
    expect([again, begun.isAnother]).toEqual([begun, false]);
    const other = await beginSetup(eremos, { password: Buffer.from("another varnish at dawn"), hint: null });
    expect([other.isAnother, other.recoveryCode === begun.recoveryCode]).toEqual([true, false]);
    await expect(finishSetup(eremos, begun.id, ["AAAAA", "BBBBB"])).rejects.toMatchObject({ code: "not-set-up" });
    const groups = other.recoveryCode.split("-");
    await finishSetup(
      eremos,
      other.id,
      other.ask.map((group) => groups[group] ?? ""),
    );
    signOut(eremos);
    expect(await signIn(eremos, "another varnish at dawn")).toEqual({ failedTries: 0, looked: [] });
  });

  it("keeps the password it was given as bytes, which are overwritten with their call, until the code was proven kept, and no longer", async () => {
    const given = Buffer.from(PASSWORD);
    const begun = await beginSetup(eremos, { password: given, hint: null });
    given.fill(0);
    const groups = begun.recoveryCode.split("-");
    await finishSetup(
      eremos,
      begun.id,
      begun.ask.map((group) => groups[group] ?? ""),
    );
    signOut(eremos);
    expect(await signIn(eremos, PASSWORD)).toEqual({ failedTries: 0, looked: [] });
  });

  it("refuses a weak password and a hint that gives the password away", async () => {
    await expect(setupAtOnce(eremos, { password: "short", hint: null })).rejects.toMatchObject({
      code: "weak-password",
    });
    await expect(setupAtOnce(eremos, { password: "password1", hint: null })).rejects.toMatchObject({
      code: "weak-password",
    });
    await expect(
      setupAtOnce(eremos, { password: PASSWORD, hint: "it is Violin-Varnish at dusk" }),
    ).rejects.toMatchObject({ code: "hint-gives-away" });
    expect(eremos.data.owner()).toBeNull();
  });

  it.each([
    ["violin varnish at dusk", true],
    ["VIOLINVARNISHATDUSK!", true],
    ["ksud ta hsinrav niloiv", true],
    ["dusk", true],
    ["varnish, violin", true],
    ["starts with violin varn", true],
    ["what I smelled in the workshop", false],
    ["summer of 1998", false],
    ["the usual four", false],
  ])("hint %j gives it away: %s", (hint, givesAway) => {
    expect(hintGivesAway(hint, PASSWORD)).toBe(givesAway);
  });

  it("tells real strength", async () => {
    expect((await passwordStrength("password123")).score).toBeLessThanOrEqual(1);
    expect((await passwordStrength(PASSWORD)).score).toBeGreaterThanOrEqual(3);
  });

  it.each([
    ["kitchen purple", "hours", 1],
    ["kitchen purple!", "months", 2],
    ["maple bridge 77", "years", 2],
  ] as const)("what is guessed within %j (%s) is never called good", async (password, time, score) => {
    const strength = await passwordStrength(password);
    expect(strength).toMatchObject({ score, refusal: null });
    expect(strength.guessTime).toContain(time);
  });

  it.each(["To be or not to be", "tobeornottobe", "There is no place like home"])(
    "a phrase that everybody knows (%s) counts as guessed, and is not taken",
    async (password) => {
      expect(await passwordStrength(password)).toMatchObject({ score: 0, refusal: expect.any(String) as string });
    },
  );
});

describe("the gate", () => {
  it("waits longer after each wrong password, and a restart does not reset the wait", async () => {
    await setupAtOnce(eremos, { password: PASSWORD, hint: "workshop smell" });
    signOut(eremos);
    await expect(signIn(eremos, "wrong")).rejects.toMatchObject({ code: "wrong-password" });
    await expect(signIn(eremos, PASSWORD)).rejects.toMatchObject({ code: "too-many-tries" });
    expect(eremos.gate.failures).toBe(1);
    eremos.close();
    eremos = open();
    expect(eremos.keys).toBeNull();
    expect(eremos.gate.wait).toBeGreaterThan(0);
    await expect(signIn(eremos, PASSWORD)).rejects.toMatchObject({ code: "too-many-tries" });
    await new Promise((resolve) => setTimeout(resolve, eremos.gate.wait));
    expect(await signIn(eremos, PASSWORD)).toEqual({ failedTries: 1, looked: [] });
    expect(eremos.gate.failures).toBe(0);
    expect(eremos.gate.hint).toBe("workshop smell");
  });

  it("never refuses a right password for another try that is under way, in whatever process; of wrong ones each waits for the one before", async () => {
    await setupAtOnce(eremos, { password: PASSWORD, hint: null });
    signOut(eremos);
    const other = open();
    try {
      const tries = await Promise.allSettled([
        signIn(eremos, PASSWORD),
        signIn(other, PASSWORD),
        signIn(eremos, PASSWORD),
      ]);
      expect(tries.map(({ status }) => status)).toEqual(["fulfilled", "fulfilled", "fulfilled"]);
      signOut(eremos);
      const wrong = await Promise.allSettled([
        signIn(eremos, "wrong"),
        signIn(other, "wrong"),
        signIn(eremos, "wrong"),
      ]);
      expect(
        wrong.map((one) => (one.status === "rejected" ? (one.reason as { code: string }).code : "in")).sort(),
      ).toEqual(["too-many-tries", "too-many-tries", "wrong-password"]);
      expect(eremos.gate.failures).toBe(1);
    } finally {
      other.close();
    }
  });

  it("doubles the wait, up to five minutes", () => {
    expect([0, 1, 2, 3, 4, 9, 10, 40].map(delayAfter)).toEqual([0, 1000, 2000, 4000, 8000, 256_000, 300_000, 300_000]);
  });

  it("wipes the keys at sign-out", async () => {
    await setupAtOnce(eremos, { password: PASSWORD, hint: null });
    const keys = eremos.requireKeys();
    const held = [keys.rootKey, keys.databaseKey, keys.sealingKey];
    signOut(eremos);
    expect(eremos.keys).toBeNull();
    expect(held.every((key) => key.every((byte) => byte === 0))).toBe(true);
    expect(() => keys.rootKey).toThrow(expect.objectContaining({ code: "needs-sign-in" }));
  });
});

describe("settings", () => {
  it("are refused in one sentence that names them", () => {
    expect(() => readSettings({ EREMOS_PORT: "many" }, PROGRAM)).toThrow(/EREMOS_PORT/);
    expect(() => readSettings({ EREMOS_PLACES: "/not/there" }, PROGRAM)).toThrow(/EREMOS_PLACES/);
    fs.writeFileSync(path.join(base, "file"), "");
    expect(() =>
      Eremos.open(readSettings({ EREMOS_DATA: path.join(base, "file", "data"), EREMOS_PLACES: base }, PROGRAM)),
    ).toThrow(/EREMOS_DATA/);
  });
});
