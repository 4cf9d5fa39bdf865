import * as fs from "node:fs";
import * as path from "node:path";
import { beforeEach, describe, expect, it } from "vitest";
import { randomBytes, toBase64 } from "../../src/crypto/bytes";
import { generateKeyPair } from "../../src/crypto/envelope";
import { LEAST_COST } from "../../src/crypto/kdf";
import { openFolderKey } from "../../src/engine/access/change-owner";
import { dropInto, ownDirPlace } from "../../src/engine/slot/drop-in";
import { type Hooks, silentHooks } from "../../src/engine/ground/hooks";
import { type OwnerAccess, believedOf } from "../../src/engine/records/keys";
import { recoverFolder } from "../../src/engine/guards/recover";
import { type SealedAnew, renewFolder, sealAnew } from "../../src/engine/access/renew";
import { Visit } from "../../src/engine/visiting/visit";
import { generationDigest, refOf, signGeneration, vouchingOf, writeGeneration } from "../../src/format/generation";
import { createHead, digestOf, openHead, withMembers, withOwner, writeHead } from "../../src/format/header";
import { newId } from "../../src/format/ids";
import { memberName, newMember, writeMember } from "../../src/format/member";
import { ContentKeys, OBJECT_HEADER_BYTES, decodeObjectHeader } from "../../src/format/object";
import {
  earlierSealingKeys,
  openSealingKey,
  openSigningKey,
  openWithCode,
  openWithPassword,
  openWithShares,
  withKeyholders,
  withNewKeys,
} from "../../src/format/owner";
import { guestSlot, openByPair } from "../../src/format/slot";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { directorySource } from "../../src/rescue/directory-source";
import { openLocked } from "../../src/rescue/locked-folder";
import { crashingDisk, failingDisk } from "../support/crashing-disk";
import { type Place, usePlace } from "../support/place";
import { both, generationAt, generationFiles, headAt, plantHead, stateFile } from "../support/records";
import { account, dirAt, get, put } from "../support/visiting";
import { strided } from "../support/stride";
import { NEW_PASSWORD, PASSWORD, lock, makeMixedTree, snapshot, unlock } from "../support/world";

/**
 * *Somebody knows it*: the owner makes new keys, and their folders get some, too. What led to anything before leads to
 * nothing that is there afterwards.
 */
let { person, folder } = {} as Place;
usePlace((place) => ({ person, folder } = place));

let now: OwnerAccess;
let code: string;
/** What Eremos' own data knows of the folder. */
let known: { header: Buffer; expected: { generation: number; digest: string } };

async function newKeys(): Promise<OwnerAccess> {
  code = newRecoveryCode();
  const { envelope, rootKey } = await withNewKeys(person.access.owner, person.access.rootKey, {
    password: NEW_PASSWORD,
    code,
    cost: LEAST_COST,
    at: 5,
  });
  return { ...person.access, owner: envelope, rootKey };
}

function know(): void {
  const [last = ""] = generationFiles(folder);
  const record = generationAt(folder, last);
  known = {
    header: writeHead(headAt(folder)),
    expected: { generation: record.number, digest: generationDigest(record) },
  };
}

const input = (accept: ("unvouched" | "rolled-back")[] = []): Parameters<typeof renewFolder>[1] => ({
  path: Buffer.from(folder),
  access: now,
  keptHeader: known.header,
  expected: known.expected,
  accept,
  password: null,
});
async function renew(disk: Disk = linuxDisk): Promise<void> {
  known = { ...known, header: await renewFolder(disk, input()) };
}
const anew = (disk: Disk = linuxDisk, hooks: Hooks = silentHooks, keepEarlier = 0): Promise<SealedAnew> =>
  sealAnew(disk, { ...input(), account, keepEarlier }, hooks);
const errorOf = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => "none",
    (error: { code?: string }) => error.code ?? String(error),
  );

/** The epochs of all objects that lie in the folder. */
function epochs(): number[] {
  const found: number[] = [];
  for (const directory of ["packs", "index"]) {
    for (const entry of fs.readdirSync(path.join(folder, ".eremos", directory), {
      withFileTypes: true,
      recursive: true,
    })) {
      if (entry.isFile())
        found.push(
          decodeObjectHeader(fs.readFileSync(path.join(entry.parentPath, entry.name)).subarray(0, OBJECT_HEADER_BYTES))
            .epoch,
        );
    }
  }
  return [...new Set(found)].sort();
}

let before: string[];
beforeEach(async () => {
  makeMixedTree(folder);
  before = snapshot(folder);
  await lock(folder, person.owner);
  know();
  now = await newKeys();
});

