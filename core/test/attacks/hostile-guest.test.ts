import { TAG_BYTES } from "../../src/crypto/ciphers";
import * as fs from "node:fs";
import * as path from "node:path";
import { beforeEach, describe, expect, it } from "vitest";
import { toBase64 } from "../../src/crypto/bytes";
import { type KeyPair, generateKeyPair } from "../../src/crypto/envelope";
import { LEAST_COST } from "../../src/crypto/kdf";
import { type SigningKey, generateSigningKey, signWith } from "../../src/crypto/signature";
import { checkFolder } from "../../src/engine/upkeep/check";
import { silentHooks } from "../../src/engine/ground/hooks";
import { FolderKeys, believedOf } from "../../src/engine/records/keys";
import { loadTree } from "../../src/engine/contents/load-tree";
import { commitHead } from "../../src/engine/records/records";
import { commitState, loadState } from "../../src/engine/records/states";
import { writeGenerationOf } from "../../src/engine/contents/seal-generation";
import { type HeldFolder, holdFolder, letGo } from "../../src/engine/ground/own-dir";
import { Visit } from "../../src/engine/visiting/visit";
import { canonicalJson } from "../../src/format/canonical-json";
import {
  type Generation,
  type Signature,
  readGeneration,
  refOf,
  signGeneration,
  vouchingOf,
  writeGeneration,
} from "../../src/format/generation";
import { type Head, openHead, standingOf, withFolderPassword, withMembers, writeHead } from "../../src/format/header";
import { newBatch, newId } from "../../src/format/ids";
import {
  type Member,
  memberName,
  newGuestRecord,
  newMember,
  openGuestRecord,
  readGuestRecord,
  writeGuestRecord,
} from "../../src/format/member";
import {
  CHUNK_BYTES,
  ContentKeys,
  OBJECT_HEADER_BYTES,
  SEALED_CHUNK_BYTES,
  decodeObjectHeader,
} from "../../src/format/object";
import { withoutDevice } from "../../src/format/owner";
import { guestSlot, openByPair } from "../../src/format/slot";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { directorySource } from "../../src/rescue/directory-source";
import { openLocked } from "../../src/rescue/locked-folder";
import { usePlace } from "../support/place";
import { both, generationAt, generationFiles, headAt, plantHead, stateFile } from "../support/records";
import { PASSWORD, type Person, lock, newPerson, release, unlock } from "../support/world";

/**
 * Guests, before their screens: whoever is let into a folder holds every key that decrypts, and may write to the
 * directory. What they may is what the owner has signed, and nothing that they can compute changes it.
 */
let person: Person;
let folder: string;
usePlace((place) => ({ person, folder } = place));

interface Guest {
  readonly member: Member;
  readonly sealing: KeyPair;
  readonly signing: SigningKey;
}

let looking: Guest;
let changing: Guest;
const ownDir = (...names: readonly string[]): string => path.join(folder, ".eremos", ...names);

async function newGuest(id: string, may: Member["may"]): Promise<Guest> {
  const sealing = await generateKeyPair();
  const signing = generateSigningKey();
  const member = newMember(
    {
      folder: id,
      id: newId(),
      kind: "guest-by-card",
      sealingKey: toBase64(sealing.publicKey),
      signingKey: toBase64(signing.publicKey),
      may,
      since: 1,
    },
    `who may ${may}`,
    person.access.rootKey,
  );
  return { member, sealing, signing };
}

function holding<T>(use: (folder: HeldFolder) => T): T {
  const held = holdFolder(linuxDisk, Buffer.from(folder), { create: false });
  try {
    return use(held);
  } finally {
    letGo(linuxDisk, held);
  }
}

/** The owner lets these in, or changes what they may. */
async function letIn(guests: readonly Guest[]): Promise<Head> {
  const before = headAt(folder);
  const folderKey = await openHead(before, person.access);
  const of = { folder: before.header.folder, epoch: before.header.epoch, folderKey };
  const slots = await Promise.all(
    guests
      .filter(({ member }) => member.until === null)
      .map(({ member }) => guestSlot(of, member.id, member.sealingKey)),
  );
  const head = withMembers(
    before,
    person.access,
    guests.map(({ member }) => member),
    slots,
  );
  holding(({ ownDir: dir }) => commitHead(linuxDisk, dir, head));
  return head;
}

/** What a guest gets with their own key: the folder key. */
async function keyOf({ member, sealing }: Guest): Promise<Buffer> {
  const slot = headAt(folder).slots.find((one) => one.member === member.id);
  const key = slot && (await openByPair(slot, sealing.privateKey));
  if (!key) throw new Error("the guest is not let in");
  return key;
}

