import * as fs from "node:fs";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import { sealBoxWithSalt } from "../src/crypto/box";
import { formatPasswordHashing, hashPassword, hkdf, parsePasswordHashing } from "../src/crypto/kdf";
import { canonicalJson, checksumOf } from "../src/format/canonical-json";
import { ContentKeys, type ObjectHeader, encodeObjectHeader } from "../src/format/object";
import { formatRecoveryCode } from "../src/format/recovery-code";
import { TreeWriter } from "../src/format/tree";
import { PASSWORD, lock, newDirectory, newPerson, removeDirectory } from "./world";

export const VECTORS = fileURLToPath(new URL("../../docs/vectors", import.meta.url));

const bytes = (length: number, start = 0): Buffer => Buffer.from(Array.from({ length }, (_, i) => (start + i) & 255));

/** Known answers for every part of the format, from fixed inputs. docs/vectors/v1.json holds the same, written once. */
export async function knownAnswers(): Promise<Record<string, unknown>> {
  const hashing = parsePasswordHashing("$argon2id$v=19$m=65536,t=3,p=4$AAECAwQFBgcICQoLDA0ODw");
  const folder = bytes(16, 0x10).toString("base64url");
  const header: ObjectHeader = {
    kind: "pack",
    folder,
    object: bytes(16, 0x20).toString("base64url"),
    key: "folder",
    generation: 3,
    salt: bytes(32, 0x40),
  };
  const cipher = new ContentKeys("folder", bytes(32, 0x80), folder).cipherFor(header);
  const chunk = Buffer.alloc(5 + 16);
  cipher.seal(0, true, Buffer.from("hello"), chunk);
  const meta = {
    mode: 0o640,
    uid: 1000,
    gid: 1000,
    mtimeNs: 1_700_000_000_123_456_789n,
    atimeNs: 0n,
    xattrs: [{ name: Buffer.from("user.a"), value: Buffer.from("b") }],
  };
  const pack = { object: header.object, key: "folder", generation: 3, length: 99, digest: bytes(32, 0x60) };
  const writer = new TreeWriter();
  const listing = writer.listing([
    {
      kind: "file",
      name: Buffer.from("a"),
      meta,
      size: 5,
      linkGroup: 0,
      extents: null,
      content: { pack: writer.packNumber(pack.object), offset: 40, length: 5 },
    },
    { kind: "link", name: Buffer.from("l"), meta: { ...meta, xattrs: [] }, target: Buffer.from("a") },
  ]);
  const tree = writer.finish(
    { kind: "dir", name: Buffer.from("F"), meta: { ...meta, xattrs: [] }, listing },
    new Map([[pack.object, pack]]),
    1,
    5,
  );
  return {
    password: {
      hashing: formatPasswordHashing(hashing),
      password: PASSWORD,
      key: (await hashPassword(PASSWORD, hashing)).toString("hex"),
    },
    hkdf: {
      key: bytes(32).toString("hex"),
      salt: bytes(32, 0x40).toString("hex"),
      info: "eremos/1/pack",
      output: hkdf(bytes(32), bytes(32, 0x40), "eremos/1/pack").toString("hex"),
    },
    box: {
      key: bytes(32).toString("hex"),
      salt: bytes(32, 0x40).toString("hex"),
      purpose: "test",
      plain: "hello",
      box: sealBoxWithSalt(bytes(32), "test", Buffer.from("hello"), bytes(32, 0x40)).toString("hex"),
    },
    recoveryCode: { secret: bytes(20).toString("hex"), code: formatRecoveryCode(bytes(20)) },
    canonicalJson: {
      value: { b: [1, "ü"], a: null },
      text: canonicalJson({ b: [1, "ü"], a: null }).toString("utf8"),
      checksum: checksumOf({ b: [1, "ü"], a: null }),
    },
    object: {
      secret: bytes(32, 0x80).toString("hex"),
      header: encodeObjectHeader(header).toString("hex"),
      marker: cipher.marker().toString("hex"),
      plain: "hello",
      lastChunk0: chunk.toString("hex"),
    },
    index: { plaintext: tree.bytes.toString("hex"), record: tree.record },
  };
}

/** Writes the vectors and a whole sealed folder. Run by `npm run vectors` when the format gets a new version. */
export async function writeVectors(): Promise<void> {
  fs.rmSync(VECTORS, { recursive: true, force: true });
  fs.mkdirSync(VECTORS, { recursive: true });
  fs.writeFileSync(path.join(VECTORS, "v1.json"), `${JSON.stringify(await knownAnswers(), null, 2)}\n`);
  const folder = path.join(newDirectory(), "sealed-folder");
  fs.mkdirSync(folder);
  fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas,\nthe cello is a surprise.\n");
  fs.mkdirSync(path.join(folder, "inner"));
  fs.writeFileSync(path.join(folder, "inner", "two chunks.bin"), Buffer.alloc(70_000, "0123456789"));
  fs.symlinkSync("../letter.txt", path.join(folder, "inner", "link"));
  const person = await newPerson();
  await lock(folder, person.owner);
  fs.rmSync(path.join(folder, ".eremos", "lock"));
  fs.cpSync(folder, path.join(VECTORS, "sealed-folder"), { recursive: true });
  removeDirectory(path.dirname(folder));
  fs.writeFileSync(
    path.join(VECTORS, "sealed-folder.json"),
    `${JSON.stringify({ password: PASSWORD, recoveryCode: person.code, files: { "letter.txt": "Dear Jonas,\nthe cello is a surprise.\n", "inner/two chunks.bin": "0123456789 repeated to 70,000 bytes", "inner/link": "link to ../letter.txt" } }, null, 2)}\n`,
  );
}
