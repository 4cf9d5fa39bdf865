import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import {
  LEAST_COST,
  ProvenOwner,
  createOwner,
  newRecoveryCode,
  openWithCode,
  openWithPassword,
  withDevice,
} from "@eremos/core";
import { changeEffort, changePassword } from "../src/operations/entrance/change-password";
import { resetPassword } from "../src/operations/entrance/forgotten-password";
import { dropKeyholders, nameKeyholders, sharesOf } from "../src/operations/ways-back/keyholders";
import { lock } from "../src/operations/locking/lock-folder";
import { beginNewCode, finishNewCode } from "../src/operations/entrance/recovery-code";
import { renewHeaders } from "../src/operations/ways-back/renew-headers";
import { replaceOwner } from "../src/operations/entrance/replace-owner";
import { setStay, signIn, signOut, signOutIdle } from "../src/operations/entrance/sign-in";
import type { Eremos } from "../src/eremos";
import { PASSWORD, TestHouse, sealedAnd } from "./house";

/**
 * A sign-out in the middle of something that waits for the password hashing: by hand, because nobody touched the page,
 * because the computer sleeps.
 */
const NEXT = "half a cello and a bow";
const HOLDERS = ["Mira", "Tomas", "Anna"].map((name) => ({ name, mail: null }));

let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const record = (): Buffer => fs.readFileSync(path.join(house.data, "owner.json"));

async function code(eremos: Eremos): Promise<unknown> {
  const { id, ask, recoveryCode } = await beginNewCode(eremos, PASSWORD);
  return finishNewCode(
    eremos,
    id,
    ask.map((group) => recoveryCode.split("-")[group] ?? ""),
  );
}

const CHANGES: Readonly<Record<string, (eremos: Eremos) => Promise<unknown>>> = {
  "another master password": (eremos) => changePassword(eremos, { current: PASSWORD, password: NEXT, hint: null }),
  "another effort": (eremos) => changeEffort(eremos, { current: PASSWORD, effort: "standard" }),
  "another recovery code": code,
  "naming keyholders": (eremos) =>
    nameKeyholders(eremos, { current: PASSWORD, of: "Ines", threshold: 2, holders: HOLDERS }),
  "dropping keyholders": (eremos) => dropKeyholders(eremos, PASSWORD),
  "staying signed in": (eremos) => setStay(eremos, PASSWORD),
};

describe.each([
  ["by hand", signOut],
  ["by itself", signOutIdle],
] as const)("a sign-out %s", (_how, leave) => {
  it.each(Object.keys(CHANGES))(
    "during %s: nothing was changed, as it says, and password and code open as before",
    async (change) => {
      const before = record();
      const done = CHANGES[change]?.(house.eremos);
      leave(house.eremos);
      await expect(done).rejects.toMatchObject({
        code: "needs-sign-in",
        message: expect.stringMatching(/Nothing was (changed|touched)|left undone/),
      });
      expect(record()).toEqual(before);
      const owner = house.eremos.requireOwner();
      expect((await openWithPassword(owner, PASSWORD)).rootKey).toEqual(
        (await openWithCode(owner, house.code)).rootKey,
      );
      expect(house.eremos.stay.isOn(owner)).toBe(false);
      await house.signIn();
      expect(sharesOf(house.eremos)).toBeNull();
    },
  );
});

describe("keys", () => {
  it("are wiped at the last release of an operation that holds them, and the session is over at once", async () => {
    const keys = house.eremos.requireKeys();
    const { rootKey } = keys;
    let go = (): void => undefined;
    const held = house.eremos.holding(async () => new Promise<void>((resolve) => (go = resolve)));
    signOut(house.eremos);
    expect(house.eremos.keys).toBeNull();
    expect(rootKey.some((byte) => byte !== 0)).toBe(true);
    go();
    await held;
    expect(rootKey.every((byte) => byte === 0)).toBe(true);
    expect(() => keys.hold()).toThrow(expect.objectContaining({ code: "needs-sign-in" }));
  });
});

describe("the owner's record", () => {
  it("has the one before beside it until the owner signs in with the new one, and is read from whatever copy is whole", async () => {
    const before = record();
    await changePassword(house.eremos, { current: PASSWORD, password: NEXT, hint: null });
    expect(fs.readFileSync(path.join(house.data, "owner.before.json"))).toEqual(before);
    fs.writeFileSync(path.join(house.data, "owner.json"), "{");
    expect((await openWithPassword(house.eremos.requireOwner(), NEXT)).rootKey).toHaveLength(32);
    fs.writeFileSync(path.join(house.data, "owner.copy.json"), "{");
    expect((await openWithPassword(house.eremos.requireOwner(), PASSWORD)).rootKey).toHaveLength(32);
    for (const name of ["owner.json", "owner.copy.json"]) fs.rmSync(path.join(house.data, name));
    await resetPassword(house.eremos, { secret: { kind: "code", code: house.code }, password: NEXT, hint: null });
    signOut(house.eremos);
    await signIn(house.eremos, NEXT);
    expect(fs.existsSync(path.join(house.data, "owner.before.json"))).toBe(false);
  });

  it("is not written in the place of one that another Eremos wrote meanwhile", async () => {
    const keys = house.eremos.requireKeys();
    const ours = withDevice(house.eremos.requireOwner(), keys.rootKey, {
      publicKey: Buffer.alloc(32, 8),
      name: "laptop",
      since: 0,
    });
    const changing = replaceOwner(
      house.eremos,
      keys,
      async (owner, rootKey) => {
        house.eremos.data.writeOwner(
          await ProvenOwner.prove(
            withDevice(owner, rootKey, { publicKey: Buffer.alloc(32, 7), name: "desktop", since: 0 }),
            rootKey,
            [],
          ),
          owner,
        );
        return ours;
      },
      [],
    );
    await expect(changing).rejects.toMatchObject({ code: "busy" });
    expect(house.eremos.requireOwner().signature).not.toBe(ours.signature);
  });

  it("that does not belong to the keys gets into no folder's header", async () => {
    const folder = house.makeFolder("Payroll");
    await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
      ({ outcome }) => outcome,
    );
    const header = path.join(folder, ".eremos", "header.json");
    const before = fs.readFileSync(header);
    const keys = house.eremos.requireKeys();
    const stranger = await createOwner(PASSWORD, newRecoveryCode(), LEAST_COST);
    for (const name of ["owner.json", "owner.copy.json"]) fs.rmSync(path.join(house.data, name));
    house.eremos.data.writeOwner(await ProvenOwner.prove(stranger.envelope, stranger.rootKey, []), null);
    await expect(renewHeaders(house.eremos, keys)).rejects.toMatchObject({ code: "damaged" });
    expect(fs.readFileSync(header)).toEqual(before);
  });
});
