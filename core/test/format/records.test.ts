import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { fromBase64 } from "../../src/crypto/bytes";
import { openEnvelope } from "../../src/crypto/envelope";
import { isSignedBy } from "../../src/crypto/signature";
import { NodeMac } from "../../src/crypto/fingerprint";
import { setInsurance } from "../../src/insurance/insure";
import { guardFolder, openGuarded } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { commitGuard, loadGuard } from "../../src/engine/guards/unencrypted/guard-records";
import { holdFolder, letGo } from "../../src/engine/ground/own-dir";
import { changeOwner } from "../../src/engine/access/change-owner";
import { Visit } from "../../src/engine/visiting/visit";
import { canonicalJson, checksumOf } from "../../src/format/canonical-json";
import { dropKeyName, isDropOf, openDropKey, openUndo, readDrop } from "../../src/format/drop-record";
import { nameIn, readFileRecord } from "../../src/format/file-record";
import { openFacts, readGeneration, refOf, vouchingOf } from "../../src/format/generation";
import { placePurpose, readGuard } from "../../src/format/guard-record";
import {
  type Head,
  digestOf,
  earlierKeys,
  openHead,
  openWithSecret,
  readHeader,
  standingOf,
} from "../../src/format/header";
import { readLevel } from "../../src/format/insurance";
import { openNote, readNote } from "../../src/format/note-record";
import { openContentKey, readKeyRecord } from "../../src/format/key-record";
import { decodeManifest, manifestDigest } from "../../src/format/manifest";
import { memberName, openGuestRecord, readGuestRecord, readMember } from "../../src/format/member";
import { deviceName, earlierRoots, openOwner, openSealingKey, readOwner } from "../../src/format/owner";
import { openByPair, readSlot } from "../../src/format/slot";
import { readState } from "../../src/format/state";
import { type DirEntry, TreeReader, TreeWriter, fileEntry, newMeta, sourceOf } from "../../src/format/tree";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { findLocked } from "../../src/rescue/find-locked";
import { directorySource } from "../../src/rescue/directory-source";
import { usePlace } from "../support/place";
import { both, generationAt, generationFiles, stateFile } from "../support/records";
import { VECTORS } from "../support/vectors";
import { type Person, lock, newDirectory, release, removeDirectory, unlock } from "../support/world";

interface Vectors {
  readonly secrets: Readonly<
    Record<
      | "password"
      | "code"
      | "folderPassword"
      | "guestPassword"
      | "rootKey"
      | "folderKey"
      | "folderPrivateKey"
      | "contentKey"
      | "dropKey"
      | "guestSealing"
      | "dropWriter"
      | "renewedPassword"
      | "renewedCode"
      | "renewedRootKey"
      | "renewedFolderKey",
      string
    >
  > & { readonly shares: readonly string[] };
  readonly slots: readonly string[];
  readonly [record: string]: unknown;
}
const VECTOR = JSON.parse(fs.readFileSync(path.join(VECTORS, "records.json"), "utf8")) as Vectors;
const record = (name: string): Buffer => Buffer.from(String(VECTOR[name]));
const hex = (name: keyof Vectors["secrets"]): Buffer => Buffer.from(String(VECTOR.secrets[name]), "hex");