describe("new keys of an owner", () => {
  it("open by the new password, the new code and the keyholders' shares, not by the old ones; and lead to every key before", async () => {
    const named = await withKeyholders(person.access.owner, person.access.rootKey, { threshold: 2, count: 3 });
    const { envelope, rootKey } = await withNewKeys(named.envelope, person.access.rootKey, {
      password: NEW_PASSWORD,
      code,
      cost: LEAST_COST,
      at: 5,
    });
    expect((await openWithPassword(envelope, NEW_PASSWORD)).rootKey).toEqual(rootKey);
    expect((await openWithCode(envelope, code)).rootKey).toEqual(rootKey);
    expect((await openWithShares(envelope, named.shares.slice(1))).rootKey).toEqual(rootKey);
    expect(await errorOf(openWithPassword(envelope, PASSWORD))).toBe("wrong-password");
    expect(await errorOf(openWithCode(envelope, person.code))).toBe("wrong-code");
    expect(() => openSigningKey(envelope, person.access.rootKey)).toThrow();
    const again = await withNewKeys(envelope, rootKey, { password: PASSWORD, code, cost: LEAST_COST, at: 6 });
    expect(again.envelope.earlier.map(({ signing }) => signing)).toEqual([
      person.access.owner.signing.publicKey,
      envelope.signing.publicKey,
    ]);
    expect(earlierSealingKeys(again.envelope, again.rootKey)).toEqual([
      openSealingKey(person.access.owner, person.access.rootKey),
      openSealingKey(envelope, rootKey),
    ]);
  });

  it("write no record of a folder that has its own from before: it would open by nothing", () => {
    expect(() => withOwner(headAt(folder), now)).toThrow(/made new keys/);
  });
});

