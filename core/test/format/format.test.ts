import * as fs from "node:fs";
import * as path from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { openBox, sealBox } from "../../src/crypto/box";
import { NodeCipher } from "../../src/crypto/chunk-cipher";
import { OpensslCipher, openssl } from "../../src/platform/linux/openssl";
import { LEAST_COST, hashPassword, hkdf, parsePasswordHashing } from "../../src/crypto/kdf";
import { readHeader } from "../../src/format/header";
import { createOwner, openWithCode, openWithPassword, withPassword } from "../../src/format/owner";
import { isGroupOf } from "../../src/format/codes/code-groups";
import {
  formatRecoveryCode,
  isGroupRight,
  newRecoveryCode,
  parseRecoveryCode,
} from "../../src/format/codes/recovery-code";
import { type DirEntry, TreeReader, sourceOf } from "../../src/format/tree";
import { changeOwner } from "../../src/engine/access/change-owner";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { crashingDisk } from "../support/crashing-disk";
import { both } from "../support/records";
import { NEW_PASSWORD, PASSWORD, lock, newDirectory, newPerson, release, removeDirectory } from "../support/world";
import { VECTORS, knownAnswers } from "../support/vectors";

describe("known answers", () => {
  it("are what was written when the format was fixed", async () => {
    const written: unknown = JSON.parse(fs.readFileSync(path.join(VECTORS, "v2.json"), "utf8"));
    expect(await knownAnswers()).toEqual(written);
  });

  it("agree with the published vectors of the primitives", async () => {
    // The reference implementation of Argon2, test.c: version 0x13, Argon2id, t=2, m=2^16, p=1.
    const hashing = { memoryKiB: 65_536, passes: 2, lanes: 1, salt: Buffer.from("somesalt") };
    expect((await hashPassword("password", hashing)).toString("hex")).toBe(
      "09316115d5cf24ed5a15a31a3ba326e5cf32edc24702987c02b6566f61913cf7",
    );
    // RFC 5869, test case 3: no salt, no info.
    expect(hkdf(Buffer.alloc(22, 0x0b), Buffer.alloc(0), "", 42).toString("hex")).toBe(
      "8da4e775a563c18f715f802a063c5a31b8a11f5c5ee1879ec3454e5f3c738d2d9d201395faa4b61a96c8",
    );
  });
});

describe("the two ways to the cipher", () => {
  it("seal the same bytes, open one another's, and refuse whatever was changed", () => {
    expect(openssl !== null).toBe(true);
    const bytes = (length: number): fc.Arbitrary<Buffer> =>
      fc.uint8Array({ minLength: length, maxLength: length }).map((array) => Buffer.from(array));
    fc.assert(
      fc.property(bytes(32), bytes(12), fc.uint8Array({ maxLength: 70_000 }), fc.nat(), (key, nonce, plain, flip) => {
        const ciphers = [new OpensslCipher(key), new NodeCipher(key)] as const;
        const [sealed, again] = ciphers.map((cipher) => {
          const out = Buffer.alloc(plain.length + 16);
          cipher.seal(nonce, plain, out);
          return out;
        });
        expect(sealed?.equals(again ?? Buffer.alloc(0))).toBe(true);
        const changed = Buffer.from(sealed ?? "");
        changed[flip % changed.length] = (changed[flip % changed.length] ?? 0) ^ (1 << (flip % 8));
        for (const cipher of ciphers) {
          const out = Buffer.alloc(plain.length);
          expect(cipher.open(nonce, sealed ?? changed, out)).toBe(true);
          expect(out.equals(plain)).toBe(true);
          expect(cipher.open(nonce, changed, out)).toBe(false);
          cipher.wipe();
        }
      }),
    );
  });
});

