import * as fs from "node:fs";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import { sealBoxWithSalt } from "../../src/crypto/box";
import { fromBase64, toBase64 } from "../../src/crypto/bytes";
import { generateKeyPair, sealTo } from "../../src/crypto/envelope";
import { fingerprint } from "../../src/crypto/fingerprint";
import { LEAST_COST, formatPasswordHashing, hashPassword, hkdf, parsePasswordHashing } from "../../src/crypto/kdf";
import { generateSigningKey } from "../../src/crypto/signature";
import { canonicalJson, checksumOf } from "../../src/format/canonical-json";
import { sealDropKey, signDrop, withUndo, writeDrop } from "../../src/format/drop-record";
import { newNote, writeNote } from "../../src/format/note-record";
import { writeFileRecord } from "../../src/format/file-record";
import { heldNames, nameKey } from "../../src/format/held-name";
import { newGenerationFrame, refOf, sealFacts, signGeneration, writeGeneration } from "../../src/format/generation";
import { type GuardRecord, placePurpose, writeGuard } from "../../src/format/guard-record";
import { createHead, openHead, withMembers, withNewKey, writeHeader } from "../../src/format/header";
import { writeLevel } from "../../src/format/insurance";
import { boxedKeyRecord, newKeyRecord, writeKeyRecord } from "../../src/format/key-record";
import { encodeManifest } from "../../src/format/manifest";
import { newGuestRecord, newMember, writeGuestRecord, writeMember } from "../../src/format/member";
import { ContentKeys, type ObjectHeader, encodeObjectHeader } from "../../src/format/object";
import { createOwner, deviceId, withKeyholders, withNewKeys } from "../../src/format/owner";
import { newFrame, writeRecord } from "../../src/format/record-file";
import { formatRecoveryCode } from "../../src/format/codes/recovery-code";
import { guestSlot, writeSlot } from "../../src/format/slot";
import { type StateRecord, writeState } from "../../src/format/state";
import { TreeWriter, fileEntry, newMeta } from "../../src/format/tree";
import { PASSWORD, lock, newDirectory, newPerson, removeDirectory } from "./world";

export const VECTORS = fileURLToPath(new URL("../../../docs/vectors", import.meta.url));

const bytes = (length: number, start = 0): Buffer => Buffer.from(Array.from({ length }, (_, i) => (start + i) & 255));

