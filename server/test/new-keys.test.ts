import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { directorySource, openLocked } from "@eremos/core";
import type { NewKeysView, Protection } from "../src/contract";
import { Eremos } from "../src/eremos";
import { check } from "../src/operations/folders/check";
import { drop } from "../src/operations/folders/drop";
import { takeIn } from "../src/operations/ways-back/find-folders";
import { prepareFolderPassword } from "../src/operations/locking/folder-password";
import { listFolders } from "../src/operations/folders/list-folders";
import { lock } from "../src/operations/locking/lock-folder";
import { beginNewKeys, finishNewKeys } from "../src/operations/ways-back/new-keys";
import { release, unlock } from "../src/operations/locking/open-folder";
import { practice } from "../src/operations/entrance/practice";
import { newKeysView, renewNamed } from "../src/operations/ways-back/renew-folders";
import { signIn, signOut } from "../src/operations/entrance/sign-in";
import { PASSWORD, TestHouse, sealedAnd, toldOf } from "./house";

const NEW = "a tin roof in the rain";
const OWN = "rosin on the left shelf";

let house: TestHouse;
let folder: string;
beforeEach(async () => {
  house = await TestHouse.make();
  house.eremos.isLasting = true;
  folder = house.makeFolder("Adoption papers", { "letter.txt": "Dear Jonas", "note.md": "# Note" });
  await house.signIn();
});
afterEach(() => house.remove());

const seal = (at: string, protection: Protection = sealedAnd("view")): Promise<unknown> =>
  lock(house.eremos, { path: at, protection, inUseAnyway: false, from: "/" }).then(({ outcome }) => outcome);
const asked = (
  at: string,
  secret: Parameters<typeof unlock>[1]["secret"] = null,
): { pathOrId: string; from: string; accept: readonly []; secret: typeof secret } => ({
  pathOrId: at,
  from: "/",
  accept: [],
  secret,
});
const open = async (at: string, secret: Parameters<typeof unlock>[1]["secret"] = null): Promise<unknown> =>
  (await unlock(house.eremos, { ...asked(at, secret), mode: { kind: "usual" } })).outcome;

async function newKeys(password = NEW): Promise<{ readonly code: string; readonly view: NewKeysView }> {
  const { id, recoveryCode, ask } = await beginNewKeys(house.eremos, PASSWORD);
  const groups = recoveryCode.split("-");
  const view = await finishNewKeys(house.eremos, {
    id,
    typed: ask.map((group) => groups[group] ?? ""),
    password,
    hint: null,
  });
  return { code: recoveryCode, view };
}
const settled = async (): Promise<NewKeysView | null> => {
  await house.eremos.jobs.drain(60_000);
  return newKeysView(house.eremos);
};

