import * as fs from "node:fs";
import * as path from "node:path";
import { beforeAll, describe, expect, it } from "vitest";
import { LEAST_COST } from "../../src/crypto/kdf";
import { changeFolderPassword, changeOwner, openFolderKey } from "../../src/engine/access/change-owner";
import { waysInto, writeHead } from "../../src/format/header";
import { lookAtShares, mistypedShareGroups, newKeyholders } from "../../src/format/keyholders";
import {
  type OwnerEnvelope,
  ProvenOwner,
  createOwner,
  openWithPassword,
  openWithShares,
  readOwner,
  withKeyholders,
  writeOwner,
} from "../../src/format/owner";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { directorySource } from "../../src/rescue/directory-source";
import { openLocked } from "../../src/rescue/on-disk";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { usePlace } from "../support/place";
import { headAt } from "../support/records";
import { PASSWORD, type Person, lock, makeMixedTree, newPerson, release, snapshot, unlock } from "../support/world";

const HOLDERS = { threshold: 3, count: 5 };
let person: Person;
let folder: string;
usePlace((place) => ({ folder } = place));
let envelope: OwnerEnvelope;
let shares: readonly string[];

beforeAll(async () => {
  person = await newPerson();
  ({ envelope, shares } = await withKeyholders(person.access.owner, person.access.rootKey, HOLDERS));
});

const look = (...typed: string[]): string[] =>
  lookAtShares(envelope.owner, envelope.keyholders ?? never(), typed).map(
    ({ number, problem }) => problem ?? `share ${number}`,
  );
const never = (): never => {
  throw new TypeError("there are keyholders");
};

/** Every choice of `size` of them. */
function choices<T>(of: readonly T[], size: number): T[][] {
  if (size === 0) return [[]];
  return of.flatMap((one, i) => choices(of.slice(i + 1), size - 1).map((rest) => [one, ...rest]));
}

describe("keyholders", () => {
  it("any three of five open, in any order, and so do more; two do not", async () => {
    expect(shares).toHaveLength(5);
    const record = readOwner(writeOwner(await ProvenOwner.prove(envelope, person.access.rootKey, [])));
    for (const some of choices(shares, 3)) {
      for (const order of [some, [...some].reverse()])
        expect((await openWithShares(record, order)).rootKey).toEqual(Buffer.from(person.access.rootKey));
    }
    expect((await openWithShares(record, shares)).rootKey).toEqual(Buffer.from(person.access.rootKey));
    for (const some of choices(shares, 2))
      await expect(openWithShares(record, some)).rejects.toMatchObject({
        code: "too-few-shares",
        data: { missing: 1 },
      });
    await expect(openWithShares(record, [])).rejects.toMatchObject({ code: "too-few-shares" });
  });

  it("each share is known by itself: mistyped, foreign, of an earlier set, forged, or there twice, it is named", async () => {
    const [first = "", second = "", third = ""] = shares;
    const earlier = await withKeyholders(envelope, person.access.rootKey, HOLDERS);
    const other = await createOwner("another violin", newRecoveryCode(), LEAST_COST);
    const foreign = await withKeyholders(other.envelope, other.rootKey, HOLDERS);
    const typo = `${first.slice(0, 7)}${first[7] === "7" ? "8" : "7"}${first.slice(8)}`;
    expect(look(first.toLowerCase().replaceAll("-", " "), second, first)).toEqual([
      "share 1",
      "share 2",
      "The same share is there already.",
    ]);
    expect(look(typo, earlier.shares[0] ?? "", foreign.shares[0] ?? "", newRecoveryCode(), "", second)).toEqual([
      expect.stringContaining("mistyped in group 2;"),
      expect.stringContaining("another set"),
      expect.stringContaining("another set"),
      expect.stringContaining("That is a recovery code"),
      "That is not a whole share: it has 12 groups of five.",
      "share 2",
    ]);
    expect(mistypedShareGroups(typo)).toEqual([1]);
    for (const wrong of [typo, earlier.shares[0] ?? "", foreign.shares[0] ?? "", second])
      await expect(openWithShares(envelope, [second, wrong, third])).rejects.toMatchObject({
        code: "wrong-share",
        data: { share: 2 },
      });
    await expect(openWithShares(earlier.envelope, [first, second, third])).rejects.toMatchObject({
      code: "wrong-share",
    });
  });

  it("a forged share of the right set is told from the genuine ones", async () => {
    const set = envelope.keyholders ?? never();
    const forged = await newKeyholders(envelope.owner, 3, 5);
    const disguised = { ...set, set: forged.keyholders.set };
    expect(
      lookAtShares(envelope.owner, disguised, forged.shares).every(({ problem }) =>
        problem?.includes("none of its shares"),
      ),
    ).toBe(true);
  });

  it("naming others, or none, leaves password and code as they are, and stops the earlier shares", async () => {
    const without = await withKeyholders(envelope, person.access.rootKey, null);
    expect(without.envelope).not.toHaveProperty("keyholders");
    await expect(openWithShares(without.envelope, shares)).rejects.toMatchObject({ code: "not-set-up" });
    expect((await openWithPassword(without.envelope, PASSWORD)).rootKey).toEqual(Buffer.from(person.access.rootKey));
    await expect(withKeyholders(envelope, person.access.rootKey, { threshold: 1, count: 3 })).rejects.toThrow(
      RangeError,
    );
    await expect(withKeyholders(envelope, person.access.rootKey, { threshold: 4, count: 3 })).rejects.toThrow(
      RangeError,
    );
    await expect(withKeyholders(envelope, person.access.rootKey, { threshold: 2, count: 16 })).rejects.toThrow(
      RangeError,
    );
  });
});