/** Known answers for every part of the format, from fixed inputs. docs/vectors/v2.json holds the same, written once. */
export async function knownAnswers(): Promise<Record<string, unknown>> {
  const hashing = parsePasswordHashing("$argon2id$v=19$m=65536,t=3,p=4$AAECAwQFBgcICQoLDA0ODw");
  const folder = bytes(16, 0x10).toString("hex");
  const header: ObjectHeader = {
    kind: "pack",
    folder,
    object: bytes(16, 0x20).toString("hex"),
    epoch: 1,
    key: null,
    number: 3,
    batch: bytes(8, 0x30).toString("hex"),
    salt: bytes(32, 0x40),
  };
  const cipher = new ContentKeys({ epoch: 1, key: null }, bytes(32, 0x80), folder).cipherFor(header);
  const chunk = Buffer.alloc(5 + 16);
  cipher.seal(0, true, Buffer.from("hello"), chunk);
  const meta = newMeta({
    mode: 0o640,
    uid: 1000,
    gid: 1000,
    owner: "vera",
    group: "strings",
    mtimeNs: 1_700_000_000_123_456_789n,
    atimeNs: -1n,
    bornNs: 253_402_300_800_000_000_000n,
    other: [{ tag: 42, bytes: Buffer.from("later") }],
    xattrs: [{ name: Buffer.from("user.a"), value: Buffer.from("b") }],
  });
  const pack = { object: header.object, header: encodeObjectHeader(header), length: 99, digest: bytes(32, 0x60) };
  const writer = new TreeWriter();
  const listing = writer.listing([
    fileEntry({
      name: Buffer.from("a"),
      meta,
      size: 5,
      linkGroup: 1,
      content: { pack: writer.packNumber(pack.object), offset: 40, length: 5, fingerprint: bytes(16, 0x70) },
      streams: [
        {
          name: Buffer.from("side"),
          size: 9,
          content: { pack: 0, offset: 45, length: 3, fingerprint: null },
          extents: [{ offset: 6, length: 3 }],
        },
      ],
    }),
    { kind: "link", name: Buffer.from("l"), meta: { ...meta, xattrs: [] }, target: Buffer.from("a") },
  ]);
  const tree = writer.finish(
    { kind: "dir", name: Buffer.from("F"), meta: { ...meta, xattrs: [] }, listing },
    new Map([[pack.object, pack]]),
    1,
    5,
  );
  const mac = fingerprint(bytes(32));
  mac.start();
  mac.add(Buffer.from("hello"));
  return {
    fingerprint: { key: bytes(32).toString("hex"), contents: "hello", fingerprint: mac.finish().toString("hex") },
    password: {
      hashing: formatPasswordHashing(hashing),
      password: PASSWORD,
      key: (await hashPassword(PASSWORD, hashing)).toString("hex"),
    },
    hkdf: {
      key: bytes(32).toString("hex"),
      salt: bytes(32, 0x40).toString("hex"),
      info: "eremos/2/pack",
      output: hkdf(bytes(32), bytes(32, 0x40), "eremos/2/pack").toString("hex"),
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

/**
 * One record of every kind, as it is written, and what opens it: docs/vectors/records.json. Boxes and pairs are random,
 * so that these are read, and never made again.
 */
export async function recordVectors(): Promise<Record<string, unknown>> {
  const code = formatRecoveryCode(bytes(20));
  const device = generateSigningKey();
  const first = await createOwner(PASSWORD, code, LEAST_COST, [
    { publicKey: device.publicKey, name: "the desk", since: 1_700_000_000_000 },
  ]);
  const { rootKey } = first;
  const { envelope: owner, shares } = await withKeyholders(first.envelope, rootKey, { threshold: 2, count: 3 });
  const folder = bytes(16, 0x10).toString("hex");
  const folderKey = bytes(32, 0x80);
  const pair = await generateKeyPair();
  const head = await createHead({
    folder,
    owner,
    folderKey,
    pair,
    writer: { by: "owner", rootKey, password: { password: "gut strings", hint: "under the chin", cost: LEAST_COST } },
  });
  const sealed = await createHead({ folder, owner, folderKey, pair, writer: { by: "device", device } });
  const plain = await createHead({ folder, owner, folderKey, pair, writer: { by: "owner", rootKey, password: null } });
  const guest = { sealing: await generateKeyPair(), signing: generateSigningKey() };
  const member = newMember(
    {
      folder,
      id: bytes(16, 0x50).toString("hex"),
      kind: "guest-by-password",
      sealingKey: toBase64(guest.sealing.publicKey),
      signingKey: toBase64(guest.signing.publicKey),
      may: "look",
      since: 1_700_000_000_000,
    },
    "Jonas",
    rootKey,
  );
  const ways = await guestSlot({ folder, epoch: 1, folderKey }, member.id, member.sealingKey);
  const shared = withMembers(head, { owner, rootKey }, [member], [ways]);
  const guestRecord = await newGuestRecord(
    member,
    { sealing: guest.sealing.privateKey, signing: guest.signing },
    "their own four words",
    LEAST_COST,
  );
  const key = await newKeyRecord(
    { folder, key: bytes(16, 0x60).toString("hex"), epoch: 1, batch: bytes(8, 0x30).toString("hex") },
    bytes(32, 0xa0),
    pair.publicKey,
  );
  const object = encodeObjectHeader({
    kind: "index",
    folder,
    object: bytes(16, 0x20).toString("hex"),
    epoch: 1,
    key: null,
    number: 3,
    batch: bytes(8, 0x30).toString("hex"),
    salt: bytes(32, 0x40),
  });
  const manifest = encodeManifest([
    { object: bytes(16, 0x20).toString("hex"), kind: "index", length: 300, digest: bytes(32, 0xc0) },
    { object: bytes(16, 0x21).toString("hex"), kind: "pack", length: 9000, digest: bytes(32, 0xe0) },
  ]);
  const generation = signGeneration(
    {
      ...newGenerationFrame(),
      folder,
      number: 3,
      parents: [{ number: 2, digest: "ab".repeat(32) }],
      epoch: 1,
      key: null,
      author: owner.owner,
      device: deviceId(device.publicKey),
      index: { segments: [{ header: toBase64(object), length: 172, used: 172 }], record: { offset: 40, length: 132 } },
      manifest: manifest.digest,
      sealed: sealFacts(
        {
          place: Buffer.from("/home/ines/Letters"),
          system: "linux",
          at: 1_700_000_000_000,
          why: "lock",
          files: 2,
          bytes: 70_037,
        },
        folderKey,
        folder,
        3,
      ),
    },
    { signer: deviceId(device.publicKey), key: device },
  );
  const writer = await generateKeyPair();
  const renewedCode = formatRecoveryCode(bytes(20, 0x40));
  const renewed = await withNewKeys(owner, rootKey, {
    password: "another four small words",
    code: renewedCode,
    cost: LEAST_COST,
    at: 1_700_000_001_000,
  });
  const renewedHead = await withNewKey(
    shared,
    { owner: renewed.envelope, rootKey: renewed.rootKey, rootBefore: rootKey },
    folderKey,
    null,
  );
  const renewedKey = await openHead(renewedHead, {
    owner: renewed.envelope,
    rootKey: renewed.rootKey,
    folderKey: null,
  });
  const note = await newNote(
    { folder, id: bytes(16, 0x23).toString("hex") },
    { at: 1_700_000_000_000, what: "dropped", member: member.id },
    owner,
  );
  const drop = signDrop(
    await withUndo(
      {
        ...newFrame("eremos-drop"),
        folder,
        key: bytes(16, 0x70).toString("hex"),
        sealed: await sealDropKey({ folder, key: bytes(16, 0x70).toString("hex") }, bytes(32, 0xb0), pair.publicKey),
        object: bytes(16, 0x22).toString("hex"),
        length: 200,
        at: 1_700_000_000_000,
        author: null,
        moved: true,
        undo: null,
        signature: null,
      },
      bytes(32, 0xb0),
      writer.publicKey,
    ),
    deviceId(device.publicKey),
    device,
  );
  const state: StateRecord = {
    ...newFrame("eremos-state"),
    folder,
    by: bytes(16, 0x90).toString("hex"),
    sequence: 7,
    place: "linux:1234567:1700000000123456789",
    state: "sealed",
    generation: refOf(generation),
    next: null,
    visibility: "hidden",
    lockedName: `.${"0123456789".repeat(2)}`,
    held: null,
    staging: null,
    mixed: false,
    modes: [],
    times: null,
    shows: [],
  };
  const guard: GuardRecord = {
    ...newFrame("eremos-guard"),
    folder,
    system: "linux",
    guard: "barred",
    state: "locked",
    visibility: "view",
    lockedName: null,
    held: null,
    bars: { others: "nothing", own: "read" },
    closed: false,
    next: null,
    originals: "cd".repeat(32),
    place: await sealTo(fromBase64(owner.sealing.publicKey), placePurpose(folder), Buffer.from("/home/ines/Letters")),
    owner,
    times: { atimeNs: "0", mtimeNs: "1700000000123456789" },
  };
  const text = (record: Buffer): string => record.toString("utf8");
  return {
    secrets: {
      password: PASSWORD,
      code,
      shares,
      folderPassword: "gut strings",
      guestPassword: "their own four words",
      rootKey: rootKey.toString("hex"),
      folderKey: folderKey.toString("hex"),
      folderPrivateKey: pair.privateKey.toString("hex"),
      contentKey: bytes(32, 0xa0).toString("hex"),
      dropKey: bytes(32, 0xb0).toString("hex"),
      guestSealing: guest.sealing.privateKey.toString("hex"),
      dropWriter: writer.privateKey.toString("hex"),
      renewedPassword: "another four small words",
      renewedCode,
      renewedRootKey: renewed.rootKey.toString("hex"),
      renewedFolderKey: renewedKey.toString("hex"),
    },
    owner: text(writeRecord(owner)),
    header: text(writeHeader(shared.header)),
    slots: [...shared.slots, ...sealed.slots, ...plain.slots].map((slot) => text(writeSlot(slot))),
    member: text(writeMember(member)),
    guest: text(writeGuestRecord(guestRecord)),
    key: text(writeKeyRecord(key)),
    boxedKey: text(writeKeyRecord(boxedKeyRecord(key, bytes(32, 0xa0), folderKey))),
    generation: text(writeGeneration(generation)),
    manifest: manifest.bytes.toString("hex"),
    state: text(writeState(state)),
    guard: text(writeGuard(guard)),
    heldNames: NAMES.map((name) => [
      name.toString("hex"),
      (heldNames(NAMES, [Buffer.from(".eremos")]).get(nameKey(name)) ?? name).toString("utf8"),
    ]),
    renewedOwner: text(writeRecord(renewed.envelope)),
    renewedHeader: text(writeHeader(renewedHead.header)),
    renewedSlots: renewedHead.slots.map((slot) => text(writeSlot(slot))),
    note: text(writeNote(note)),
    drop: text(writeDrop(drop)),
    file: text(writeFileRecord(Buffer.from("letter.txt"), null)),
    insurance: text(writeLevel({ data: 20, parity: 2 }, null)),
  };
}

/** Of one folder: what sticks reserve, what they don't tell apart, and what looks like a form. */
const NAMES = [
  ...[
    "letter.txt",
    "Letter.TXT",
    "50 %.txt",
    "what: now?",
    "a%3ab",
    "a%~2",
    "ends.",
    "ends ",
    "con",
    "NUL.tar.gz",
    "console",
    ".EREMOS",
    "\u00e9",
    "e\u0301",
  ].map((name) => Buffer.from(name)),
  Buffer.from([0x80, 0x61]),
];

/** Writes the vectors and a whole sealed folder. Run by `npm run vectors` when the format gets a new version. */
export async function writeVectors(): Promise<void> {
  fs.rmSync(VECTORS, { recursive: true, force: true });
  fs.mkdirSync(VECTORS, { recursive: true });
  fs.writeFileSync(path.join(VECTORS, "v2.json"), `${JSON.stringify(await knownAnswers(), null, 2)}\n`);
  fs.writeFileSync(path.join(VECTORS, "records.json"), `${JSON.stringify(await recordVectors(), null, 2)}\n`);
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
