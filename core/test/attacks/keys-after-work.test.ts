import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { LEAST_COST } from "../../src/crypto/kdf";
import { adoptFolder } from "../../src/engine/access/adopt";
import { changeFolderPassword, changeOwner } from "../../src/engine/access/change-owner";
import { renewFolder, sealAnew } from "../../src/engine/access/renew";
import { silentHooks } from "../../src/engine/ground/hooks";
import { dropInto, ownDirPlace } from "../../src/engine/slot/drop-in";
import { checkFolder } from "../../src/engine/upkeep/check";
import { repairFolder } from "../../src/engine/upkeep/repair";
import { Visit } from "../../src/engine/visiting/visit";
import { withNewKeys } from "../../src/format/owner";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { setInsurance } from "../../src/insurance/insure";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { usePlace } from "../support/place";
import { account, get, put } from "../support/visiting";
import { NEW_PASSWORD, PASSWORD, type Person, lock, makeMixedTree, newPerson, release, unlock } from "../support/world";

/**
 * Whatever is done with a folder, when it is over no key that was opened for it is left in memory. Every function that
 * gives a secret out is watched, and what it gave is looked at afterwards.
 */
const { given, keep } = vi.hoisted(() => {
  const given: { readonly by: string; readonly secret: Uint8Array }[] = [];
  /** The bytes in what a function gives out: a key, several, or in members that hold one. */
  const secretsIn = (value: unknown): Uint8Array[] => {
    if (value instanceof Uint8Array) return [value];
    if (Array.isArray(value)) return value.flatMap(secretsIn);
    if (typeof value !== "object" || value === null) return [];
    return Object.entries(value).flatMap(([member, of]) =>
      ["privateKey", "folderKey"].includes(member) ? secretsIn(of) : [],
    );
  };
  const keep = <T extends object>(module: T, names: readonly (keyof T & string)[]): T => {
    const watched = { ...module };
    for (const by of names) {
      const real = module[by] as (...args: unknown[]) => unknown;
      const note = <V>(value: V): V => {
        given.push(...secretsIn(value).map((secret) => ({ by, secret })));
        return value;
      };
      Object.assign(watched, {
        [by]: (...args: unknown[]) => {
          const value = real(...args);
          return value instanceof Promise ? value.then(note) : note(value);
        },
      });
    }
    return watched;
  };
  return { given, keep };
});

vi.mock(import("../../src/format/header"), async (original) =>
  keep(await original(), ["openHead", "openFolderPrivateKey", "earlierKeys"]),
);
vi.mock(import("../../src/format/owner"), async (original) =>
  keep(await original(), ["openSigningKey", "earlierRoots"]),
);
vi.mock(import("../../src/format/key-record"), async (original) => keep(await original(), ["openContentKey"]));
vi.mock(import("../../src/format/drop-record"), async (original) => keep(await original(), ["openDropKey"]));
vi.mock(import("../../src/crypto/envelope"), async (original) =>
  keep(await original(), ["generateKeyPair", "openEnvelope"]),
);

let person: Person;
let base: string;
let folder: string;
usePlace((place) => ({ person, base, folder } = place));

beforeEach(() => {
  makeMixedTree(folder);
  given.length = 0;
});
afterEach(() => {
  given.length = 0;
});

/** Names of the functions whose secrets are still there; the work gave out some of each that is named. */
function left(...expected: readonly string[]): string[] {
  const gaveOut = new Set(given.map(({ by }) => by));
  expect([...gaveOut]).toEqual(expect.arrayContaining([...expected]));
  const still = given.filter(({ secret }) => secret.some((byte) => byte !== 0)).map(({ by }) => by);
  given.length = 0;
  return [...new Set(still)];
}

const at = (): { readonly path: Buffer; readonly keptHeader: null } => ({
  path: Buffer.from(folder),
  keptHeader: null,
});
const input = (): Parameters<typeof checkFolder>[1] => ({ ...at(), access: person.access, expected: null });
const visit = (): Promise<Visit> => Visit.open(linuxDisk, { ...input(), accept: [], account });

/** Locked, with a file in its slot; what that gave out is not looked at. */
async function lockWithDrop(): Promise<void> {
  const { folder: id, publicKey } = await lock(folder, person.owner);
  const file = path.join(base, "statement.pdf");
  fs.writeFileSync(file, "a statement");
  const slot = {
    path: Buffer.from(folder),
    folder: id,
    publicKey,
    place: ownDirPlace(linuxDisk, Buffer.from(folder)),
    device: person.device.device,
  };
  await dropInto(linuxDisk, slot, [Buffer.from(file)]);
  given.length = 0;
}

