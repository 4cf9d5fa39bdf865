import * as path from "node:path";
import * as fs from "node:fs";
import { describe, expect, it } from "vitest";
import { sealBox } from "../../src/crypto/box";
import { randomBytes } from "../../src/crypto/bytes";
import { newBatch, newId } from "../../src/format/ids";
import { NodeCipher, chunkCipher } from "../../src/crypto/chunk-cipher";
import { OpensslCipher, OpensslMac } from "../../src/platform/linux/openssl";
import { LEAST_COST, hashPassword, hkdf, hmac, newPasswordHashing } from "../../src/crypto/kdf";
import { changeFolderPassword, changeOwner } from "../../src/engine/access/change-owner";
import { ContentKeys, newObjectHeader } from "../../src/format/object";
import {
  ProvenOwner,
  createOwner,
  openWithPassword,
  withCode,
  withKeyholders,
  withPassword,
} from "../../src/format/owner";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { usePlace } from "../support/place";
import { NEW_PASSWORD, PASSWORD, type Person, lock, newPerson } from "../support/world";

/** A key that was wiped is zeros: what is sealed with it opens for everybody, or for nobody. */
let person: Person;
let folder: string;
usePlace((place) => ({ person, folder } = place));

const ZERO = Buffer.alloc(32);

describe("a wiped key", () => {
  it("derives, macs, boxes and encrypts nothing, nor does a wiped password", async () => {
    expect(() => hkdf(ZERO, Buffer.alloc(16), "x")).toThrow(TypeError);
    expect(() => hmac(ZERO, Buffer.from("x"))).toThrow(TypeError);
    expect(() => sealBox(ZERO, "x", Buffer.from("x"))).toThrow(TypeError);
    expect(() => chunkCipher(ZERO)).toThrow(TypeError);
    await expect(hashPassword(Buffer.alloc(12), newPasswordHashing(LEAST_COST))).rejects.toThrow(TypeError);
    expect(() => new ContentKeys({ epoch: 1, key: null }, ZERO, newId())).toThrow(TypeError);
  });

  it("of an object that was wiped encrypts and decrypts nothing more, by either cipher", () => {
    const keys = new ContentKeys({ epoch: 1, key: null }, randomBytes(32), newId());
    const cipher = keys.cipherFor(
      newObjectHeader("pack", { folder: newId(), number: 1, batch: newBatch() }, { epoch: 1, key: null }),
    );
    const out = Buffer.alloc(17);
    cipher.seal(0, true, Buffer.from("x"), out);
    cipher.wipe();
    expect(() => cipher.seal(0, true, Buffer.from("x"), out)).toThrow(TypeError);
    expect(() => cipher.open(0, true, out, Buffer.alloc(1))).toThrow(TypeError);
    keys.wipe();
    expect(() =>
      keys.cipherFor(
        newObjectHeader("pack", { folder: newId(), number: 1, batch: newBatch() }, { epoch: 1, key: null }),
      ),
    ).toThrow(TypeError);
    const plain = new NodeCipher(randomBytes(32));
    plain.wipe();
    expect(() => plain.seal(Buffer.alloc(12), Buffer.from("x"), out)).toThrow(TypeError);
  });

  it("or one of another length, a short nonce, or room for too little reaches no native code, by either cipher", () => {
    for (const Cipher of [OpensslCipher, NodeCipher]) {
      for (const length of [0, 16, 31, 33]) expect(() => new Cipher(Buffer.alloc(length, 1))).toThrow(RangeError);
      const cipher = new Cipher(randomBytes(32));
      const [nonce, plain] = [Buffer.alloc(12), Buffer.from("plain")];
      expect(() => cipher.seal(Buffer.alloc(11), plain, Buffer.alloc(21))).toThrow(RangeError);
      expect(() => cipher.seal(nonce, plain, Buffer.alloc(20))).toThrow(RangeError);
      expect(() => cipher.open(nonce, Buffer.alloc(15), Buffer.alloc(5))).toThrow(RangeError);
      expect(() => cipher.open(nonce, Buffer.alloc(21), Buffer.alloc(4))).toThrow(RangeError);
      expect(() => cipher.open(Buffer.alloc(13), Buffer.alloc(21), Buffer.alloc(5))).toThrow(RangeError);
      cipher.wipe();
    }
    expect(() => new OpensslMac(Buffer.alloc(31, 1))).toThrow(RangeError);
  });

  it("makes no owner record with another password, code or keyholders, and gives no folder a password", async () => {
    const { owner } = person.access;
    await expect(withPassword(owner, ZERO, NEW_PASSWORD, LEAST_COST)).rejects.toThrow(TypeError);
    await expect(withCode(owner, ZERO, newRecoveryCode())).rejects.toThrow(TypeError);
    await expect(withKeyholders(owner, ZERO, { threshold: 2, count: 3 })).rejects.toThrow(TypeError);
    fs.writeFileSync(path.join(folder, "a"), "a");
    await lock(folder, person.owner);
    const of = { path: Buffer.from(folder), access: { ...person.access, rootKey: ZERO }, keptHeader: null };
    const before = fs.readFileSync(path.join(folder, ".eremos", "header.json"));
    await expect(changeOwner(linuxDisk, of)).rejects.toThrow();
    await expect(
      changeFolderPassword(linuxDisk, of, { password: NEW_PASSWORD, hint: null, cost: LEAST_COST }),
    ).rejects.toThrow();
    expect(fs.readFileSync(path.join(folder, ".eremos", "header.json"))).toEqual(before);
  });
});

describe("an owner record", () => {
  it("is proven by every new way in and the root key, before anything can write it", async () => {
    const { owner, rootKey } = person.access;
    const renewed = await withPassword(owner, rootKey, NEW_PASSWORD, LEAST_COST);
    const proven = await ProvenOwner.prove(renewed, rootKey, [
      { kind: "password", password: NEW_PASSWORD },
      { kind: "code", code: person.code },
    ]);
    expect((await openWithPassword(proven.envelope, NEW_PASSWORD)).rootKey).toEqual(Buffer.from(rootKey));
    await expect(ProvenOwner.prove(renewed, rootKey, [{ kind: "password", password: PASSWORD }])).rejects.toMatchObject(
      { code: "damaged" },
    );
    await expect(ProvenOwner.prove(renewed, randomBytes(32), [])).rejects.toMatchObject({ code: "damaged" });
    await expect(ProvenOwner.prove(renewed, ZERO, [])).rejects.toThrow(TypeError);
    const stranger = await createOwner(NEW_PASSWORD, newRecoveryCode(), LEAST_COST);
    await expect(
      ProvenOwner.prove({ ...renewed, password: stranger.envelope.password }, rootKey, [
        { kind: "password", password: NEW_PASSWORD },
      ]),
    ).rejects.toMatchObject({ code: "damaged" });
  });

  it("that does not belong to the key at hand gets into no header", async () => {
    fs.writeFileSync(path.join(folder, "a"), "a");
    await lock(folder, person.owner);
    const header = path.join(folder, ".eremos", "header.json");
    const before = fs.readFileSync(header);
    const forged = { ...person.access.owner, sealing: (await newPerson()).access.owner.sealing };
    await expect(
      changeOwner(linuxDisk, {
        path: Buffer.from(folder),
        access: { ...person.access, owner: forged },
        keptHeader: null,
      }),
    ).rejects.toMatchObject({ code: "damaged" });
    expect(fs.readFileSync(header)).toEqual(before);
  });
});