describe("a folder sealed by the first version", () => {
  let base: string;
  beforeAll(() => {
    base = newDirectory();
    fs.cpSync(path.join(VECTORS, "sealed-folder"), path.join(base, "folder"), { recursive: true });
  });
  afterAll(() => removeDirectory(base));

  it("opens with its master password and with its recovery code, from what is in the folder alone", async () => {
    const { recoveryCode } = JSON.parse(fs.readFileSync(path.join(VECTORS, "sealed-folder.json"), "utf8")) as {
      recoveryCode: string;
    };
    const folder = path.join(base, "folder");
    const { owner } = readHeader(fs.readFileSync(path.join(folder, ".eremos", "header.json")));
    const byPassword = await openWithPassword(owner, PASSWORD);
    const byCode = await openWithCode(owner, recoveryCode);
    expect(byCode.rootKey).toEqual(byPassword.rootKey);
    await expect(openWithPassword(owner, `${PASSWORD} `)).rejects.toMatchObject({ code: "wrong-password" });
    await expect(openWithCode(owner, formatRecoveryCode(Buffer.alloc(20, 7)))).rejects.toMatchObject({
      code: "wrong-code",
    });
    await release(folder, { owner, rootKey: byCode.rootKey, folderKey: null, devices: [] });
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas,\nthe cello is a surprise.\n");
    expect(fs.readFileSync(path.join(folder, "inner", "two chunks.bin"))).toEqual(Buffer.alloc(70_000, "0123456789"));
    expect(fs.readlinkSync(path.join(folder, "inner", "link"))).toBe("../letter.txt");
    expect(fs.readdirSync(folder).sort()).toEqual(["inner", "letter.txt"]);
  });
});

describe("another master password", () => {
  it("opens the same root key, the old one no more, and the recovery code still does", async () => {
    const code = newRecoveryCode();
    const { envelope, rootKey } = await createOwner(PASSWORD, code, LEAST_COST);
    const changed = await withPassword(envelope, rootKey, "another four words entirely", LEAST_COST);
    expect((await openWithPassword(changed, "another four words entirely")).rootKey).toEqual(rootKey);
    await expect(openWithPassword(changed, PASSWORD)).rejects.toMatchObject({ code: "wrong-password" });
    expect((await openWithCode(changed, code)).rootKey).toEqual(rootKey);
  });

  it("in the folder: at every moment both copies of the header are whole and open with the old one or the new", async () => {
    const person = await newPerson();
    const base = newDirectory();
    const folder = path.join(base, "Payroll");
    fs.mkdirSync(folder);
    await lock(folder, person.device);
    const copies = both("header.json").map((name) => path.join(folder, ".eremos", name));
    const written = copies.map((copy) => fs.readFileSync(copy));
    const change = (disk: Disk): Promise<Buffer> =>
      changeOwner(disk, { path: Buffer.from(folder), access: person.renewed, keptHeader: null });
    const passwords = (): unknown[] => copies.map((copy) => readHeader(fs.readFileSync(copy)).owner.password);
    const [old, renewed] = [person.access.owner.password, person.renewed.owner.password];
    for (const mode of ["before", "after", "torn"] as const) {
      for (let at = 0; ; at++) {
        copies.forEach((copy, i) => fs.writeFileSync(copy, written[i] ?? ""));
        const crashing = crashingDisk(linuxDisk, at, mode);
        await change(crashing.disk).catch((error: unknown) => {
          if (!crashing.crashed()) throw error;
        });
        if (!crashing.crashed()) break;
        for (const password of passwords()) expect([old, renewed]).toContainEqual(password);
      }
    }
    expect(passwords()).toEqual([renewed, renewed]);
    expect((await openWithPassword(readHeader(fs.readFileSync(copies[0] ?? "")).owner, NEW_PASSWORD)).rootKey).toEqual(
      person.access.rootKey,
    );
    await release(folder, person.access);
    removeDirectory(base);
  });

  it("is the same however its letters were composed", async () => {
    const { envelope, rootKey } = await createOwner("café at dusk \u00e9", newRecoveryCode(), LEAST_COST);
    expect((await openWithPassword(envelope, "cafe\u0301 at dusk e\u0301")).rootKey).toEqual(rootKey);
  });
});