/** A state of the guest's own making, with the folder's key, as the last one. */
async function seal(
  guest: Guest,
  author: string,
  sign: (record: Generation) => Generation,
  signature: Signature = { signer: guest.member.id, key: guest.signing },
): Promise<Generation> {
  const folderKey = await keyOf(guest);
  const { header } = headAt(folder);
  return holding(({ ownDir: dir }) => {
    const state = loadState(linuxDisk, dir);
    const [last = ""] = generationFiles(folder);
    const before = generationAt(folder, last);
    const keys = FolderKeys.of(header.folder, { epoch: header.epoch, key: null }, folderKey);
    const { bytes } = loadTree(linuxDisk, dir, before, keys);
    const purpose = { folder: header.folder, number: before.number + 1, batch: newBatch() };
    const { record } = writeGenerationOf(
      {
        disk: linuxDisk,
        ownDir: dir,
        purpose,
        place: Buffer.from(folder),
        keys,
        keyName: { epoch: header.epoch, key: null },
        why: "visit",
        author,
        device: null,
        signature,
      },
      { bytes, record: before.index.record },
      [refOf(before)],
    );
    const signed = sign(record);
    for (const file of generationFiles(folder).slice(0, 1))
      for (const one of [file, file.replace(".json", ".twin.json")])
        fs.writeFileSync(ownDir(one), writeGeneration(signed));
    if (state) commitState(linuxDisk, dir, { ...state, generation: refOf(signed) });
    return signed;
  });
}

const asIs = (record: Generation): Generation => record;
const input = (): Parameters<typeof checkFolder>[1] => ({
  path: Buffer.from(folder),
  access: person.access,
  keptHeader: null,
  expected: null,
});
const vouched = (record: Generation, access = person.access, head = headAt(folder)): string =>
  vouchingOf(record, believedOf(access), head);

beforeEach(async () => {
  fs.writeFileSync(path.join(folder, "letter.txt"), "the owner's words");
  fs.writeFileSync(path.join(folder, "large.bin"), Buffer.alloc(3 * CHUNK_BYTES, "large "));
  const { folder: id } = await lock(folder, person.owner);
  looking = await newGuest(id, "look");
  changing = await newGuest(id, "change");
  await letIn([looking, changing]);
});