describe("a folder whose owner has made new keys", () => {
  it("gets one, and everything is sealed anew: it comes back byte for byte with the new keys, and nothing that is there opens with the old ones", async () => {
    const oldKey = await openHead(headAt(folder), person.access);
    await renew();
    expect(epochs()).toEqual([1]);
    expect(await anew()).toMatchObject({ left: 0, olderStates: 0 });
    expect(epochs()).toEqual([2]);
    expect(generationFiles(folder)).toHaveLength(1);
    const head = headAt(folder);
    expect(await errorOf(openHead(head, person.access))).toBe("wrong-password");
    expect(await errorOf(openHead(head, { ...person.access, folderKey: oldKey }))).toBe("damaged");
    expect(
      await errorOf(
        openLocked(directorySource(Buffer.from(folder)), {
          kind: "password",
          password: PASSWORD,
          folderPassword: null,
        }),
      ),
    ).toBe("wrong-password");
    const rescued = await openLocked(directorySource(Buffer.from(folder)), {
      kind: "password",
      password: NEW_PASSWORD,
      folderPassword: null,
    });
    expect([rescued.problems, rescued.doubt]).toEqual([[], null]);
    rescued.close();
    await unlock(folder, now);
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });

  it("keeps what is there besides contents: a pack alone gives its files back, fingerprints are those of the present key, a guest's name is read with the present root key", async () => {
    const head = headAt(folder);
    const { folder: id } = head.header;
    const pair = await generateKeyPair();
    const member = newMember(
      {
        folder: id,
        id: newId(),
        kind: "guest-by-card",
        sealingKey: toBase64(pair.publicKey),
        signingKey: toBase64(pair.publicKey),
        may: "look",
        since: 1,
      },
      "who may look",
      person.access.rootKey,
    );
    const of = { folder: id, epoch: 1, folderKey: await openHead(head, person.access) };
    const shared = withMembers(head, person.access, [member], [await guestSlot(of, member.id, member.sealingKey)]);
    plantHead(folder, shared);
    fs.mkdirSync(path.join(folder, ".eremos", "members"));
    fs.writeFileSync(
      path.join(folder, ".eremos", "members", `${digestOf(writeMember(member))}.json`),
      writeMember(member),
    );
    known = { ...known, header: writeHead(shared) };
    await renew();
    await anew();
    const renewed = headAt(folder);
    const folderKey = await openHead(renewed, now);
    expect(renewed.members.map((one) => memberName(one, now.rootKey))).toEqual(["who may look"]);
    const ways = renewed.slots.find(({ member: its }) => its === member.id);
    expect(ways && (await openByPair(ways, pair.privateKey))).toEqual(folderKey);
    const visit = await Visit.open(linuxDisk, { ...input(), expected: null, account });
    const letter = visit.find([Buffer.from("photos"), Buffer.from("scroll.png")]);
    const { fingerprint } = new ContentKeys({ epoch: 2, key: null }, folderKey, id);
    fingerprint.start();
    fingerprint.add(Buffer.alloc(70_000, "scroll"));
    expect(letter?.kind === "file" && letter.data?.fingerprint).toEqual(fingerprint.finish());
    visit.close();
    for (const directory of ["index", "generations", "manifests"])
      fs.rmSync(path.join(folder, ".eremos", directory), { recursive: true });
    const alone = await openLocked(directorySource(Buffer.from(folder)), {
      kind: "password",
      password: NEW_PASSWORD,
      folderPassword: null,
    });
    expect(alone.entries.map(({ path: names }) => names.map(String).join("/"))).toEqual(
      expect.arrayContaining(["letter.txt", "photos/scroll.png", "photos/large.bin"]),
    );
    alone.close();
  });

  it("opens in between, too, when it has its key and its contents are still under the one before", async () => {
    await renew();
    await unlock(folder, now);
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });

  it("is renewed twice, and three times: the keys of before lead from one to the next", async () => {
    await renew();
    for (let times = 3; times <= 4; times++) {
      const { envelope, rootKey } = await withNewKeys(now.owner, now.rootKey, {
        password: NEW_PASSWORD,
        code,
        cost: LEAST_COST,
        at: 5,
      });
      now = { ...now, owner: envelope, rootKey };
      await renew();
      expect(headAt(folder).header).toMatchObject({ epoch: times });
    }
    expect(epochs()).toEqual([1]);
    await anew();
    expect(epochs()).toEqual([4]);
    await unlock(folder, now);
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });

  it("keeps what was locked while nobody was signed in, and what was put in, under whichever key", async () => {
    const slot = {
      path: Buffer.from(folder),
      folder: headAt(folder).header.folder,
      publicKey: headAt(folder).header.publicKey,
      place: ownDirPlace(linuxDisk, Buffer.from(folder)),
      device: person.device.device,
    };
    const letter = path.join(path.dirname(folder), "arrived.txt");
    fs.writeFileSync(letter, "it arrived under the old key");
    await dropInto(linuxDisk, slot, [Buffer.from(letter)]);
    await renew();
    await dropInto(linuxDisk, { ...slot, publicKey: headAt(folder).header.publicKey }, [Buffer.from(letter)]);
    const visit = await Visit.open(linuxDisk, { ...input(), account });
    const arrivals = await visit.arrivals();
    expect(arrivals.map(({ read, size }) => read(0, size).toString())).toEqual(
      Array.from({ length: 2 }, () => "it arrived under the old key"),
    );
    for (const one of arrivals) one.close();
    visit.close();
    const rescued = await openLocked(directorySource(Buffer.from(folder)), { kind: "code", code });
    expect((await rescued.drops()).map(({ content }) => content.toString())).toHaveLength(2);
    rescued.close();
  });

  it("that lies open gets its key there; locked while nobody is signed in, with the note from before, it opens, and is sealed anew", async () => {
    const { note } = await unlock(folder, person.access);
    await renew();
    const { folder: id } = headAt(folder).header;
    await lock(folder, person.device, { note, folder: id, keptHeader: known.header });
    fs.rmSync(path.join(folder, ".eremos", "opened"), { force: true });
    const visit = await Visit.open(linuxDisk, { ...input(["rolled-back"]), expected: null, account });
    expect(get(visit, "letter.txt").toString()).toContain("Dear Jonas");
    visit.close();
    know();
    await anew();
    expect(epochs()).toEqual([2]);
  });

  it("with a password of its own gets its key with that alone", async () => {
    const password = { password: "a word for this one", hint: null, cost: LEAST_COST };
    fs.rmSync(folder, { recursive: true });
    makeMixedTree(folder);
    await lock(folder, person.owner.by === "owner" ? { ...person.owner, password } : person.owner);
    know();
    expect(await errorOf(renewFolder(linuxDisk, input()))).toBe("needs-folder-password");
    const folderKey = await openFolderKey(
      linuxDisk,
      { path: Buffer.from(folder), access: person.access, keptHeader: known.header },
      { kind: "password", password: password.password },
    );
    known = { ...known, header: await renewFolder(linuxDisk, { ...input(), access: { ...now, folderKey }, password }) };
    const renewedKey = await openFolderKey(
      linuxDisk,
      { path: Buffer.from(folder), access: now, keptHeader: known.header },
      { kind: "password", password: password.password },
    );
    now = { ...now, folderKey: renewedKey };
    await anew();
    expect(epochs()).toEqual([2]);
    await unlock(folder, now);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toContain("Dear Jonas");
    const byCode = await openFolderKey(
      linuxDisk,
      { path: Buffer.from(folder), access: now, keptHeader: known.header },
      { kind: "code", code },
    );
    expect(byCode).toEqual(renewedKey);
  });

  it("keeps its earlier states, and says how many of them an earlier key opens", async () => {
    const visit = await Visit.open(linuxDisk, { ...input(), access: person.access, account, keepEarlier: 3 });
    put(visit, [], "new.txt", Buffer.from("new"));
    visit.commit();
    visit.close();
    know();
    await renew();
    expect(await anew(linuxDisk, silentHooks, 3)).toMatchObject({ olderStates: 1 });
    expect(epochs()).toEqual([1, 2]);
    const later = await Visit.open(linuxDisk, { ...input(), expected: null, account, keepEarlier: 3 });
    expect(later.earlier()).toHaveLength(1);
    expect(later.changesSince(later.earlier()[0]?.generation ?? 0, 10).map(({ kind }) => kind)).toContain("added");
    later.close();
  });

  it("goes on after a cancel where it stopped: what is done stays done", async () => {
    await renew();
    let asked = 0;
    expect(await errorOf(anew(linuxDisk, { progress: () => undefined, cancelled: () => asked++ === 1 }))).toBe(
      "cancelled",
    );
    expect(epochs()).toEqual([1, 2]);
    await anew();
    expect(epochs()).toEqual([2]);
    await unlock(folder, now);
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });

  it("says how many parts are damaged, and seals the others anew", async () => {
    await renew();
    const packs = fs
      .readdirSync(path.join(folder, ".eremos", "packs"), { withFileTypes: true, recursive: true })
      .filter((entry) => entry.isFile())
      .map((entry) => path.join(entry.parentPath, entry.name));
    const largest = packs.sort((a, b) => fs.statSync(b).size - fs.statSync(a).size)[0] ?? "";
    const bytes = fs.readFileSync(largest);
    bytes.writeUInt8(bytes.readUInt8(100_000) ^ 1, 100_000);
    fs.writeFileSync(largest, bytes);
    expect(await anew()).toMatchObject({ left: 1 });
    expect(epochs()).toEqual([1, 2]);
    const visit = await Visit.open(linuxDisk, { ...input(), expected: null, account });
    expect(get(visit, "letter.txt").toString()).toContain("Dear Jonas");
    expect(dirAt(visit, "photos")).toBeTruthy();
    visit.close();
  });
});