describe("one record of every kind, written once", () => {
  it("opens with what is said to open it", async () => {
    const { secrets } = VECTOR;
    const owner = readOwner(record("owner"));
    for (const secret of [
      { kind: "password", password: secrets.password },
      { kind: "code", code: secrets.code },
      { kind: "shares", shares: secrets.shares.slice(1) },
    ] as const)
      expect((await openOwner(owner, secret)).rootKey).toEqual(hex("rootKey"));
    const believed = { owner, devices: [] };
    const [device] = owner.devices;
    expect(device && deviceName(owner, device, hex("rootKey"))).toBe("the desk");

    const slots = VECTOR.slots.map((slot) => readSlot(Buffer.from(slot)));
    const member = readMember(record("member"));
    const head: Head = { header: readHeader(record("header")), slots, members: [member] };
    expect(standingOf(head.header, believed)).toBe("owner");
    expect(head.header.members).toEqual([digestOf(record("member"))]);
    expect(head.header.slots).toEqual(
      VECTOR.slots
        .slice(0, 4)
        .map((slot) => digestOf(Buffer.from(slot)))
        .sort(),
    );
    expect(slots.map(({ kind }) => kind).sort()).toEqual([
      "guest",
      "keyholders",
      "owner",
      "owner-and-password",
      "owner-sealed",
      "recovery",
    ]);
    for (const secret of [
      { kind: "password", password: secrets.folderPassword },
      { kind: "code", code: secrets.code },
      { kind: "shares", shares: secrets.shares.slice(0, 2) },
    ] as const)
      expect(await openWithSecret(head, hex("rootKey"), secret)).toEqual(hex("folderKey"));
    expect(
      await openHead(
        { ...head, slots: slots.filter(({ kind }) => kind === "owner-sealed") },
        { owner, rootKey: hex("rootKey"), folderKey: null },
      ),
    ).toEqual(hex("folderKey"));
    expect(
      await openHead(
        { ...head, slots: slots.filter(({ kind }) => kind === "owner") },
        { owner, rootKey: hex("rootKey"), folderKey: null },
      ),
    ).toEqual(hex("folderKey"));
    const guest = slots.find(({ kind }) => kind === "guest");
    expect(guest && (await openByPair(guest, hex("guestSealing")))).toEqual(hex("folderKey"));
    expect(memberName(member, hex("rootKey"))).toBe("Jonas");
    expect((await openGuestRecord(readGuestRecord(record("guest")), member, secrets.guestPassword)).sealing).toEqual(
      hex("guestSealing"),
    );

    for (const name of ["key", "boxedKey"])
      expect(await openContentKey(readKeyRecord(record(name)), hex("folderKey"), hex("folderPrivateKey"))).toEqual(
        hex("contentKey"),
      );
    const generation = readGeneration(record("generation"));
    expect(vouchingOf(generation, believed, head)).toBe("device");
    expect(openFacts(generation, hex("folderKey"))).toEqual({
      place: Buffer.from("/home/ines/Letters"),
      system: "linux",
      at: 1_700_000_000_000,
      why: "lock",
      files: 2,
      bytes: 70_037,
    });
    const manifest = Buffer.from(String(VECTOR["manifest"]), "hex");
    expect(manifestDigest(manifest)).toBe(generation.manifest);
    expect(
      [...decodeManifest(manifest, generation.manifest).values()].map(({ kind, length }) => [kind, length]),
    ).toEqual([
      ["index", 300],
      ["pack", 9000],
    ]);
    expect(readState(record("state"))).toMatchObject({ state: "sealed", generation: refOf(generation) });
    const guard = readGuard(record("guard"));
    expect(await openEnvelope(openSealingKey(owner, hex("rootKey")), placePurpose(guard.folder), guard.place)).toEqual(
      Buffer.from("/home/ines/Letters"),
    );
    const drop = readDrop(record("drop"));
    expect(await openDropKey(drop, hex("folderPrivateKey"))).toEqual(hex("dropKey"));
    expect([
      drop.moved,
      isDropOf(drop, fromBase64(device?.publicKey ?? "")),
      isDropOf({ ...drop, at: 1 }, fromBase64(device?.publicKey ?? "")),
      dropKeyName(drop).key,
    ]).toEqual([true, true, false, drop.key]);
    expect(await openUndo(drop, hex("dropWriter"))).toEqual(hex("dropKey"));
    await expect(openUndo(drop, hex("folderPrivateKey"))).rejects.toMatchObject({ code: "damaged" });
    expect(await openNote(readNote(record("note")), openSealingKey(owner, hex("rootKey")))).toEqual({
      at: 1_700_000_000_000,
      what: "dropped",
      member: member.id,
    });
    const renewed = readOwner(record("renewedOwner"));
    for (const secret of [
      { kind: "password", password: secrets.renewedPassword },
      { kind: "code", code: secrets.renewedCode },
      { kind: "shares", shares: secrets.shares.slice(1) },
    ] as const)
      expect((await openOwner(renewed, secret)).rootKey).toEqual(hex("renewedRootKey"));
    expect(earlierRoots(renewed, hex("renewedRootKey"))).toEqual([hex("rootKey")]);
    const renewedHead: Head = {
      header: readHeader(record("renewedHeader")),
      slots: (VECTOR["renewedSlots"] as readonly string[]).map((slot) => readSlot(Buffer.from(slot))),
      members: [],
    };
    expect([
      standingOf(renewedHead.header, { owner: renewed, devices: [] }),
      standingOf(renewedHead.header, believed),
    ]).toEqual(["owner", "unknown"]);
    expect(await openHead(renewedHead, { owner: renewed, rootKey: hex("renewedRootKey"), folderKey: null })).toEqual(
      hex("renewedFolderKey"),
    );
    expect(earlierKeys(renewedHead.header, hex("renewedFolderKey"))).toEqual([
      { epoch: 1, folderKey: hex("folderKey") },
    ]);
    expect(nameIn(readFileRecord(record("file")))).toEqual(Buffer.from("letter.txt"));
    expect(readLevel(record("insurance"))).toMatchObject({ data: 20, parity: 2 });
    expect(isSignedBy(fromBase64(owner.signing.publicKey), Buffer.from("x"), Buffer.alloc(64))).toBe(false);
  });

  it("is one text: another order, a name twice, blanks, what stands before or behind it, another form of a number and an unknown member are damage", () => {
    for (const [name, read] of READERS) {
      const text = record(name).toString("utf8");
      const value = JSON.parse(text) as Record<string, unknown>;
      const { checksum: _checksum, ...body } = value;
      const turned = Object.fromEntries(Object.entries(value).reverse());
      const more = { ...body, colour: "blue" };
      const others = [
        JSON.stringify(turned),
        JSON.stringify(value, null, 2),
        `${text} `,
        `\n${text}`,
        text.trimEnd(),
        text.replace('{"', '{"format":"x","'),
        text.replace(/^\{/, '{"checksum":"0000000000000000",'),
        text.replace('"version":2', '"version":2.0'),
        `${canonicalJson({ ...more, checksum: checksumOf(more as never) } as never).toString("utf8")}\n`,
      ];
      for (const other of others)
        expect(() => read(Buffer.from(other)), `${name}: ${other.slice(0, 60)}`).toThrow(
          expect.objectContaining({ code: "damaged" }),
        );
      expect(read(Buffer.from(text))).toBeDefined();
    }
  });

  it("may say more than this version knows, which is kept; where it has to be known, nothing is read, and what it is is said", () => {
    for (const [name, read] of READERS) {
      const by = (change: object): Buffer => {
        const { checksum: _checksum, ...body } = JSON.parse(record(name).toString("utf8")) as Record<string, unknown>;
        const changed = { ...body, ...change };
        return Buffer.concat([
          canonicalJson({ ...changed, checksum: checksumOf(changed as never) } as never),
          Buffer.from("\n"),
        ]);
      };
      const with_ = (extensions: object, critical: readonly string[]): Buffer => by({ extensions, critical });
      expect(read(with_({ tint: { of: ["blue", 3] } }, [])), name).toMatchObject({
        extensions: { tint: { of: ["blue", 3] } },
      });
      expect(() => read(with_({ tint: "blue" }, ["tint"])), name).toThrow(
        expect.objectContaining({ code: "unknown-version", message: expect.stringContaining("tint") }),
      );
      for (const [extensions, critical] of [
        [{}, ["tint"]],
        [{ a: 1, b: 2 }, ["b", "a"]],
        [{ a: 1 }, ["a", "a"]],
        [{ "Not a name": 1 }, []],
      ] as const)
        expect(() => read(with_(extensions, critical)), name).toThrow(expect.objectContaining({ code: "damaged" }));
      const { owner } = JSON.parse(record(name).toString("utf8")) as { owner?: unknown };
      // The owner's record within another one is a record, too.
      if (typeof owner === "object")
        expect(() => read(by({ owner: { ...owner, extensions: { tint: "blue" }, critical: ["tint"] } })), name).toThrow(
          expect.objectContaining({ code: "unknown-version" }),
        );
      expect(() => read(by({ version: 3 })), name).toThrow(expect.objectContaining({ code: "unknown-version" }));
    }
  });
});

const READERS = [
  ["owner", readOwner],
  ["header", readHeader],
  ["member", readMember],
  ["guest", readGuestRecord],
  ["key", readKeyRecord],
  ["generation", readGeneration],
  ["state", readState],
  ["guard", readGuard],
  ["note", readNote],
  ["renewedOwner", readOwner],
  ["renewedHeader", readHeader],
  ["drop", readDrop],
  ["file", readFileRecord],
  ["insurance", readLevel],
] as const satisfies readonly (readonly [string, (bytes: Uint8Array) => unknown])[];

describe("what a record says that nobody here knows", () => {
  let person: Person;
  let folder: string;
  usePlace((place) => ({ person, folder } = place));

  /** Puts an extension into a record and its twin as another version would, signatures left aside. */
  function extend(at: string, critical: readonly string[] = []): void {
    for (const name of both(at)) {
      const file = path.join(folder, ".eremos", name);
      const { checksum: _checksum, ...body } = JSON.parse(fs.readFileSync(file, "utf8")) as Record<string, unknown>;
      const extended = { ...body, extensions: { tint: "blue" }, critical };
      fs.writeFileSync(
        file,
        Buffer.concat([
          canonicalJson({ ...extended, checksum: checksumOf(extended as never) } as never),
          Buffer.from("\n"),
        ]),
      );
    }
  }
  const says = (at: string): unknown =>
    (JSON.parse(fs.readFileSync(path.join(folder, ".eremos", at), "utf8")) as { extensions: unknown }).extensions;

  it("is carried from one state record to the next, from one guard record to the next, and stays at another level of insurance", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
    const { folder: id } = await lock(folder, person.owner);
    setInsurance(linuxDisk, Buffer.from(folder), { data: 20, parity: 2 });
    for (const at of [stateFile(folder), "insurance/level.json"]) extend(at);
    setInsurance(linuxDisk, Buffer.from(folder), { data: 8, parity: 4 });
    expect(says("insurance/level.json")).toEqual({ tint: "blue" });
    const { note } = await unlock(folder, person.access);
    expect(says(stateFile(folder))).toEqual({ tint: "blue" });
    await lock(folder, person.owner, { folder: id, note });
    expect(says(stateFile(folder))).toEqual({ tint: "blue" });
    await release(folder, person.access);
    const guarding = {
      path: Buffer.from(folder),
      folder: id,
      owner: person.access.owner,
      guard: "sight" as const,
      bars: { others: "everything" as const, own: "everything" as const },
      visibility: "hidden" as const,
      cover: null,
      places: [Buffer.from(path.dirname(folder))],
      synced: [],
    };
    const { path: hidden } = await guardFolder(linuxDisk, guarding, silentHooks);
    const held = holdFolder(linuxDisk, hidden, { create: false });
    const record = loadGuard(linuxDisk, held.ownDir);
    if (record) commitGuard(linuxDisk, held.ownDir, { ...record, extensions: { tint: "blue" } });
    letGo(linuxDisk, held);
    await openGuarded(linuxDisk, { path: hidden, place: Buffer.from(folder) });
    await guardFolder(linuxDisk, guarding, silentHooks);
    const at = fs.readdirSync(path.dirname(folder)).find((name) => name.startsWith(".")) ?? "";
    expect(
      JSON.parse(fs.readFileSync(path.join(path.dirname(folder), at, ".eremos", "guard.json"), "utf8")),
    ).toMatchObject({ state: "locked", extensions: { tint: "blue" } });
  });

  it("keeps a folder from being opened, visited, read or changed where it has to be known, and says so", async () => {
    fs.writeFileSync(path.join(folder, "letter.txt"), "Dear Jonas");
    await lock(folder, person.owner);
    for (const at of ["header.json", stateFile(folder), generationFiles(folder)[0] ?? ""]) {
      const kept = both(at).map((name) => [name, fs.readFileSync(path.join(folder, ".eremos", name))] as const);
      extend(at, ["tint"]);
      const attempts = [
        () => unlock(folder, person.access),
        () =>
          Visit.open(linuxDisk, {
            path: Buffer.from(folder),
            access: person.access,
            keptHeader: null,
            expected: null,
            accept: [],
            account: { uid: 0, gid: 0 },
          }),
      ];
      for (const attempt of attempts)
        await expect(attempt(), at).rejects.toMatchObject({
          code: "unknown-version",
          message: expect.stringContaining("tint"),
        });
      if (at === "header.json") {
        await expect(findLocked(directorySource(Buffer.from(folder)))).rejects.toMatchObject({
          code: "unknown-version",
        });
        await expect(
          changeOwner(linuxDisk, { path: Buffer.from(folder), access: person.renewed, keptHeader: null }),
        ).rejects.toMatchObject({ code: "unknown-version" });
      }
      for (const [name, bytes] of kept) fs.writeFileSync(path.join(folder, ".eremos", name), bytes);
    }
    await release(folder, person.access);
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("Dear Jonas");
  });
});

