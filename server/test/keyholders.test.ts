import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { startMailBox } from "../../stand-ins/mail-box.mjs";
import { settingsOf, stateOf } from "../src/operations/folders/about";
import { returnOwner } from "../src/operations/ways-back/find-folders";
import { setFolderPassword } from "../src/operations/locking/folder-password";
import { resetPassword } from "../src/operations/entrance/forgotten-password";
import {
  dropKeyholders,
  keyholdersView,
  lookAtCollected,
  mailServerView,
  mailShare,
  nameKeyholders,
  setMailServer,
  shareSheetFor,
} from "../src/operations/ways-back/keyholders";
import { listFolders } from "../src/operations/folders/list-folders";
import { lock } from "../src/operations/locking/lock-folder";
import { release, unlock } from "../src/operations/locking/open-folder";
import { practice } from "../src/operations/entrance/practice";
import { signIn, signOut } from "../src/operations/entrance/sign-in";
import { PASSWORD, TestHouse, sealedAnd, toldOf } from "./house";

const NEW = "half a cello and a bow";
const HOLDERS = [
  { name: "Tomas Lind", mail: "tomas@lind.example" },
  { name: "Mirela Ostrov", mail: null },
  { name: "Árpád Őszi-Ильин", mail: "arpad@example.org" },
];
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const name = (holders = HOLDERS, threshold = 2): ReturnType<typeof nameKeyholders> =>
  nameKeyholders(house.eremos, { current: PASSWORD, of: "Ines Varga", threshold, holders });
const seal = (folder: string): Promise<unknown> =>
  lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
const free = async (folder: string): Promise<void> =>
  void (await (
    await release(house.eremos, { pathOrId: folder, from: "/", accept: [] })
  ).outcome);

/** As the keyholders have them: from what is kept for printing again. */
function shares(): string[] {
  return house.eremos.documents.get(house.eremos.requireKeys(), "keyholders")?.holders.map(({ share }) => share) ?? [];
}