describe("somebody who knows the earlier secret, and can write to the folder", () => {
  it("puts a later header of theirs in its place, with a key that they made: the folder gets its key from the one that Eremos knew", async () => {
    const { owner, rootKey } = person.access;
    const made = await createHead({
      folder: headAt(folder).header.folder,
      owner,
      folderKey: randomBytes(32),
      pair: await generateKeyPair(),
      writer: { by: "owner", rootKey, password: null },
    });
    plantHead(folder, withOwner(withOwner(made, { owner, rootKey }), { owner, rootKey }));
    await renew();
    expect(headAt(folder).header.owner.signature).toBe(now.owner.signature);
    await unlock(folder, now);
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });

  it("puts an old header back afterwards, with all it named: it is not the folder's, and with what Eremos kept the folder opens", async () => {
    const old = headAt(folder);
    await renew();
    await anew();
    plantHead(folder, old);
    const [file = ""] = generationFiles(folder);
    known = { ...known, expected: refExpected(file) };
    await unlockKept();
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
  });

  it("signs a state of their own before the folder has its key: it is asked about, and not taken over by itself", async () => {
    const [file = ""] = generationFiles(folder);
    const { signatures: _signatures, ...body } = generationAt(folder, file);
    const key = openSigningKey(person.access.owner, person.access.rootKey);
    const theirs = signGeneration(
      { ...body, parents: [], sealed: body.sealed, number: body.number + 1 },
      { signer: person.access.owner.owner, key },
    );
    const name = `generations/${generationDigest(theirs).slice(0, 16)}-${theirs.number}.json`;
    for (const one of both(name)) fs.writeFileSync(path.join(folder, ".eremos", one), writeGeneration(theirs));
    // The state record names it: whoever can write to the folder can write that, too.
    const state = JSON.parse(fs.readFileSync(path.join(folder, ".eremos", stateFile(folder)), "utf8")) as Record<
      string,
      unknown
    >;
    expect(state["generation"]).toEqual(
      known.expected && { number: known.expected.generation, digest: known.expected.digest },
    );
    const { commitState, loadState } = await import("../../src/engine/records/states");
    const { holdFolder, letGo } = await import("../../src/engine/ground/own-dir");
    const held = holdFolder(linuxDisk, Buffer.from(folder), { create: false });
    const current = loadState(linuxDisk, held.ownDir);
    if (current) commitState(linuxDisk, held.ownDir, { ...current, generation: refOf(theirs) });
    letGo(linuxDisk, held);
    expect(await errorOf(renewFolder(linuxDisk, input()))).toBe("unvouched");
    expect(headAt(folder).header.epoch).toBe(1);
  });

  it("puts an earlier state of theirs beside: what the known state did not come from gets no signature of the owner's present key", async () => {
    const [file = ""] = generationFiles(folder);
    const { signatures: _signatures, ...body } = generationAt(folder, file);
    const theirs = signGeneration(
      { ...body, parents: [{ number: 7, digest: "7".repeat(64) }] },
      { signer: person.access.owner.owner, key: openSigningKey(person.access.owner, person.access.rootKey) },
    );
    const name = `generations/${generationDigest(theirs).slice(0, 16)}-${theirs.number}.json`;
    for (const one of both(name)) fs.writeFileSync(path.join(folder, ".eremos", one), writeGeneration(theirs));
    await renew();
    expect(vouchingOf(generationAt(folder, file), believedOf(now), headAt(folder))).toBe("owner");
    expect(vouchingOf(generationAt(folder, name), believedOf(now), headAt(folder))).toBe("unknown");
  });

  it("has no folder of theirs taken for the owner's: one that Eremos' own data does not know gets no key", async () => {
    expect(await errorOf(renewFolder(linuxDisk, { ...input(), keptHeader: null }))).toBe("unvouched");
  });
});

