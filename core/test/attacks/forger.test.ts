import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { adoptFolder } from "../../src/engine/access/adopt";
import { changesSinceLock } from "../../src/engine/visiting/changes";
import { checkFolder } from "../../src/engine/upkeep/check";
import { silentHooks } from "../../src/engine/ground/hooks";
import type { Signer } from "../../src/engine/contents/sealing-input";
import { mendFolder } from "../../src/engine/upkeep/mend";
import type { SealedInput } from "../../src/engine/contents/open-sealed";
import { permissionsSinceLock } from "../../src/engine/upkeep/permissions-since";
import { Visit, putBackFolder } from "../../src/engine/visiting/visit";
import { newId } from "../../src/format/ids";
import { openHead, readHeader, standingOf, writeHead } from "../../src/format/header";
import { toBase64 } from "../../src/crypto/bytes";
import { deviceId } from "../../src/format/owner";
import { believedOf } from "../../src/engine/records/keys";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { directorySource } from "../../src/rescue/directory-source";
import { openLocked } from "../../src/rescue/locked-folder";
import { usePlace } from "../support/place";
import { both, headAt } from "../support/records";
import { type LockOptions, type Person, lock, newPerson, snapshot, unlock } from "../support/world";

/**
 * Whoever can write to a folder forges it: with the owner's public record, which every locked folder holds, and keys of
 * their own.
 */
let person: Person;
let folder: string;
usePlace((place) => ({ person, folder } = place));

const FOLDER = newId();
const ACCOUNT = { uid: 0, gid: 0 };
const ownDir = (...names: readonly string[]): string => path.join(folder, ".eremos", ...names);
const input = (more: Partial<SealedInput> = {}): SealedInput => ({
  path: Buffer.from(folder),
  access: person.access,
  keptHeader: null,
  expected: null,
  accept: [],
  ...more,
});

async function strangerSigner(): Promise<Signer> {
  return { by: "device", owner: person.access.owner, device: (await newPerson()).device.device };
}

/** A key of the forger's own, sealed to the owner's public key; header, contents and generation under it. */
async function forged(content = "planted"): Promise<void> {
  fs.writeFileSync(path.join(folder, "letter.txt"), content);
  await lock(folder, await strangerSigner(), { folder: FOLDER });
}

function relock(signer: Signer, more: LockOptions = {}): ReturnType<typeof lock> {
  return lock(folder, signer, { folder: FOLDER, ...more });
}

const headerNow = (): ReturnType<typeof readHeader> => readHeader(fs.readFileSync(ownDir("header.json")));
const openedBy = async (who: Person): Promise<string> => {
  await openHead(headAt(folder), who.access);
  return standingOf(headerNow(), believedOf(who.access));
};

/** Every verb that opens a sealed folder, each as far as it goes. */
const VERBS: Readonly<Record<string, (of: SealedInput) => Promise<unknown>>> = {
  open: (of) => unlock(folder, of.access, { expected: of.expected, accept: of.accept }),
  visit: async (of) => (await Visit.open(linuxDisk, { ...of, account: ACCOUNT })).close(),
  "put back": (of) => putBackFolder(linuxDisk, { ...of, account: ACCOUNT, generation: 1, paths: null }),
};