describe("somebody knows it", () => {
  it("asks for the present master password, another one, and parts of the new code; until then nothing is changed", async () => {
    await seal(folder);
    await expect(beginNewKeys(house.eremos, NEW)).rejects.toMatchObject({ code: "wrong-password" });
    house.eremos.gate.tries("password").succeed();
    const { id, recoveryCode, ask } = await beginNewKeys(house.eremos, PASSWORD);
    const groups = recoveryCode.split("-");
    const typed = ask.map((group) => groups[group] ?? "");
    await expect(
      finishNewKeys(house.eremos, { id, typed: ["AAAAA", "BBBBB"], password: NEW, hint: null }),
    ).rejects.toMatchObject({ code: "wrong-code" });
    await expect(finishNewKeys(house.eremos, { id, typed, password: PASSWORD, hint: null })).rejects.toMatchObject({
      code: "weak-password",
    });
    await expect(finishNewKeys(house.eremos, { id, typed, password: "password", hint: null })).rejects.toMatchObject({
      code: "weak-password",
    });
    expect(newKeysView(house.eremos)).toBeNull();
    house.restart();
    await house.signIn();
    await open(folder);
  });

  it("the session goes on; list, log and folders are there, everything within reach is sealed anew, and what was known before opens none of it", async () => {
    const open2 = house.makeFolder("Open now");
    const barred = house.makeFolder("Barred");
    await seal(folder);
    await seal(open2);
    await open(open2);
    await seal(barred, {
      guard: "barred",
      visibility: "hidden",
      cover: null,
      icon: null,
      bars: { others: "nothing", own: "nothing" },
    });
    const { code, view } = await newKeys();
    expect(view.waiting.map(({ name }) => name)).toContain("Open now");
    await expect
      .poll(settled)
      .toMatchObject({ anew: 1, waiting: [{ name: "Open now", why: "open", hasKey: true }], older: [] });
    expect(toldOf(house.eremos).map(({ kind }) => kind)).toContain("new-keys");
    for (const secret of [
      { kind: "password", password: PASSWORD, folderPassword: null },
      { kind: "code", code: house.code },
    ] as const) {
      await expect(openLocked(directorySource(Buffer.from(folder)), secret)).rejects.toMatchObject({
        code: secret.kind === "code" ? "wrong-code" : "wrong-password",
      });
    }
    expect((await practice(house.eremos, { kind: "code", code })).folders.map(({ problem }) => problem)).not.toContain(
      "damaged",
    );
    await seal(open2);
    await expect.poll(settled).toMatchObject({ anew: 2, waiting: [] });
    house.restart();
    await expect(house.signIn()).rejects.toMatchObject({ code: "wrong-password" });
    house.eremos.gate.tries("password").succeed();
    await signIn(house.eremos, NEW);
    await open(folder);
    await open(open2);
    await (
      await release(house.eremos, asked(barred))
    ).outcome;
    expect(fs.readFileSync(path.join(folder, "note.md"), "utf8")).toBe("# Note");
    expect(fs.readFileSync(path.join(barred, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("another session with the keys before is over at once", async () => {
    await seal(folder);
    const other = Eremos.open(house.eremos.settings);
    await signIn(other, PASSWORD);
    expect(listFolders(other)).toHaveLength(1);
    await newKeys();
    expect(() => other.requireKeys()).toThrow(/New keys were made/);
    expect(other.keys).toBeNull();
    other.close();
    await expect.poll(settled).toMatchObject({ anew: 1, waiting: [] });
  });

  it("killed right after the new record was written, the next sign-in brings list, log and folders after it", async () => {
    await seal(folder);
    const names = fs.readdirSync(house.data).filter((name) => name.startsWith("eremos.db"));
    const before = names.map((name) => fs.readFileSync(path.join(house.data, name)));
    const header = fs.readFileSync(path.join(folder, ".eremos", "header.json"));
    const copy = path.join(house.base, "copy");
    fs.cpSync(folder, copy, { recursive: true });
    await newKeys();
    await settled();
    house.eremos.close();
    // As it was at the moment after the record.
    for (const name of fs.readdirSync(house.data))
      if (name.startsWith("eremos.db")) fs.rmSync(path.join(house.data, name));
    names.forEach((name, i) => fs.writeFileSync(path.join(house.data, name), before[i] ?? ""));
    fs.rmSync(folder, { recursive: true });
    fs.cpSync(copy, folder, { recursive: true });
    expect(fs.readFileSync(path.join(folder, ".eremos", "header.json"))).toEqual(header);
    house.restart();
    house.eremos.isLasting = true;
    await signIn(house.eremos, NEW);
    expect(listFolders(house.eremos)).toMatchObject([{ name: "Adoption papers" }]);
    await expect.poll(settled).toMatchObject({ anew: 1, waiting: [] });
    await open(folder);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("a folder that was away gets its key when it is back, at the next sign-in; locked and filled in between, nothing is lost", async () => {
    await seal(folder);
    const away = path.join(house.base, "on the drive");
    fs.renameSync(folder, away);
    await newKeys();
    await expect.poll(settled).toMatchObject({ anew: 0, waiting: [{ why: "away", hasKey: false }] });
    signOut(house.eremos);
    fs.renameSync(away, folder);
    fs.writeFileSync(path.join(house.base, "arrived.txt"), "by somebody");
    expect(await drop(house.eremos, folder, [path.join(house.base, "arrived.txt")], "/")).toBe(1);
    await signIn(house.eremos, NEW);
    await expect.poll(settled).toMatchObject({ anew: 1, waiting: [] });
    await open(folder);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("one that lay open, out of reach, when new keys were made is locked as it is, and gets its key then", async () => {
    await seal(folder);
    await open(folder);
    const away = path.join(house.base, "on the drive");
    fs.renameSync(folder, away);
    await newKeys();
    fs.renameSync(away, folder);
    await seal(folder);
    await expect.poll(settled).toMatchObject({ anew: 1, waiting: [] });
    await open(folder);
    expect(fs.readFileSync(path.join(folder, "note.md"), "utf8")).toBe("# Note");
  });

  it("a folder with a password of its own waits for that, once", async () => {
    const password = await prepareFolderPassword(house.eremos, { password: OWN, hint: null });
    await lock(house.eremos, {
      path: folder,
      protection: sealedAnd("view"),
      inUseAnyway: false,
      password,
      from: "/",
    }).then(({ outcome }) => outcome);
    await newKeys();
    await expect.poll(settled).toMatchObject({ waiting: [{ why: "password", hasKey: false }] });
    await expect(open(folder)).rejects.toMatchObject({ code: "needs-folder-password" });
    await renewNamed(house.eremos, folder, { kind: "password", password: OWN }, []);
    await expect.poll(settled).toMatchObject({ anew: 1, waiting: [] });
    await open(folder, { kind: "password", password: OWN });
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });

  it("work that is under way makes room for an opening, and a check of what is half sealed anew finds nothing wrong", async () => {
    await seal(folder);
    await newKeys();
    await open(folder);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
    await seal(folder);
    expect(await (await check(house.eremos, asked(folder))).outcome).toMatchObject({ ok: true });
  });

  it("a folder that Eremos' own data has lost is taken in with the earlier password, and gets a key", async () => {
    await seal(folder);
    house.eremos.registry.remove(listFolders(house.eremos)[0]?.id ?? "");
    await newKeys();
    await expect(takeIn(house.eremos, { path: folder, secret: null, accept: [] })).rejects.toMatchObject({
      code: "wrong-password",
    });
    await takeIn(house.eremos, {
      path: folder,
      secret: { kind: "password", password: PASSWORD, folderPassword: null },
      accept: [],
    });
    await renewNamed(house.eremos, folder, null, []);
    await expect.poll(settled).toMatchObject({ anew: 1, waiting: [] });
    await expect(
      openLocked(directorySource(Buffer.from(folder)), { kind: "password", password: PASSWORD, folderPassword: null }),
    ).rejects.toMatchObject({ code: "wrong-password" });
    await open(folder);
  });
});