describe("no key is left in memory", () => {
  it("of a lock, an opening, a lock while signed out, an opening of that, and a release", async () => {
    const { folder: id } = await lock(folder, person.owner);
    expect(left("generateKeyPair", "openSigningKey")).toEqual([]);
    const { note } = await unlock(folder, person.access);
    expect(left("openHead")).toEqual([]);
    fs.writeFileSync(path.join(folder, "more.txt"), "more");
    expect(note).not.toBeNull();
    await lock(folder, person.device, { folder: id, note });
    expect(left()).toEqual([]);
    await unlock(folder, person.access);
    expect(left("openHead", "openFolderPrivateKey", "openContentKey", "openSigningKey")).toEqual([]);
    await lock(folder, person.owner, { folder: id });
    expect(left("openHead", "openSigningKey")).toEqual([]);
    await release(folder, person.access);
    expect(left("openHead")).toEqual([]);
  });

  it("of a visit that reads, writes and takes in what arrived", async () => {
    await lockWithDrop();
    const visiting = await visit();
    get(visiting, "letter.txt");
    put(visiting, [], "new.txt", Buffer.from("new"));
    visiting.commit();
    for (const arrived of await visiting.arrivals()) {
      visiting.takeIn(arrived);
      visiting.commit();
      arrived.remove();
      arrived.close();
    }
    visiting.close();
    expect(left("openHead", "openFolderPrivateKey", "openDropKey", "openSigningKey")).toEqual([]);
  });

  it("of an opening that takes out what arrived", async () => {
    await lockWithDrop();
    await unlock(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "statement.pdf"), "utf8")).toBe("a statement");
    expect(left("openHead", "openFolderPrivateKey", "openDropKey")).toEqual([]);
  });

  it("of a check, a repair, an owner's record written anew, and a password of its own", async () => {
    await lock(folder, person.owner);
    setInsurance(linuxDisk, Buffer.from(folder), { data: 8, parity: 4 });
    given.length = 0;
    await checkFolder(linuxDisk, input(), silentHooks);
    expect(left("openHead")).toEqual([]);
    await repairFolder(linuxDisk, { ...at(), access: person.access }, silentHooks);
    expect(left("openHead")).toEqual([]);
    await changeOwner(linuxDisk, { ...at(), access: person.renewed });
    expect(left("openSigningKey")).toEqual([]);
    await changeFolderPassword(
      linuxDisk,
      { ...at(), access: person.access },
      { password: NEW_PASSWORD, hint: null, cost: LEAST_COST },
    );
    expect(left("openHead", "openSigningKey")).toEqual([]);
  });

  it("of new keys, contents sealed anew, and an opening under them", async () => {
    const { header, generation, digest } = await lock(folder, person.owner);
    const { envelope, rootKey } = await withNewKeys(person.access.owner, person.access.rootKey, {
      password: NEW_PASSWORD,
      code: newRecoveryCode(),
      cost: LEAST_COST,
      at: 5,
    });
    const access = { ...person.access, owner: envelope, rootKey };
    const renewing = {
      path: Buffer.from(folder),
      access,
      keptHeader: header,
      expected: { generation, digest },
      accept: [],
      password: null,
    };
    given.length = 0;
    renewing.keptHeader = await renewFolder(linuxDisk, renewing);
    expect(left("openHead", "generateKeyPair", "openSigningKey", "earlierRoots")).toEqual([]);
    await sealAnew(linuxDisk, { ...renewing, account, keepEarlier: 0 }, silentHooks);
    expect(left("openHead", "earlierKeys", "openSigningKey")).toEqual([]);
    await unlock(folder, access);
    expect(left("openHead", "earlierKeys")).toEqual([]);
  });

  it("of taking in a folder of another owner's, whose password was given", async () => {
    await lock(folder, person.owner);
    const other = await newPerson();
    given.length = 0;
    await adoptFolder(linuxDisk, {
      path: Buffer.from(folder),
      places: [Buffer.from(base)],
      owner: other.access.owner,
      rootKey: other.access.rootKey,
      devices: other.access.devices,
      secret: { kind: "password", password: PASSWORD, folderPassword: null },
      accept: ["unvouched"],
    });
    expect(left("openSigningKey")).toEqual([]);
  });

  it("of a lock that was cancelled, and an opening that was refused", async () => {
    let isSealing = false;
    const hooks = {
      progress: ({ phase }: { readonly phase: string }) => void (isSealing ||= phase === "sealing"),
      cancelled: () => isSealing,
    };
    await expect(lock(folder, person.owner, { hooks })).rejects.toMatchObject({ code: "cancelled" });
    expect(left("generateKeyPair")).toEqual([]);
    await lock(folder, person.owner);
    given.length = 0;
    await expect(
      unlock(folder, person.access, { expected: { generation: 9, digest: "0".repeat(64) } }),
    ).rejects.toMatchObject({ code: "rolled-back" });
    expect(left("openHead")).toEqual([]);
  });
});
