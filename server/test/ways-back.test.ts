import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { USUAL_BARS } from "@eremos/core";
import {
  type ReturnRequest,
  returnOwner,
  scanView,
  takeIn,
  takeInFound,
} from "../src/operations/ways-back/find-folders";
import { setFolderPassword } from "../src/operations/locking/folder-password";
import { resetPassword } from "../src/operations/entrance/forgotten-password";
import { listFolders } from "../src/operations/folders/list-folders";
import { lock } from "../src/operations/locking/lock-folder";
import { release, unlock } from "../src/operations/locking/open-folder";
import { mend } from "../src/operations/ways-back/mend";
import { practice } from "../src/operations/entrance/practice";
import { beginNewCode, finishNewCode } from "../src/operations/entrance/recovery-code";
import { signIn, signOut } from "../src/operations/entrance/sign-in";
import { setupAtOnce } from "../src/operations/entrance/setup";
import { AS_BEFORE } from "../src/protection";
import { createOwner } from "../../core/src/format/owner";
import { newRecoveryCode } from "../../core/src/format/codes/recovery-code";
import { lock as lockByCore, snapshot } from "../../core/test/support/world";
import { PASSWORD, TestHouse, sealedAnd, toldOf } from "./house";

const NEW = "half a cello and a bow";
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const seal = (folder: string, visibility: "view" | "hidden" | "tucked" = "hidden"): Promise<unknown> =>
  lock(house.eremos, { path: folder, protection: sealedAnd(visibility), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
const free = async (folder: string): Promise<void> =>
  void (await (
    await release(house.eremos, { pathOrId: folder, from: "/", accept: [] })
  ).outcome);

async function look(): Promise<ReturnType<typeof scanView>> {
  house.eremos.finder.start([Buffer.from(house.world)]);
  await vi.waitFor(() => expect(scanView(house.eremos).isRunning).toBe(false), { timeout: 20_000 });
  return scanView(house.eremos);
}

describe("the master password is forgotten", () => {
  it("the code sets another one; everything opens with that, and no more with the old one", async () => {
    const folder = house.makeFolder("Payroll");
    await seal(folder);
    signOut(house.eremos);
    await expect(
      resetPassword(house.eremos, {
        secret: { kind: "code", code: "VSJD2-2F04V-DRXM4-MS6CJ-3QXAQ-VWWCN-9YZ3W-171WK" },
        password: NEW,
        hint: null,
      }),
    ).rejects.toMatchObject({ code: "wrong-code" });
    await expect(
      resetPassword(house.eremos, { secret: { kind: "code", code: house.code }, password: NEW, hint: null }),
    ).rejects.toMatchObject({ code: "too-many-tries" });
    await new Promise((resolve) => setTimeout(resolve, 1100));
    await expect(
      resetPassword(house.eremos, { secret: { kind: "code", code: house.code }, password: "short", hint: null }),
    ).rejects.toMatchObject({ code: "weak-password" });
    expect(
      await resetPassword(house.eremos, {
        secret: { kind: "code", code: house.code.toLowerCase().replaceAll("-", " ") },
        password: NEW,
        hint: "the big one",
      }),
    ).toEqual({ failedTries: 1, left: [] });
    expect(toldOf(house.eremos)[0]).toMatchObject({ kind: "password" });
    house.restart();
    await expect(signIn(house.eremos, PASSWORD)).rejects.toMatchObject({ code: "wrong-password" });
    await new Promise((resolve) => setTimeout(resolve, 1100));
    await signIn(house.eremos, NEW);
    expect(house.eremos.gate.hint).toBe("the big one");
    await free(folder);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });
});

describe("Eremos' data is gone, or this is another computer", () => {
  async function lockAll(): Promise<Record<string, string>> {
    const folders = {
      Payroll: house.makeFolder("Payroll"),
      Adoption: house.makeFolder("Adoption papers"),
      Away: house.makeFolder("deep/Surprise"),
      Bills: house.makeFolder("Bills"),
      Open: house.makeFolder("Open"),
    };
    await seal(folders.Payroll);
    await seal(folders.Adoption, "view");
    await seal(folders.Away, "tucked");
    await lock(house.eremos, {
      path: folders.Bills,
      protection: { guard: "barred", visibility: "hidden", cover: null, icon: null, bars: USUAL_BARS },
      inUseAnyway: false,
      from: "/",
    }).then(({ outcome }) => outcome);
    await seal(folders.Open);
    await (
      await unlock(house.eremos, { pathOrId: folders.Open, from: "/", accept: [], mode: { kind: "until-locked" } })
    ).outcome;
    return folders;
  }

  it.each([
    [
      "the master password",
      (): Omit<ReturnRequest, "path"> => ({
        secret: { kind: "password", password: PASSWORD },
        password: null,
        hint: null,
      }),
      PASSWORD,
    ],
    [
      "the recovery code and a new password",
      (): Omit<ReturnRequest, "path"> => ({ secret: { kind: "code", code: house.code }, password: NEW, hint: null }),
      NEW,
    ],
  ])(
    "all folders are found by the disk alone and taken in with %s; each opens at its place as before",
    async (_name, asked, password) => {
      const folders = await lockAll();
      house.loseData();
      const { found } = await look();
      expect(
        found.map(({ guard, visibility, isOpen, relation }) => [guard, visibility, isOpen, relation]).sort(),
      ).toEqual([
        ["barred", "hidden", false, "another-owner"],
        ["sealed", "hidden", false, "another-owner"],
        ["sealed", "hidden", true, "another-owner"],
        ["sealed", "tucked", false, "another-owner"],
        ["sealed", "view", false, "another-owner"],
      ]);
      const at = found.find(({ visibility }) => visibility === "view")?.path ?? "";
      await expect(
        returnOwner(house.eremos, { ...asked(), path: at, secret: { kind: "password", password: "wrong" } }),
      ).rejects.toMatchObject({ code: "wrong-password" });
      await new Promise((resolve) => setTimeout(resolve, 1100));
      const { taken, left } = await returnOwner(house.eremos, { ...asked(), path: at });
      expect([taken.length, left]).toEqual([
        4,
        [{ path: expect.stringMatching(/\/\.[0-9a-f]{20}$/), reason: expect.stringContaining("not encrypted") }],
      ]);
      await takeIn(house.eremos, { path: left[0]?.path ?? "", secret: null });
      expect(scanView(house.eremos).found.map(({ relation }) => relation)).toEqual(Array(5).fill("listed"));
      expect(
        listFolders(house.eremos).map(({ path: where, state }) => `${path.relative(house.world, where)} ${state}`),
      ).toEqual([
        "Adoption papers locked",
        "Bills locked",
        "Open interrupted",
        "Payroll locked",
        "deep/Surprise locked",
      ]);
      await lock(house.eremos, {
        path: folders["Open"] ?? "",
        protection: AS_BEFORE,
        inUseAnyway: false,
        from: "/",
      }).then(({ outcome }) => outcome);
      house.restart();
      await signIn(house.eremos, password);
      for (const folder of Object.values(folders)) {
        await free(folder);
        expect(fs.readdirSync(folder)).toEqual(["letter.txt"]);
      }
      expect(fs.readdirSync(house.world).sort()).toEqual(["Adoption papers", "Bills", "Open", "Payroll", "deep"]);
      await expect(returnOwner(house.eremos, { ...asked(), path: at })).rejects.toMatchObject({
        code: "already-set-up",
      });
    },
  );

  it("thousands that somebody planted are told in pages, the owner's own first, and keep nobody waiting for each of them", async () => {
    const folder = house.makeFolder("Payroll");
    await seal(folder, "view");
    const [record = ""] = stateFiles(folder);
    const real = fs.readFileSync(path.join(folder, ".eremos", record));
    let told = 0;
    house.eremos.onChange(({ topic }) => void (told += topic === "scan" ? 1 : 0));
    for (let i = 0; i < 1500; i++) {
      const planted = path.join(house.world, "a planted", `${i}`, ".eremos");
      fs.mkdirSync(planted, { recursive: true });
      fs.writeFileSync(path.join(planted, record), real);
    }
    await look();
    const view = scanView(house.eremos, 100);
    expect([view.found.length, view.found.length + view.more]).toEqual([100, 1501]);
    expect(view.found.some(({ path: at }) => at === folder)).toBe(true);
    expect(told).toBeLessThan(100);
  });

  it("a folder with a password of its own waits for it; with it, it is taken in, and keeps it", async () => {
    const folder = house.makeFolder("Payroll");
    const plain = house.makeFolder("Plain");
    await seal(folder, "view");
    await seal(plain, "view");
    await setFolderPassword(house.eremos, {
      folder,
      secret: null,
      password: { password: "rosin on the left shelf", hint: "where" },
    });
    house.loseData();
    await look();
    const { taken, left } = await returnOwner(house.eremos, {
      path: plain,
      secret: { kind: "password", password: PASSWORD },
      password: null,
      hint: null,
    });
    expect([taken, left]).toEqual([
      ["Plain"],
      [{ path: folder, reason: expect.stringContaining("password of its own") }],
    ]);
    await takeIn(house.eremos, {
      path: folder,
      secret: { kind: "password", password: "", folderPassword: "rosin on the left shelf" },
    });
    expect(
      listFolders(house.eremos).map(({ name, hasPassword, passwordHint }) => [name, hasPassword, passwordHint]),
    ).toEqual([
      ["Payroll", true, "where"],
      ["Plain", false, null],
    ]);
  });

  it("another owner's folder that asks for more work than one's own password does is asked about, which counts as no try, and taken in when that is agreed to", async () => {
    const folder = house.makeFolder("Payroll");
    const { envelope, rootKey } = await createOwner("rosin and gut", newRecoveryCode(), {
      memoryKiB: 256 * 1024,
      passes: 16,
      lanes: 4,
    });
    await lockByCore(folder, { by: "owner", owner: envelope, rootKey, device: Buffer.alloc(32, 7), password: null });
    const secret = { kind: "password", password: "rosin and gut", folderPassword: null } as const;
    for (let tried = 0; tried < 4; tried++)
      await expect(takeIn(house.eremos, { path: folder, secret })).rejects.toMatchObject({ code: "costly" });
    await takeIn(house.eremos, { path: folder, secret, accept: ["costly"] });
    await free(folder);
  });

  it("another owner's folder is taken in with that owner's password, and opens with one's own", async () => {
    const folder = house.makeFolder("Payroll");
    await seal(folder, "view");
    house.loseData();
    await setupAtOnce(house.eremos, { password: NEW, hint: null, effort: "light" });
    expect((await look()).found).toMatchObject([{ relation: "another-owner" }]);
    expect(await takeInFound(house.eremos)).toEqual({ taken: [], left: [] });
    await expect(takeIn(house.eremos, { path: folder, secret: null })).rejects.toMatchObject({
      code: "wrong-password",
    });
    await takeIn(house.eremos, {
      path: folder,
      secret: { kind: "password", password: PASSWORD, folderPassword: null },
    });
    await free(folder);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });
});

describe("a practice run", () => {
  it("tries the code on every sealed folder, changes nothing, and dates what it proved; a new code is not proven yet", async () => {
    const [payroll, papers] = [house.makeFolder("Payroll"), house.makeFolder("Papers")];
    await seal(payroll);
    await seal(papers, "view");
    await setFolderPassword(house.eremos, {
      folder: papers,
      secret: null,
      password: { password: "rosin on the left shelf", hint: null },
    });
    const before = snapshot(house.world);
    await expect(
      practice(house.eremos, { kind: "code", code: "VSJD2-2F04V-DRXM4-MS6CJ-3QXAQ-VWWCN-9YZ3W-171WK" }),
    ).rejects.toMatchObject({ code: "wrong-code" });
    await new Promise((resolve) => setTimeout(resolve, 1100));
    expect(listFolders(house.eremos).map(({ waysBack }) => waysBack?.codeProvenAt)).toEqual([null, null]);
    const { at, folders } = await practice(house.eremos, { kind: "code", code: house.code });
    expect(folders.map(({ name, problem }) => [name, problem]).sort()).toEqual([
      ["Papers", null],
      ["Payroll", null],
    ]);
    expect(snapshot(house.world)).toEqual(before);
    expect(listFolders(house.eremos).map(({ waysBack }) => waysBack?.codeProvenAt)).toEqual([at, at]);
    const packs = path.join(papers, ".eremos", "packs");
    for (const name of fs.readdirSync(packs, { recursive: true, encoding: "utf8" }))
      if (fs.statSync(path.join(packs, name)).isFile()) fs.truncateSync(path.join(packs, name), 150);
    expect(
      (await practice(house.eremos, { kind: "code", code: house.code })).folders.filter(
        ({ problem }) => problem !== null,
      ),
    ).toMatchObject([{ name: "Papers", problem: expect.stringContaining("damaged") }]);
    const { id, recoveryCode, ask } = await beginNewCode(house.eremos, PASSWORD);
    await finishNewCode(
      house.eremos,
      id,
      ask.map((group) => recoveryCode.split("-")[group] ?? ""),
    );
    expect(listFolders(house.eremos).map(({ waysBack }) => waysBack?.codeProvenAt)).toEqual([null, null]);
  });
});

/** The state record and its twin. */
function stateFiles(folder: string): string[] {
  return fs.readdirSync(path.join(folder, ".eremos")).filter((name) => name.startsWith("state-"));
}

describe("records are damaged", () => {
  it("they are written anew from their copies, or from Eremos' data where both are gone, and the folder opens", async () => {
    const folder = house.makeFolder("Payroll");
    await seal(folder, "view");
    for (const name of ["header.json", "header.twin.json", ...stateFiles(folder)])
      fs.rmSync(path.join(folder, ".eremos", name));
    expect(listFolders(house.eremos)).toMatchObject([{ state: "damaged" }]);
    expect(await mend(house.eremos, { path: folder, secret: null })).toEqual([
      "the note of how it opens",
      "the note of what state it is in",
    ]);
    expect(await mend(house.eremos, { path: folder, secret: null })).toEqual([]);
    expect(listFolders(house.eremos)).toMatchObject([{ state: "locked", attention: null }]);
    expect(toldOf(house.eremos)[0]).toMatchObject({ kind: "mended" });
    await free(folder);
    expect(fs.readdirSync(folder)).toEqual(["letter.txt"]);
  });

  it("a folder with a password of its own needs it", async () => {
    const folder = house.makeFolder("Payroll");
    await seal(folder, "view");
    await setFolderPassword(house.eremos, {
      folder,
      secret: null,
      password: { password: "rosin on the left shelf", hint: null },
    });
    fs.rmSync(path.join(folder, ".eremos", "header.json"));
    await expect(mend(house.eremos, { path: folder, secret: null })).rejects.toMatchObject({
      code: "needs-folder-password",
    });
    expect(
      await mend(house.eremos, { path: folder, secret: { kind: "password", password: "rosin on the left shelf" } }),
    ).toEqual(["the note of how it opens"]);
  });
});

describe("moved, and copied", () => {
  it("a folder that was moved is found and follows; a second copy is told from it, and stays out of the list", async () => {
    const folder = house.makeFolder("Payroll");
    await seal(folder, "view");
    fs.mkdirSync(path.join(house.world, "elsewhere"));
    const moved = path.join(house.world, "elsewhere", "Payroll");
    fs.renameSync(folder, moved);
    expect(listFolders(house.eremos)).toMatchObject([{ state: "missing" }]);
    expect((await look()).found).toMatchObject([{ path: moved, relation: "moved" }]);
    expect(await takeInFound(house.eremos)).toEqual({ taken: ["Payroll"], left: [] });
    expect(listFolders(house.eremos)).toMatchObject([{ path: moved, state: "locked" }]);
    fs.cpSync(moved, path.join(house.world, "copy"), { recursive: true });
    expect((await look()).found.map(({ path: at, relation }) => [path.basename(at), relation]).sort()).toEqual([
      ["Payroll", "listed"],
      ["copy", "copy"],
    ]);
    await expect(takeIn(house.eremos, { path: path.join(house.world, "copy"), secret: null })).rejects.toMatchObject({
      code: "already-protected",
      message: expect.stringContaining("second copy"),
    });
    await expect(takeIn(house.eremos, { path: house.world, secret: null })).rejects.toMatchObject({
      code: "not-protected",
    });
  });
});
