import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { LEAST_COST, type Password } from "../../src/crypto/kdf";
import { changeFolderPassword, changeOwner, openFolderKey } from "../../src/engine/access/change-owner";
import type { OwnerAccess } from "../../src/engine/records/keys";
import type { Signer } from "../../src/engine/contents/sealing-input";
import { type FolderSecret, digestOf, waysInto, writeHead } from "../../src/format/header";
import { type FolderPassword, writeSlot } from "../../src/format/slot";
import { openWithCode, openWithPassword, withCode } from "../../src/format/owner";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { crashingDisk } from "../support/crashing-disk";
import { both, headAt, plantHead } from "../support/records";
import {
  type Person,
  lock,
  makeMixedTree,
  newDirectory,
  newPerson,
  release,
  removeDirectory,
  snapshot,
  unlock,
} from "../support/world";
import type { Consent } from "../../src/format/choices";

const FIRST: FolderPassword = { password: "rosin on the left shelf", hint: "where it lies", cost: LEAST_COST };
const SECOND: FolderPassword = { password: "gut strings, never steel", hint: null, cost: LEAST_COST };

describe("a folder with a password of its own", () => {
  let person: Person;
  let signer: Signer;
  let base: string;
  let folder: string;
  let before: string[];
  beforeAll(async () => {
    person = await newPerson();
    signer = {
      by: "owner",
      owner: person.access.owner,
      rootKey: person.access.rootKey,
      device: person.access.devices[0] ?? Buffer.alloc(0),
      password: FIRST,
    };
    base = newDirectory();
    folder = path.join(base, "Adoption papers");
    fs.mkdirSync(folder);
    makeMixedTree(folder);
  });
  beforeEach(() => {
    before = snapshot(folder);
  });
  afterAll(() => removeDirectory(base));

  const header = (): Buffer => writeHead(headAt(folder));
  const keyBy = (secret: FolderSecret, access: OwnerAccess = person.access): Promise<Buffer> =>
    openFolderKey(linuxDisk, { path: Buffer.from(folder), access, keptHeader: null }, secret);
  const byPassword = async ({ password }: FolderPassword): Promise<OwnerAccess> => ({
    ...person.access,
    folderKey: await keyBy({ kind: "password", password }),
  });
  const change = (access: OwnerAccess, password: FolderPassword | null, disk: Disk = linuxDisk): Promise<Buffer> =>
    changeFolderPassword(disk, { path: Buffer.from(folder), access, keptHeader: null }, password);

  it("opens with both passwords together, and with neither alone", async () => {
    await lock(folder, signer);
    await expect(release(folder, person.access)).rejects.toMatchObject({ code: "needs-folder-password" });
    await expect(keyBy({ kind: "password", password: SECOND.password })).rejects.toMatchObject({
      code: "wrong-password",
    });
    const other = await newPerson();
    await expect(keyBy({ kind: "password", password: FIRST.password }, other.access)).rejects.toMatchObject({
      code: "wrong-password",
    });
    await release(folder, await byPassword(FIRST));
    expect(snapshot(folder)).toEqual(before);
  });

  it("a header that asks for more work than the owner's settings and the kept header do is not tried until that is agreed to; the kept one is tried first", async () => {
    await lock(folder, signer);
    const kept = header();
    const genuine = headAt(folder);
    const slots = genuine.slots
      .map((slot) =>
        slot.password
          ? { ...slot, password: { ...slot.password, hashing: slot.password.hashing.replace(/t=\d+/, "t=16") } }
          : slot,
      )
      .sort((a, b) => (digestOf(writeSlot(a)) < digestOf(writeSlot(b)) ? -1 : 1));
    plantHead(folder, {
      ...genuine,
      slots,
      header: { ...genuine.header, slots: slots.map((slot) => digestOf(writeSlot(slot))) },
    });
    const by = (password: Password, keptHeader: Buffer | null, accept: readonly Consent[] = []): Promise<Buffer> =>
      openFolderKey(
        linuxDisk,
        { path: Buffer.from(folder), access: person.access, keptHeader, accept },
        { kind: "password", password },
      );
    await expect(by(FIRST.password, null)).rejects.toMatchObject({
      code: "costly",
      data: { times: Math.ceil(16 / LEAST_COST.passes) },
    });
    await expect(by(SECOND.password, kept)).rejects.toMatchObject({ code: "wrong-password" });
    expect(await by(FIRST.password, kept)).toHaveLength(32);
    // Agreed to, it is tried, and is not the password's.
    await expect(by(FIRST.password, null, ["costly"])).rejects.toMatchObject({ code: "wrong-password" });
    plantHead(folder, genuine);
    await release(folder, await byPassword(FIRST));
  });

  it("opens with the recovery code instead, from what is in the folder alone", async () => {
    await lock(folder, signer);
    await expect(keyBy({ kind: "code", code: newRecoveryCode() })).rejects.toMatchObject({ code: "wrong-code" });
    const { owner } = headAt(folder).header;
    const { rootKey } = await openWithCode(owner, person.code);
    const folderKey = await keyBy(
      { kind: "code", code: person.code },
      { owner, rootKey, folderKey: null, devices: [] },
    );
    await release(folder, { owner, rootKey, folderKey, devices: [] });
    expect(snapshot(folder)).toEqual(before);
  });

  it("locks again without any password, and what changed meanwhile is there at the next opening", async () => {
    const { folder: id } = await lock(folder, signer);
    const { note } = await unlock(folder, await byPassword(FIRST));
    fs.writeFileSync(path.join(folder, "new.txt"), "new");
    const now = snapshot(folder, { withoutOwnDir: true });
    await lock(folder, person.device, { folder: id, note });
    expect(waysInto(header(), person.access.owner)).toEqual({
      hasPassword: true,
      hint: FIRST.hint,
      isCurrent: true,
      hasEarlierCode: false,
      hasEarlierKeyholders: false,
      hasKeyholders: false,
      hasEarlierKeys: false,
      epoch: 1,
      publicKey: expect.any(String),
    });
    const again = await unlock(folder, await byPassword(FIRST));
    expect(snapshot(folder, { withoutOwnDir: true })).toEqual(now);
    expect(
      fs.readdirSync(path.join(folder, ".eremos", "generations")),
      "earlier ones go once the owner has opened it",
    ).toHaveLength(2);
    fs.rmSync(path.join(folder, "new.txt"));
    await lock(folder, person.device, { folder: id, note: again.note });
    await release(folder, await byPassword(FIRST));
    expect(fs.readdirSync(folder)).not.toContain("new.txt");
  });

  it("takes another password, or none, without touching content; at every moment one header is whole and opens", async () => {
    await lock(folder, signer);
    const written = headAt(folder);
    const access = await byPassword(FIRST);
    for (const [to, opens] of [
      [SECOND, SECOND],
      [null, null],
    ] as const) {
      for (const mode of ["before", "after", "torn"] as const) {
        for (let at = 0; ; at++) {
          plantHead(folder, written);
          const crashing = crashingDisk(linuxDisk, at, mode);
          await change(access, to, crashing.disk).catch((error: unknown) => {
            if (!crashing.crashed()) throw error;
          });
          const hints = both("header.json").map(
            (name) => waysInto(writeHead(headAt(folder, name)), person.access.owner).hint,
          );
          for (const hint of hints) expect([FIRST.hint, opens?.hint ?? null]).toContain(hint);
          if (!crashing.crashed()) break;
        }
      }
      if (opens) {
        await expect(keyBy({ kind: "password", password: FIRST.password })).rejects.toMatchObject({
          code: "wrong-password",
        });
        expect(await keyBy({ kind: "password", password: opens.password })).toEqual(access.folderKey);
        expect(await keyBy({ kind: "code", code: person.code })).toEqual(access.folderKey);
      }
    }
    await release(folder, person.access);
    expect(snapshot(folder)).toEqual(before);
  });

  it("follows another master password without its own; another recovery code opens it after its next opening, the old one until then", async () => {
    await lock(folder, signer);
    const put = (owner: OwnerAccess["owner"]): Promise<Buffer> =>
      changeOwner(linuxDisk, { path: Buffer.from(folder), access: { ...person.access, owner }, keptHeader: null });
    await put(person.renewed.owner);
    expect(waysInto(header(), person.renewed.owner).isCurrent).toBe(true);
    const code = newRecoveryCode();
    const owner = await withCode(person.renewed.owner, person.access.rootKey, code);
    await put(owner);
    expect(waysInto(header(), owner)).toMatchObject({ isCurrent: true, hasEarlierCode: true });
    expect((await openWithCode(headAt(folder).header.owner, code)).rootKey).toEqual(person.access.rootKey);
    await expect(openWithCode(owner, person.code)).rejects.toMatchObject({ code: "wrong-code" });
    await expect(keyBy({ kind: "code", code })).rejects.toMatchObject({ code: "wrong-code" });
    expect(await keyBy({ kind: "code", code: person.code })).toEqual((await byPassword(FIRST)).folderKey);

    await unlock(folder, { ...(await byPassword(FIRST)), owner });
    expect(waysInto(header(), owner)).toMatchObject({
      isCurrent: true,
      hasEarlierCode: false,
      hasEarlierKeyholders: false,
      hasKeyholders: false,
      hasEarlierKeys: false,
      epoch: 1,
      publicKey: expect.any(String),
    });
    expect(await keyBy({ kind: "code", code })).toEqual((await byPassword(FIRST)).folderKey);
    await expect(keyBy({ kind: "code", code: person.code })).rejects.toMatchObject({ code: "wrong-code" });
  });

  it("notices an owner record, or a slot, that somebody exchanged", async () => {
    const stranger = await newPerson();
    const { owner } = person.access;
    const swapped = { ...owner, recovery: stranger.access.owner.recovery };
    await expect(openWithPassword(swapped, "violin varnish at dusk")).rejects.toMatchObject({ code: "damaged" });
    const access = await byPassword(FIRST);
    const whole = headAt(folder);
    const slots = whole.slots.filter(({ kind }) => kind !== "recovery");
    plantHead(folder, {
      ...whole,
      slots,
      header: { ...whole.header, slots: slots.map((slot) => digestOf(writeSlot(slot))).sort() },
    });
    await expect(change(access, null)).rejects.toMatchObject({ code: "unvouched" });
  });
});