describe("an entry", () => {
  const tree = (other: readonly { tag: number; bytes: Buffer }[]): TreeReader => {
    const writer = new TreeWriter();
    const meta = newMeta({
      mode: 0o644,
      uid: 1,
      gid: 2,
      owner: "vera",
      group: "strings",
      mtimeNs: -1n,
      atimeNs: 12_219_292_800_000_000_000n,
      bornNs: -62_135_596_800_000_000_000n,
      other,
    });
    const listing = writer.listing([
      fileEntry({
        name: Buffer.from("a"),
        meta,
        size: 0,
        streams: [{ name: Buffer.from("side"), size: 7, content: null, extents: [] }],
      }),
    ]);
    const { bytes, record: span } = writer.finish(
      {
        kind: "dir",
        name: Buffer.from("F"),
        meta: newMeta({ mode: 0o755, uid: 0, gid: 0, mtimeNs: 0n, atimeNs: 0n }),
        listing,
      },
      new Map(),
      1,
      0,
    );
    return new TreeReader(sourceOf(bytes), span);
  };
  const first = (reader: TreeReader): unknown => reader.list(reader.root as DirEntry).entries[0];

  it("has times before 1677 and after 2262, names of its owners, contents by name, and parts that nobody here knows", () => {
    expect(first(tree([{ tag: 77, bytes: Buffer.from("later") }]))).toMatchObject({
      meta: {
        mtimeNs: -1n,
        atimeNs: 12_219_292_800_000_000_000n,
        bornNs: -62_135_596_800_000_000_000n,
        owner: "vera",
        group: "strings",
        other: [{ tag: 77, bytes: Buffer.from("later") }],
      },
      streams: [{ name: Buffer.from("side"), size: 7 }],
    });
  });

  it("with a part that has to be known and is not keeps the folder from being read, in words; with one twice it is damaged", () => {
    expect(() => first(tree([{ tag: 77 | 0x80, bytes: Buffer.from("later") }]))).toThrow(
      expect.objectContaining({ code: "unknown-version", message: expect.stringContaining("77") }),
    );
    expect(() =>
      first(
        tree([
          { tag: 7, bytes: Buffer.alloc(4) },
          { tag: 7, bytes: Buffer.alloc(4) },
        ]),
      ),
    ).toThrow(expect.objectContaining({ code: "damaged" }));
  });

  it("that was changed since it was sealed keeps what could not be had or held here", async () => {
    const { newPerson } = await import("../support/world");
    const person = await newPerson();
    const base = newDirectory();
    const folder = path.join(base, "Payroll");
    fs.mkdirSync(folder);
    fs.writeFileSync(path.join(folder, "letter.txt"), "first");
    const born = fs.statSync(path.join(folder, "letter.txt"), { bigint: true }).birthtimeNs;
    const { folder: id } = await lock(folder, person.owner);
    let { note } = await unlock(folder, person.access);
    fs.rmSync(path.join(folder, "letter.txt"));
    fs.writeFileSync(path.join(folder, "letter.txt"), "second");
    await lock(folder, person.owner, { folder: id, note });
    const visit = await Visit.open(linuxDisk, {
      path: Buffer.from(folder),
      access: person.access,
      keptHeader: null,
      expected: null,
      accept: [],
      account: { uid: 0, gid: 0 },
    });
    expect(visit.find([Buffer.from("letter.txt")])?.meta.bornNs).toBe(born);
    visit.close();
    ({ note } = await unlock(folder, person.access));
    expect(note).not.toBeNull();
    expect(generationAt(folder, generationFiles(folder)[0] ?? "").number).toBe(2);
    removeDirectory(base);
  });
});

it("a fingerprint is the same by either way to the cipher, and another for other contents", () => {
  const { fingerprint: known } = JSON.parse(fs.readFileSync(path.join(VECTORS, "v2.json"), "utf8")) as {
    fingerprint: { key: string; fingerprint: string };
  };
  const of = (contents: string): string => {
    const mac = new NodeMac(Buffer.from(known.key, "hex"));
    mac.start();
    mac.add(Buffer.from(contents));
    return mac.finish().toString("hex");
  };
  expect([of("hello"), of("hellp") === known.fingerprint]).toEqual([known.fingerprint, false]);
});