describe("a folder, by what it carries alone", () => {
  const three = (): { kind: "shares"; shares: readonly string[] } => ({ kind: "shares", shares: shares.slice(1, 4) });

  it("opens with shares; one that was locked before the keyholders were named, once its header is renewed", async () => {
    makeMixedTree(folder);
    const before = snapshot(folder);
    await lock(folder, person.owner);
    await expect(openLocked(directorySource(Buffer.from(folder)), three())).rejects.toMatchObject({
      code: "not-set-up",
    });
    await changeOwner(linuxDisk, {
      path: Buffer.from(folder),
      access: { ...person.access, owner: envelope },
      keptHeader: null,
    });
    const locked = await openLocked(directorySource(Buffer.from(folder)), three());
    expect(locked.entries.length).toBeGreaterThan(3);
    locked.close();
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("with a password of its own: opens with shares instead; with another set from its next opening on", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
    const access = { ...person.access, owner: envelope };
    await lock(folder, { ...person.owner, owner: envelope });
    const input = { path: Buffer.from(folder), access, keptHeader: null, expected: null, accept: [] };
    await changeFolderPassword(linuxDisk, input, { password: "rosin on the left shelf", hint: null, cost: LEAST_COST });
    const header = (): Buffer => writeHead(headAt(folder));
    const folderKey = await openFolderKey(linuxDisk, input, three());
    (await openLocked(directorySource(Buffer.from(folder)), three())).close();
    const renewed = await withKeyholders(envelope, person.access.rootKey, { threshold: 2, count: 2 });
    await changeOwner(linuxDisk, {
      path: Buffer.from(folder),
      access: { ...person.access, owner: renewed.envelope },
      keptHeader: null,
    });
    expect(waysInto(header(), renewed.envelope)).toMatchObject({ isCurrent: true, hasEarlierKeyholders: true });
    await expect(openFolderKey(linuxDisk, input, { kind: "shares", shares: renewed.shares })).rejects.toMatchObject({
      code: "wrong-share",
    });
    await openFolderKey(linuxDisk, input, three());
    const { note } = await unlock(folder, { ...access, owner: renewed.envelope, folderKey });
    expect(waysInto(header(), renewed.envelope)).toMatchObject({ hasEarlierKeyholders: false });
    await lock(folder, { ...person.device, owner: renewed.envelope }, { folder: headAt(folder).header.folder, note });
    await expect(openFolderKey(linuxDisk, input, three())).rejects.toMatchObject({ code: "wrong-share" });
    await openFolderKey(linuxDisk, input, { kind: "shares", shares: renewed.shares });
  });
});
