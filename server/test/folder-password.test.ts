import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { FolderSecret } from "../src/contract";
import { settingsOf } from "../src/operations/folders/about";
import { changePassword } from "../src/operations/entrance/change-password";
import { closeUp } from "../src/operations/locking/close-up";
import { prepareFolderPassword, setFolderPassword } from "../src/operations/locking/folder-password";
import { listFolders } from "../src/operations/folders/list-folders";
import { lock } from "../src/operations/locking/lock-folder";
import { check } from "../src/operations/folders/check";
import { release, unlock } from "../src/operations/locking/open-folder";
import { setProtection } from "../src/operations/locking/protection";
import { beginNewCode, finishNewCode } from "../src/operations/entrance/recovery-code";
import { signIn, signOut } from "../src/operations/entrance/sign-in";
import { PASSWORD, TestHouse, sealedAnd } from "./house";

const OWN = "rosin on the left shelf";
const own: FolderSecret = { kind: "password", password: OWN };

let house: TestHouse;
let folder: string;
beforeEach(async () => {
  house = await TestHouse.make();
  folder = house.makeFolder("Adoption papers");
  await house.signIn();
});
afterEach(() => house.remove());

const lockIt = async (hint: string | null = null): Promise<void> => {
  const password = await prepareFolderPassword(house.eremos, { password: OWN, hint });
  await lock(house.eremos, {
    path: folder,
    protection: sealedAnd("view"),
    inUseAnyway: false,
    password,
    from: "/",
  }).then(({ outcome }) => outcome);
};
const forgetTries = (): unknown =>
  house.eremos.gate.tries(`folder/${listFolders(house.eremos)[0]?.id ?? ""}`).succeed();
const target = (
  secret: FolderSecret | null,
): { pathOrId: string; from: string; accept: readonly []; secret: FolderSecret | null } => ({
  pathOrId: folder,
  from: "/",
  accept: [],
  secret,
});
const open = async (secret: FolderSecret | null): Promise<unknown> =>
  (await unlock(house.eremos, { ...target(secret), mode: { kind: "usual" } })).outcome;
const newCode = async (): Promise<{ code: string; left: readonly { readonly path: string }[] }> => {
  const { id, recoveryCode, ask } = await beginNewCode(house.eremos, PASSWORD);
  const groups = recoveryCode.split("-");
  await expect(finishNewCode(house.eremos, id, ["AAAAA", "BBBBB"])).rejects.toMatchObject({ code: "wrong-code" });
  return {
    code: recoveryCode,
    ...(await finishNewCode(
      house.eremos,
      id,
      ask.map((group) => groups[group] ?? ""),
    )),
  };
};