describe("a guest who may look", () => {
  it("reads with a key of their own, and learns nobody's name", async () => {
    const folderKey = await keyOf(looking);
    expect(await keyOf(changing)).toEqual(folderKey);
    expect(await openHead(headAt(folder), person.access)).toEqual(folderKey);
    expect(memberName(changing.member, person.access.rootKey)).toBe("who may change");
    expect(() => memberName(changing.member, folderKey)).toThrow(expect.objectContaining({ code: "damaged" }));
  });

  it("makes no state that anybody takes for the owner's: not under their own name, the owner's, another guest's, nor with another state's signatures", async () => {
    const [first = ""] = generationFiles(folder);
    const genuine = generationAt(folder, first);
    const owner = person.access.owner.owner;
    const forgeries: readonly [string, string, (record: Generation) => Generation][] = [
      ["their own name", looking.member.id, asIs],
      ["the owner's name", owner, asIs],
      [
        "the owner's name, signed so",
        owner,
        (record) => signGeneration(record, { signer: owner, key: looking.signing }),
      ],
      [
        "a guest's who may change",
        changing.member.id,
        (record) => signGeneration(record, { signer: changing.member.id, key: looking.signing }),
      ],
      ["another state's signatures", owner, (record) => ({ ...record, signatures: genuine.signatures })],
    ];
    for (const [what, author, sign] of forgeries) {
      const forged = await seal(looking, author, sign);
      expect(vouched(forged), what).toBe("unknown");
      await expect(unlock(folder, person.access), what).rejects.toMatchObject({
        code: "unvouched",
        data: { what: "lock" },
      });
      const locked = await openLocked(directorySource(Buffer.from(folder)), {
        kind: "password",
        password: PASSWORD,
        folderPassword: null,
      });
      expect(locked.doubt, what).not.toBeNull();
      locked.close();
    }
  });

  it("puts no state of a larger number before the owner's where the state record is lost: the readers take the owner's", async () => {
    await seal(looking, person.access.owner.owner, asIs);
    for (const name of both(stateFile(folder))) fs.rmSync(ownDir(name));
    const locked = await openLocked(directorySource(Buffer.from(folder)), {
      kind: "password",
      password: PASSWORD,
      folderPassword: null,
    });
    expect([locked.generation, locked.doubt]).toEqual([1, null]);
    locked.close();
  });

  it.each(["packs", "index"])(
    "puts nothing else into an encrypted file in %s that they can encrypt as well: opening, visiting, checking and the readers refuse it",
    async (kind) => {
      const folderKey = await keyOf(looking);
      const [name = ""] = fs
        .readdirSync(ownDir(kind), { recursive: true, encoding: "utf8" })
        .filter((one) => fs.statSync(ownDir(kind, one)).size > 2 * SEALED_CHUNK_BYTES || kind === "index")
        .filter((one) => fs.statSync(ownDir(kind, one)).isFile());
      const bytes = fs.readFileSync(ownDir(kind, name));
      const header = decodeObjectHeader(bytes.subarray(0, OBJECT_HEADER_BYTES));
      const cipher = new ContentKeys({ epoch: header.epoch, key: header.key }, folderKey, header.folder).cipherFor(
        header,
      );
      const last = Math.ceil((bytes.length - OBJECT_HEADER_BYTES) / SEALED_CHUNK_BYTES) - 1;
      const chunk = bytes.subarray(OBJECT_HEADER_BYTES + last * SEALED_CHUNK_BYTES);
      const plain = Buffer.alloc(chunk.length - TAG_BYTES);
      expect(cipher.open(last, true, chunk, plain)).toBe(true);
      plain[plain.length - 1] = (plain.at(-1) ?? 0) ^ 1;
      cipher.seal(last, true, plain, chunk);
      fs.writeFileSync(ownDir(kind, name), bytes);
      // It decrypts, to the guest's words.
      expect(cipher.open(last, true, chunk, plain)).toBe(true);
      await expect(release(folder, person.access)).rejects.toMatchObject({
        code: kind === "packs" ? "files-damaged" : "damaged",
      });
      expect(await checkFolder(linuxDisk, input(), silentHooks)).toMatchObject({ ok: false });
      const locked = await openLocked(directorySource(Buffer.from(folder)), {
        kind: "password",
        password: PASSWORD,
        folderPassword: null,
      });
      const pieces = [];
      for (const entry of locked.entries.filter(({ path: names }) => String(names.at(-1)) === "large.bin"))
        for await (const piece of locked.read(entry)) pieces.push(piece.bytes);
      expect([locked.generation === null, pieces.some((piece) => piece === null)]).toContain(true);
      locked.close();
      if (kind !== "packs") return;
      // Agreed to, everything else opens, and nothing out of that file.
      await unlock(folder, person.access, { accept: ["files-damaged"] });
      expect(fs.readdirSync(folder).filter((one) => /large|letter/.test(one))).toEqual([]);
    },
  );

  it("gives themself no right: a header with another word for it is signed by nobody, also where it takes the place of both", async () => {
    const head = headAt(folder);
    const promoted = withMembersBy(head, [{ ...looking.member, may: "change" }, changing.member]);
    expect(standingOf(promoted.header, believedOf(person.access))).toBe("unknown");
    plantHead(folder, promoted);
    await expect(unlock(folder, person.access)).rejects.toMatchObject({ code: "unvouched", data: { what: "key" } });
    // What Eremos' own data kept is the owner's, and is used.
    const visit = await Visit.open(linuxDisk, {
      ...input(),
      keptHeader: writeHead(head),
      accept: [],
      account: { uid: 0, gid: 0 },
    });
    visit.close();
  });

  it("plants a way in that nobody reads: it gets no key when the ways are made anew", async () => {
    const stranger = await newGuest(headAt(folder).header.folder, "change");
    const planted = await guestSlot(
      { folder: headAt(folder).header.folder, epoch: 1, folderKey: Buffer.alloc(32, 7) },
      stranger.member.id,
      stranger.member.sealingKey,
    );
    plantHead(folder, { ...headAt(folder), slots: [...headAt(folder).slots, planted] });
    const head = headAt(folder);
    expect(head.slots.some(({ member }) => member === stranger.member.id)).toBe(false);
    const renewed = await withFolderPassword(head, person.access, await openHead(head, person.access), {
      password: "gut strings",
      hint: null,
      cost: LEAST_COST,
    });
    expect(renewed.slots.map(({ member }) => member).filter((member) => member === stranger.member.id)).toEqual([]);
    expect(
      renewed.slots
        .filter(({ kind }) => kind === "guest")
        .map(({ member }) => member)
        .sort(),
    ).toEqual([looking, changing].map(({ member }) => member.id).sort());
  });
});

/** As whoever holds no key of the owner's would write it, signed with their own. */
function withMembersBy(head: Head, members: readonly Member[]): Head {
  const own = withMembers(
    head,
    person.access,
    members,
    head.slots.filter(({ kind }) => kind === "guest"),
  );
  const { signature: _signature, ...body } = own.header;
  const message = Buffer.concat([Buffer.from("eremos/2/header\n"), canonicalJson(body)]);
  return { ...own, header: { ...own.header, signature: toBase64(signWith(looking.signing, message)) } };
}