describe("a folder key that was only sealed to the owner's public key", () => {
  it.each(Object.keys(VERBS))("is asked about by %s, and not changed", async (verb) => {
    await forged();
    const before = snapshot(folder);
    await expect(VERBS[verb]?.(input())).rejects.toMatchObject({ code: "unvouched", data: { what: "key" } });
    // Agreeing to something else is not agreeing to this.
    await expect(VERBS[verb]?.(input({ accept: ["rolled-back", "forked"] }))).rejects.toMatchObject({
      code: "unvouched",
    });
    expect(snapshot(folder)).toEqual(before);
  });

  it("is asked about, too, where the forger's computer was written into the owner's record, which the owner did not sign so", async () => {
    const signer = await strangerSigner();
    if (signer.by !== "device") throw new Error("a computer is to sign");
    fs.writeFileSync(path.join(folder, "letter.txt"), "planted");
    await lock(folder, signer, { folder: FOLDER });
    const { owner } = person.access;
    const [own] = owner.devices;
    if (!own) throw new Error("the owner has a computer");
    const { publicKey } = signer.device;
    const planted = { ...own, id: deviceId(publicKey), publicKey: toBase64(publicKey) };
    const access = { ...person.access, owner: { ...owner, devices: [...owner.devices, planted] } };
    await expect(unlock(folder, access)).rejects.toMatchObject({ code: "unvouched", data: { what: "key" } });
  });

  it("is told by a check, refused by mending and taking in, and doubted by the readers", async () => {
    await forged();
    expect(await checkFolder(linuxDisk, input(), silentHooks)).toMatchObject({
      ok: false,
      damaged: [{ reason: expect.stringContaining("somebody unknown") }],
      files: 1,
    });
    fs.rmSync(ownDir("header.twin.json"));
    await expect(mendFolder(linuxDisk, input())).rejects.toMatchObject({ code: "unvouched" });
    await expect(
      adoptFolder(linuxDisk, {
        ...input(),
        places: [Buffer.from(path.dirname(folder))],
        owner: person.access.owner,
        rootKey: person.access.rootKey,
        devices: person.access.devices,
        secret: null,
        accept: [],
      }),
    ).rejects.toMatchObject({ code: "unvouched" });
    for (const secret of [
      { kind: "code" as const, code: person.code },
      { kind: "root" as const, rootKey: person.access.rootKey, folder: null, devices: person.access.devices },
    ]) {
      const locked = await openLocked(directorySource(Buffer.from(folder)), secret);
      expect(locked.doubt).toMatch(/somebody unknown/);
      locked.close();
    }
  });

  it("is never sealed to: agreed to and opened, the next lock, signed in or out, makes a key of the owner's", async () => {
    for (const signer of [person.owner, person.device]) {
      await forged();
      const stolen = headerNow().publicKey;
      const opened = await unlock(folder, person.access, { accept: ["unvouched"] });
      expect(opened).toMatchObject({ isUnknown: true, note: null });
      fs.writeFileSync(path.join(folder, "mine.txt"), "the owner's new file");
      await relock(signer, { rekey: true });
      expect(headerNow().publicKey).not.toBe(stolen);
      expect(await openedBy(person)).toBe(signer.by);
      await unlock(folder, person.access);
      expect(fs.readFileSync(path.join(folder, "mine.txt"), "utf8")).toBe("the owner's new file");
      fs.rmSync(folder, { recursive: true });
      fs.mkdirSync(folder);
    }
  });

  it("is looked into by a visit that was agreed to, and takes nothing", async () => {
    await forged();
    const visit = await Visit.open(linuxDisk, { ...input({ accept: ["unvouched"] }), account: ACCOUNT });
    try {
      expect(visit.list(visit.root).map(({ name }) => name.toString())).toEqual(["letter.txt"]);
      visit.makeDir(visit.root, Buffer.from("new"));
      expect(() => visit.commit()).toThrow(expect.objectContaining({ code: "unvouched" }));
    } finally {
      visit.close();
    }
  });

  it("with a signature that is another's, or of another header, is nobody's", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "mine");
    await lock(folder, person.owner, { folder: FOLDER });
    const header = headerNow();
    const known = believedOf(person.access);
    const stranger = await newPerson();
    const standings = [
      header,
      { ...header, epoch: 2 },
      { ...header, slots: [] },
      { ...header, signature: stranger.access.owner.signature },
      { ...header, signer: stranger.access.owner.owner },
    ].map((one) => standingOf(one, known));
    expect([
      ...standings,
      standingOf(header, { owner: null, devices: known.devices }),
      standingOf(header, believedOf(stranger.access)),
    ]).toEqual(["owner", ...Array.from({ length: 6 }, () => "unknown")]);
  });
});

describe("a header that was exchanged", () => {
  it("in a locked folder: the one that somebody stands behind is used, and put back in its place", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "mine");
    const { header } = await lock(folder, person.owner, { folder: FOLDER });
    const other = `${folder} of the forger`;
    fs.mkdirSync(other);
    fs.writeFileSync(path.join(other, "x"), "x");
    await lock(other, await strangerSigner(), { folder: FOLDER });
    fs.copyFileSync(path.join(other, ".eremos", "header.json"), ownDir("header.json"));
    await unlock(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("mine");
    expect(writeHead(headAt(folder))).toEqual(header);
  });

  it("while the folder lay open: the database's is used; without it nothing is locked, and everything is at its place", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "mine");
    const { header } = await lock(folder, person.owner, { folder: FOLDER });
    const { note } = await unlock(folder, person.access);
    const other = `${folder} of the forger`;
    fs.mkdirSync(other);
    fs.writeFileSync(path.join(other, "x"), "x");
    await lock(other, await strangerSigner(), { folder: FOLDER });
    for (const name of both("header.json")) fs.copyFileSync(path.join(other, ".eremos", name), ownDir(name));
    fs.cpSync(path.join(other, ".eremos", "slots"), ownDir("slots"), { recursive: true });
    fs.writeFileSync(path.join(folder, "new.txt"), "new");
    for (const signer of [person.owner, person.device])
      await expect(relock(signer, { note })).rejects.toMatchObject({ code: "unvouched" });
    expect(fs.readFileSync(path.join(folder, "new.txt"), "utf8")).toBe("new");
    await relock(person.owner, { note, keptHeader: header });
    await unlock(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "new.txt"), "utf8")).toBe("new");
  });
});