describe("a folder with a password of its own", () => {
  it("is refused to whoever is merely signed in; wrong ones are slowed down like any; locking, hiding and checking go on", async () => {
    await lockIt("where it lies");
    expect(listFolders(house.eremos)).toMatchObject([
      { hasPassword: true, passwordHint: "where it lies", state: "locked" },
    ]);
    await expect(open(null)).rejects.toMatchObject({ code: "needs-folder-password", data: { hint: "where it lies" } });
    await expect(open({ kind: "password", password: PASSWORD })).rejects.toMatchObject({
      code: "wrong-password",
      data: { waitMs: 1000 },
    });
    await expect(open(own)).rejects.toMatchObject({ code: "too-many-tries" });
    forgetTries();
    await setProtection(house.eremos, folder, sealedAnd("tucked"));
    expect(fs.existsSync(folder)).toBe(false);
    expect(await (await check(house.eremos, target(own))).outcome).toMatchObject({ ok: true });
    await open(own);
    fs.writeFileSync(path.join(folder, "new.txt"), "new");
    await Promise.all((await closeUp(house.eremos, false)).locking.map(({ job }) => job.outcome));
    expect(listFolders(house.eremos)).toMatchObject([{ hasPassword: true, state: "locked", visibility: "tucked" }]);
    await expect(release(house.eremos, target(null))).rejects.toMatchObject({ code: "needs-folder-password" });
    await (
      await release(house.eremos, target(own))
    ).outcome;
    expect(fs.readdirSync(folder).sort()).toEqual(["letter.txt", "new.txt"]);
  });

  it("can be set, changed and taken off while it is locked; only sealed folders can have one", async () => {
    const set = (secret: FolderSecret | null, password: string | null): Promise<void> =>
      setFolderPassword(house.eremos, {
        folder,
        secret,
        password: password === null ? null : { password, hint: null },
      });
    await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
      ({ outcome }) => outcome,
    );
    await expect(set(null, "password")).rejects.toMatchObject({ code: "weak-password" });
    await set(null, OWN);
    await expect(set(null, "gut strings, never steel")).rejects.toMatchObject({ code: "needs-folder-password" });
    await set(own, "gut strings, never steel");
    await expect(open(own)).rejects.toMatchObject({ code: "wrong-password" });
    forgetTries();
    await set({ kind: "password", password: "gut strings, never steel" }, null);
    await open(null);
    const photos = house.makeFolder("Photos");
    const prepared = await prepareFolderPassword(house.eremos, { password: OWN, hint: null });
    await expect(
      lock(house.eremos, {
        path: photos,
        protection: { guard: "sight", visibility: "hidden", bars: null },
        inUseAnyway: false,
        password: prepared,
        from: "/",
      }),
    ).rejects.toThrow("Only a sealed folder");
    signOut(house.eremos);
    await expect(
      lock(house.eremos, {
        path: photos,
        protection: sealedAnd("view"),
        inUseAnyway: false,
        password: prepared,
        from: "/",
      }),
    ).rejects.toThrow("sign in first");
  });

  it("follows another master password; another recovery code waits for its next opening, and Settings says so", async () => {
    await lockIt();
    const first = await newCode();
    expect(first.left).toMatchObject([{ path: folder }]);
    expect(settingsOf(house.eremos)).toMatchObject({ behind: [], withEarlierCode: [{ path: folder }] });
    await open(own);
    expect(settingsOf(house.eremos).withEarlierCode).toEqual([]);
    await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
      ({ outcome }) => outcome,
    );
    await changePassword(house.eremos, { current: PASSWORD, password: "half a cello and its bow", hint: null });
    expect(settingsOf(house.eremos)).toMatchObject({ behind: [], withEarlierCode: [] });
    house.restart();
    await signIn(house.eremos, "half a cello and its bow");
    await open({ kind: "code", code: first.code });
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });
});

describe("another recovery code", () => {
  it("is shown to whoever knows the master password, holds once it was proven kept, and reaches the folders that were away later", async () => {
    const away = house.makeFolder("Stick/Appraisals");
    await lock(house.eremos, { path: away, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
      ({ outcome }) => outcome,
    );
    const drive = path.join(house.base, "drive that is away");
    fs.renameSync(path.join(house.world, "Stick"), drive);
    await expect(beginNewCode(house.eremos, "not this one at all")).rejects.toMatchObject({ code: "wrong-password" });
    house.eremos.gate.tries("password").succeed();
    const before = house.eremos.requireOwner();
    await beginNewCode(house.eremos, PASSWORD);
    expect(house.eremos.requireOwner()).toEqual(before);
    const { left } = await newCode();
    expect(left).toMatchObject([{ path: away }]);
    fs.renameSync(drive, path.join(house.world, "Stick"));
    signOut(house.eremos);
    await house.signIn();
    expect(settingsOf(house.eremos)).toMatchObject({ behind: [], withEarlierCode: [] });
    expect(fs.readFileSync(path.join(away, ".eremos", "header.json"), "utf8")).toContain(
      house.eremos.requireOwner().recovery.publicKey,
    );
  });
});