function refExpected(file: string): { generation: number; digest: string } {
  const { number, digest } = refOf(generationAt(folder, file));
  return { generation: number, digest };
}

async function unlockKept(): Promise<void> {
  const { access, keptHeader, expected, accept } = input();
  await unlock(folder, access, { keptHeader, expected, accept });
}

describe("cut off while a folder gets its key and is sealed anew", () => {
  const CHANGES = strided(19);
  const CALLS = strided(127);
  it.each(["before", "after", "torn"] as const)(
    `at ${CHANGES.of("change")} of the disk, %s it: the next start goes on, and everything comes back`,
    async (mode) => {
      const saved = path.join(path.dirname(folder), "saved");
      fs.cpSync(folder, saved, { recursive: true, preserveTimestamps: true });
      const kept = known;
      for (let at = CHANGES.from; ; at += CHANGES.step) {
        fs.rmSync(folder, { recursive: true });
        fs.cpSync(saved, folder, { recursive: true, preserveTimestamps: true });
        known = kept;
        const crashing = crashingDisk(linuxDisk, at, mode);
        const isOver = await renew(crashing.disk)
          .then(() => anew(crashing.disk))
          .then(
            () => !crashing.crashed(),
            () => false,
          );
        if (isOver) break;
        recoverFolder(linuxDisk, Buffer.from(folder));
        await renew();
        await anew();
        expect([at, epochs()]).toEqual([at, [2]]);
        await unlock(folder, now);
        expect(contents()).toEqual(contentsOf(before));
      }
    },
    600_000,
  );

  it(`by one error of the disk at ${CALLS.of("call")}: it is as it was, or goes on, and everything comes back`, async () => {
    const saved = path.join(path.dirname(folder), "saved");
    fs.cpSync(folder, saved, { recursive: true, preserveTimestamps: true });
    const kept = known;
    for (let at = CALLS.from; ; at += CALLS.step) {
      fs.rmSync(folder, { recursive: true });
      fs.cpSync(saved, folder, { recursive: true, preserveTimestamps: true });
      known = kept;
      const failing = failingDisk(linuxDisk, at, "EIO");
      await renew(failing.disk)
        .then(() => anew(failing.disk))
        .catch(() => undefined);
      if (failing.failed() === null) break;
      recoverFolder(linuxDisk, Buffer.from(folder));
      await renew();
      await anew();
      await unlock(folder, now);
      expect([at, contents()]).toEqual([at, contentsOf(before)]);
    }
  }, 600_000);

  /** Without what copying a folder for the next round may change. */
  const contents = (): string[] => contentsOf(snapshot(folder, { withoutOwnDir: true }));
  const contentsOf = (lines: readonly string[]): string[] =>
    lines
      .filter((line) => !line.startsWith(". "))
      .map((line) => line.replace(/ mtime=\d+/, "").replace(/ same=\d+/, ""));
});