describe("keyholders", () => {
  it("are named with the master password; their shares set a new one, and none of them is readable in Eremos' data", async () => {
    const folder = house.makeFolder("Payroll");
    await seal(folder);
    await expect(
      nameKeyholders(house.eremos, { current: "wrong", of: "Ines", threshold: 2, holders: HOLDERS }),
    ).rejects.toMatchObject({ code: "wrong-password" });
    expect(keyholdersView(house.eremos)).toBeNull();
    await new Promise((resolve) => setTimeout(resolve, 1100));
    await expect(name(HOLDERS, 4)).rejects.toMatchObject({ code: "usage" });
    await expect(name([...HOLDERS, { name: "tomas lind", mail: null }])).rejects.toMatchObject({ code: "usage" });
    expect(await name()).toEqual({ left: [] });
    expect(keyholdersView(house.eremos)).toMatchObject({
      threshold: 2,
      count: 3,
      of: "Ines Varga",
      provenAt: null,
      withEarlier: [],
      holders: [{ number: 1, name: "Tomas Lind", handedAt: null }, { number: 2 }, { number: 3 }],
    });
    expect(toldOf(house.eremos)[0]).toMatchObject({ kind: "keyholders" });
    const [first = "", second = "", third = ""] = shares();
    for (const file of fs
      .readdirSync(house.data, { recursive: true, encoding: "utf8" })
      .map((one) => path.join(house.data, one))
      .filter((one) => fs.statSync(one).isFile())) {
      const bytes = fs.readFileSync(file);
      for (const secret of [first, second.replaceAll("-", ""), "Mirela", "tomas@lind.example"])
        expect(bytes.includes(secret), file).toBe(false);
    }
    signOut(house.eremos);
    expect(stateOf(house.eremos, false).keyholders).toEqual({ threshold: 2, count: 3 });
    expect(await lookAtCollected(house.eremos, [second, first, second], null)).toEqual({
      threshold: 2,
      count: 3,
      shares: [
        { number: 2, problem: null },
        { number: 1, problem: null },
        { number: 2, problem: expect.stringContaining("already") },
      ],
    });
    await expect(
      resetPassword(house.eremos, { secret: { kind: "shares", shares: [first] }, password: NEW, hint: null }),
    ).rejects.toMatchObject({ code: "too-few-shares" });
    expect(
      await resetPassword(house.eremos, {
        secret: { kind: "shares", shares: [third, first] },
        password: NEW,
        hint: null,
      }),
    ).toEqual({ failedTries: 0, left: [] });
    house.restart();
    await signIn(house.eremos, NEW);
    await free(folder);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("one is replaced: new shares for all, the earlier ones open nothing within reach; a folder with its own password is named until it is opened", async () => {
    const [plain, own] = [house.makeFolder("Payroll"), house.makeFolder("Adoption papers")];
    await seal(plain);
    await seal(own);
    await setFolderPassword(house.eremos, {
      folder: own,
      secret: null,
      password: { password: "rosin on the left shelf", hint: null },
    });
    expect((await name()).left.map(({ name: left }) => left)).toEqual(["Adoption papers"]);
    const counted = (): unknown => listFolders(house.eremos).map(({ name: one, waysBack }) => [one, waysBack?.count]);
    expect(counted()).toEqual(
      expect.arrayContaining([
        ["Adoption papers", 2],
        ["Payroll", 3],
      ]),
    );
    const secret = { kind: "password", password: "rosin on the left shelf" } as const;
    const open = async (): Promise<void> => {
      await (
        await unlock(house.eremos, { pathOrId: own, from: "/", accept: [], secret, mode: { kind: "until-locked" } })
      ).outcome;
      await seal(own);
    };
    await open();
    expect(keyholdersView(house.eremos)?.withEarlier).toEqual([]);
    const earlier = shares();
    const proven = await practice(house.eremos, { kind: "shares", shares: earlier.slice(1) });
    expect(proven.folders.map(({ problem }) => problem)).toEqual([null, null]);
    expect(listFolders(house.eremos).map(({ waysBack }) => waysBack)).toEqual(
      Array(2).fill({ count: 3, codeProvenAt: null, sharesProvenAt: proven.at, hasKeyholders: true }),
    );
    expect(keyholdersView(house.eremos)?.provenAt).toBe(proven.at);
    expect(
      (await name([...HOLDERS.slice(0, 2), { name: "Pavel Hruza", mail: null }])).left.map(({ name: left }) => left),
    ).toEqual(["Adoption papers"]);
    expect(listFolders(house.eremos).map(({ waysBack }) => waysBack?.sharesProvenAt)).toEqual([null, null]);
    expect(
      (await lookAtCollected(house.eremos, earlier, plain))?.shares.every(({ problem }) =>
        problem?.includes("another set"),
      ),
    ).toBe(true);
    expect((await lookAtCollected(house.eremos, earlier, own))?.shares.every(({ problem }) => problem === null)).toBe(
      true,
    );
    await open();
    expect(
      (await lookAtCollected(house.eremos, earlier, own))?.shares.every(({ problem }) =>
        problem?.includes("another set"),
      ),
    ).toBe(true);
    expect(await dropKeyholders(house.eremos, PASSWORD)).toMatchObject({ left: [{ name: "Adoption papers" }] });
    expect([keyholdersView(house.eremos), await lookAtCollected(house.eremos, [], plain)]).toEqual([null, null]);
    expect(settingsOf(house.eremos).behind).toEqual([]);
  });

  it("on another computer: the shares bring the owner and the folders back; the names are not known there", async () => {
    const folder = house.makeFolder("Payroll");
    await seal(folder);
    await name();
    const held = shares().slice(0, 2);
    house.loseData();
    expect(await lookAtCollected(house.eremos, held, folder)).toMatchObject({
      threshold: 2,
      shares: [{ number: 1 }, { number: 2 }],
    });
    house.eremos.finder.start([Buffer.from(house.world)]);
    await house.eremos.finder.ended;
    await expect(
      returnOwner(house.eremos, { path: folder, secret: { kind: "shares", shares: held }, password: null, hint: null }),
    ).rejects.toMatchObject({ code: "usage" });
    expect(
      await returnOwner(house.eremos, {
        path: folder,
        secret: { kind: "shares", shares: held },
        password: NEW,
        hint: null,
      }),
    ).toEqual({ taken: ["Payroll"], left: [] });
    expect(keyholdersView(house.eremos)).toMatchObject({ threshold: 2, count: 3, of: null, holders: null });
    await expect(shareSheetFor(house.eremos, 1)).rejects.toMatchObject({ code: "not-found" });
    await free(folder);
  });
});

describe("handing out", () => {
  it("by mail: a real letter with the sheet; without a server or an address nothing is sent; a server that is not there is said", async () => {
    await name();
    await expect(mailShare(house.eremos, 1)).rejects.toMatchObject({ code: "not-set-up" });
    const letters = path.join(house.base, "letters");
    const box = await startMailBox(letters);
    try {
      setMailServer(house.eremos, {
        host: "127.0.0.1",
        port: box.port,
        security: "none",
        user: "",
        password: "",
        from: "ines@workshop.example",
      });
      expect(mailServerView(house.eremos)).toEqual({
        host: "127.0.0.1",
        port: box.port,
        security: "none",
        user: "",
        from: "ines@workshop.example",
      });
      await expect(mailShare(house.eremos, 2)).rejects.toMatchObject({
        code: "not-set-up",
        message: expect.stringContaining("no mail address"),
      });
      await mailShare(house.eremos, 1);
    } finally {
      await box.close();
    }
    const [letter = ""] = fs.readdirSync(letters);
    expect(letter).toBe("1 to tomas@lind.example.eml");
    const text = fs.readFileSync(path.join(letters, letter), "latin1");
    expect(text).toContain("Tomas Lind <tomas@lind.example>");
    const pdf = Buffer.from(
      /base64[\s\S]*?\r\n\r\n([A-Za-z0-9+/=\r\n]+)/.exec(text.slice(text.indexOf("application/pdf")))?.[1] ?? "",
      "base64",
    );
    expect(pdf.subarray(0, 5).toString()).toBe("%PDF-");
    expect(keyholdersView(house.eremos)?.holders?.map(({ by, handedAt }) => [by, handedAt !== null])).toEqual([
      ["mail", true],
      [null, false],
      [null, false],
    ]);
    await expect(mailShare(house.eremos, 1)).rejects.toMatchObject({ code: "io" });
    expect(keyholdersView(house.eremos)?.holders?.[1]?.handedAt).toBeNull();
  });
});