describe("a recovery code", () => {
  const secret = fc.uint8Array({ minLength: 20, maxLength: 20 });

  it("is read back, in small letters and with the letters people confuse", () => {
    fc.assert(
      fc.property(secret, (bytes) => {
        const code = formatRecoveryCode(bytes);
        const typed = code.toLowerCase().replaceAll("-", " ").replaceAll("1", "l").replaceAll("0", "o");
        expect(parseRecoveryCode(typed)).toEqual({ secret: Buffer.from(bytes) });
      }),
    );
  });

  it("names every group with one character wrong, every one with two neighbours exchanged, both of two that were exchanged, and takes no share's", () => {
    const place = fc.integer({ min: 0, max: 7 });
    fc.assert(
      fc.property(
        secret,
        place,
        place,
        fc.integer({ min: 0, max: 4 }),
        fc.integer({ min: 1, max: 31 }),
        (bytes, group, other, at, by) => {
          const groups = formatRecoveryCode(bytes).split("-");
          const right = groups[group] ?? "";
          const alphabet = "0123456789ABCDEFGHJKMNPQRSTVWXYZ";
          const mistyped =
            right.slice(0, at) + alphabet.charAt((alphabet.indexOf(right.charAt(at)) + by) % 32) + right.slice(at + 1);
          expect(isGroupRight(group, mistyped)).toBe(false);
          const turned = right.slice(0, at) + right.charAt(at + 1) + right.charAt(at) + right.slice(at + 2);
          expect(isGroupRight(group, turned)).toBe(turned === right);
          expect(isGroupRight(other, right)).toBe(other === group);
          expect(isGroupOf("share", other, right)).toBe(false);
        },
      ),
      { numRuns: 2000 },
    );
  });
});

describe("a box", () => {
  it("tells another key from damage, and opens for no other purpose", () => {
    const key = Buffer.alloc(32, 1);
    const box = sealBox(key, "test", Buffer.from("secret"));
    expect(openBox(key, "test", box)).toEqual(Buffer.from("secret"));
    expect(openBox(Buffer.alloc(32, 2), "test", box)).toBe("another-key");
    expect(openBox(key, "other", box)).toBe("another-key");
    for (let at = 0; at < box.length; at++) {
      const changed = Buffer.from(box);
      changed[at] = (changed[at] ?? 0) ^ 1;
      expect(typeof openBox(key, "test", changed)).toBe("string");
    }
  });
});

describe("what nobody has authenticated yet", () => {
  it("can't make a reader spend more memory or time than Eremos ever asks for", () => {
    for (const hashing of [
      "$argon2id$v=19$m=4194304,t=3,p=4$AAECAwQFBgcICQoLDA0ODw",
      "$argon2id$v=19$m=65536,t=99,p=4$AAECAwQFBgcICQoLDA0ODw",
      "$argon2id$v=19$m=65536,t=3,p=64$AAECAwQFBgcICQoLDA0ODw",
      "nonsense",
    ]) {
      expect(() => parsePasswordHashing(hashing)).toThrow(expect.objectContaining({ code: "damaged" }));
    }
  });

  it("never crashes the index parser or leads it out of the folder", () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 1, maxLength: 400 }), fc.nat(400), (bytes, offset) => {
        try {
          const tree = new TreeReader(sourceOf(Buffer.from(bytes)), {
            offset,
            length: Math.max(0, bytes.length - offset),
          });
          const visit = (dir: DirEntry): void =>
            tree.list(dir).entries.forEach((entry) => (entry.kind === "dir" ? visit(entry) : undefined));
          visit(tree.root);
        } catch (error) {
          expect(error).toMatchObject({ name: expect.stringMatching(/EremosError|RangeError/) });
        }
      }),
      { numRuns: 2000 },
    );
  });
});