describe("a guest who may change", () => {
  it("makes states that count as theirs, until the owner says otherwise; what they made before is the owner's once it was opened", async () => {
    // Under the owner's name it would be the owner's doing.
    expect(vouched(await seal(changing, person.access.owner.owner, asIs))).toBe("unknown");
    const theirs = await seal(changing, changing.member.id, asIs);
    expect(vouched(theirs)).toBe("member");
    await unlock(folder, person.access);
    const taken = readGeneration(fs.readFileSync(ownDir(generationFiles(folder)[0] ?? "")));
    expect(refOf(taken)).toEqual(refOf(theirs));
    expect(vouched(taken)).toBe("owner");
    const gone = { ...changing, member: { ...changing.member, until: 2 } };
    const head = withMembers(headAt(folder), person.access, [looking.member, gone.member], []);
    expect([vouched(theirs, person.access, head), vouched(taken, person.access, head)]).toEqual(["unknown", "owner"]);
  });

  it("made to stop, is not let in again by an old list of members: what Eremos' own data kept is later, and holds", async () => {
    const old = {
      head: headAt(folder),
      files: ["slots", "members"].map(
        (kind) =>
          [
            kind,
            fs.readdirSync(ownDir(kind)).map((name) => [name, fs.readFileSync(ownDir(kind, name))] as const),
          ] as const,
      ),
    };
    const before = await keyOf(changing);
    const kept = writeHead(await letIn([looking, { ...changing, member: { ...changing.member, until: 2 } }]));
    plantHead(folder, old.head);
    for (const [kind, files] of old.files)
      for (const [name, bytes] of files) fs.writeFileSync(ownDir(kind, name), bytes);
    // They still read what was sealed before: no signature takes that back.
    expect(await keyOf(changing)).toEqual(before);
    const forged = await seal(changing, changing.member.id, asIs);
    expect(forged.number).toBe(2);
    const opened = (keptHeader: Buffer | null): Promise<Visit> =>
      Visit.open(linuxDisk, { ...input(), keptHeader, accept: [], account: { uid: 0, gid: 0 } });
    await expect(opened(kept)).rejects.toMatchObject({ code: "unvouched" });
    // Without anything that knows better a newer state can't be ruled out: as FORMAT.md says.
    (await opened(null)).close();
  });

  it("their own way in is there only with their consent, and only for their password", async () => {
    const record = readGuestRecord(
      writeGuestRecord(
        await newGuestRecord(
          changing.member,
          { sealing: changing.sealing.privateKey, signing: changing.signing },
          "their own four words",
          LEAST_COST,
        ),
      ),
    );
    const keys = await openGuestRecord(record, changing.member, "their own four words");
    expect([keys.sealing, keys.signing.publicKey]).toEqual([changing.sealing.privateKey, changing.signing.publicKey]);
    await expect(openGuestRecord(record, changing.member, "another four words")).rejects.toMatchObject({
      code: "wrong-password",
    });
    // Somebody else wrote it, or it is another's.
    const planted = await newGuestRecord(
      changing.member,
      { sealing: looking.sealing.privateKey, signing: looking.signing },
      "a password they know",
      LEAST_COST,
    );
    await expect(openGuestRecord(planted, changing.member, "a password they know")).rejects.toMatchObject({
      code: "damaged",
    });
    await expect(openGuestRecord(record, looking.member, "their own four words")).rejects.toMatchObject({
      code: "damaged",
    });
  });
});

describe("a computer of the owner's", () => {
  it("that is theirs no more signs for nothing from then on; what the owner has opened since stays", async () => {
    const { note } = await unlock(folder, person.access);
    fs.writeFileSync(path.join(folder, "new.txt"), "new");
    await lock(folder, person.device, { folder: headAt(folder).header.folder, note });
    const theirs = generationAt(folder, generationFiles(folder)[0] ?? "");
    const [device] = person.access.owner.devices;
    const owner = withoutDevice(person.access.owner, person.access.rootKey, device?.id ?? "", 5);
    const without = { ...person.access, owner, devices: [] };
    expect([vouched(theirs), vouched(theirs, without)]).toEqual(["device", "unknown"]);
    await unlock(folder, person.access);
    expect(vouched(generationAt(folder, generationFiles(folder)[0] ?? ""), without)).toBe("owner");
  });

  it("of somebody else's names itself in no list that the owner did not sign", async () => {
    const stranger = await newPerson();
    const { owner } = person.access;
    const [theirs] = stranger.access.owner.devices;
    const listed = { ...owner, devices: [...owner.devices, ...(theirs ? [theirs] : [])] };
    expect(believedOf({ ...person.access, owner: listed }).owner).toBeNull();
  });
});