describe("a generation that was exchanged", () => {
  async function twoStates(): Promise<{ readonly old: string; readonly expected: SealedInput["expected"] }> {
    fs.writeFileSync(path.join(folder, "letter.txt"), "first");
    await lock(folder, person.owner, { folder: FOLDER });
    const old = `${folder} of before`;
    fs.cpSync(folder, old, { recursive: true });
    const { note } = await unlock(folder, person.access);
    fs.writeFileSync(path.join(folder, "letter.txt"), "second");
    const { generation, digest } = await relock(person.owner, { note });
    return { old, expected: { generation, digest } };
  }

  function putInPlace(other: string): void {
    fs.rmSync(folder, { recursive: true });
    fs.renameSync(other, folder);
  }

  it.each(Object.keys(VERBS))("for an older one is asked about by %s, by itself", async (verb) => {
    const { old, expected } = await twoStates();
    putInPlace(old);
    const before = snapshot(folder);
    await expect(VERBS[verb]?.(input({ expected }))).rejects.toMatchObject({ code: "rolled-back" });
    await expect(VERBS[verb]?.(input({ expected, accept: ["unvouched", "forked"] }))).rejects.toMatchObject({
      code: "rolled-back",
    });
    expect(snapshot(folder)).toEqual(before);
    expect(await checkFolder(linuxDisk, input({ expected }), silentHooks)).toMatchObject({
      ok: false,
      damaged: [{ reason: expect.stringContaining("older state") }],
    });
  });

  it("for one that was locked apart from the known one is asked about, directly and after further locks", async () => {
    const { old, expected } = await twoStates();
    putInPlace(old);
    let { note } = await unlock(folder, person.access);
    fs.writeFileSync(path.join(folder, "letter.txt"), "elsewhere");
    await relock(person.owner, { note });
    await expect(VERBS["visit"]?.(input({ expected }))).rejects.toMatchObject({ code: "forked" });
    ({ note } = await unlock(folder, person.access));
    fs.writeFileSync(path.join(folder, "letter.txt"), "elsewhere, later");
    await relock(person.owner, { note });
    await expect(VERBS["visit"]?.(input({ expected }))).rejects.toMatchObject({ code: "forked" });
    await VERBS["visit"]?.(input({ expected, accept: ["forked"] }));
  });

  it("while the folder lies open: comparing with the last lock asks, too", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "first");
    await lock(folder, person.owner, { folder: FOLDER });
    await unlock(folder, person.access);
    const expected = { generation: 7, digest: "x" };
    await expect(changesSinceLock(linuxDisk, { ...input({ expected }), most: 5 }, silentHooks)).rejects.toMatchObject({
      code: "rolled-back",
    });
    await expect(
      permissionsSinceLock(linuxDisk, { ...input({ expected }), repair: false }, silentHooks),
    ).rejects.toMatchObject({ code: "rolled-back" });
  });

  it("a key record of somebody's that nothing needs keeps nothing from opening", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "first");
    await lock(folder, person.owner, { folder: FOLDER });
    const other = `${folder} of the forger`;
    fs.mkdirSync(other);
    fs.writeFileSync(path.join(other, "x"), "x");
    const stranger = await newPerson();
    const opened = await lock(other, stranger.owner, { folder: FOLDER }).then(() => unlock(other, stranger.access));
    fs.writeFileSync(path.join(other, "y"), "y");
    await lock(other, stranger.device, { folder: FOLDER, note: opened.note });
    fs.cpSync(path.join(other, ".eremos", "keys"), ownDir("keys"), { recursive: true });
    await unlock(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("first");
  });
});
