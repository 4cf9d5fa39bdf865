import { damage, isEremosError } from "../../errors/eremos-error";
import {
  type Generation,
  type GenerationRef,
  MAX_GENERATION_BYTES,
  generationName,
  generationNames,
  readGeneration,
  refOf,
  writeGeneration,
} from "../../format/generation";
import { type DropRecord, MAX_DROP_BYTES, readDrop } from "../../format/drop-record";
import {
  type FolderHeader,
  type Head,
  MAX_HEADER_BYTES,
  digestOf,
  headFrom,
  readHead,
  readHeader,
  writeHeader,
} from "../../format/header";
import { type KeyRecord, MAX_KEY_BYTES, readKeyRecord } from "../../format/key-record";
import { MAX_MANIFEST_BYTES, type Manifest, decodeManifest } from "../../format/manifest";
import { MAX_MEMBER_BYTES, writeMember } from "../../format/member";
import { writeSlot } from "../../format/slot";
import type { Dir, Disk } from "../../platform/port";
import {
  type Candidate,
  type DamagedCopy,
  type HeldFolder,
  type Loaded,
  NAMES,
  allWhole,
  candidatesIn,
  commitFile,
  commitRecord,
  ensureDir,
  firstWhole,
  hasRecord,
  holdsBytes,
  readSmallFile,
  recordsIn,
  removeRecord,
  twinOf,
  within,
  writeTwins,
} from "../ground";
import { damagedStates } from "./states";
import { said, say } from "@eremos/words/core/records";

/**
 * The records of a sealed folder on disk: each with its twin and, where the folder is insured, a third copy. FORMAT.md
 * §1.
 */

/** Copies of the records that a check looks at by themselves: the state's and the keys'. */
export function damagedRecords(disk: Disk, ownDir: Dir): readonly DamagedCopy[] {
  const state = damagedStates(disk, ownDir);
  return [
    ...state,
    ...keyRecordsIn(disk, ownDir).flatMap((name) =>
      withCandidates(
        disk,
        ownDir,
        "keys",
        name.toString("latin1"),
        MAX_KEY_BYTES,
        (candidates): readonly DamagedCopy[] => {
          try {
            return allWhole(candidates, readKeyRecord, say("folders-key-record")).damaged;
          } catch (error) {
            if (isEremosError(error)) return [{ path: `keys/${name.toString("latin1")}`, reason: error.message }];
            throw error;
          }
        },
      ),
    ),
  ];
}

const RECORD_DIRECTORIES = {
  slots: NAMES.slots,
  members: NAMES.members,
  generations: NAMES.generations,
  keys: NAMES.keys,
  manifests: NAMES.manifests,
  drops: NAMES.drops,
} as const;
export type RecordDirectory = keyof typeof RECORD_DIRECTORIES;

/** The name under which the insurance keeps a further copy of a record. */
export function insuredName(directory: RecordDirectory | null, name: string): Buffer {
  return Buffer.from(directory === null ? name : `${directory}.${name}`, "latin1");
}

function insured(disk: Disk, ownDir: Dir, name: Buffer): Candidate[] {
  if (!disk.find(ownDir, NAMES.insurance)) return [];
  return [
    {
      path: `insurance/${name.toString("latin1")}`,
      read: () =>
        within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) =>
          readSmallFile(disk, dir, name, MAX_MANIFEST_BYTES),
        ),
    },
  ];
}

/** Calls `use` with every place where a record of one of the directories may be. */
function withCandidates<T>(
  disk: Disk,
  ownDir: Dir,
  directory: RecordDirectory,
  name: string,
  maxBytes: number,
  use: (candidates: readonly Candidate[]) => T,
): T {
  const third = insured(disk, ownDir, insuredName(directory, name));
  const inOwnDir = RECORD_DIRECTORIES[directory];
  if (!disk.find(ownDir, inOwnDir)) return use([{ path: `${directory}/${name}`, read: () => null }, ...third]);
  return within(disk, disk.openDir(ownDir, inOwnDir), (dir) =>
    use([...candidatesIn(disk, dir, Buffer.from(name, "latin1"), `${directory}/`, maxBytes), ...third]),
  );
}

function fileName(digest: string): string {
  return `${digest}.json`;
}

const KEPT = say("copy-in-eremos-own-data");

export interface FoundHead {
  readonly head: Head;
  readonly path: string;
  /** It is the one that Eremos' own data kept. */
  readonly isKept: boolean;
  /** Of what it names. */
  readonly damaged: readonly DamagedCopy[];
}

/**
 * Every different whole header, with what it names: the two in the folder, that of its insurance, the one that Eremos'
 * own data kept. At least one.
 * @throws EremosError `damaged` | `unknown-version`
 */
export function loadHeads(
  disk: Disk,
  ownDir: Dir,
  kept?: Uint8Array | null,
): { readonly heads: readonly FoundHead[]; readonly damaged: readonly DamagedCopy[] } {
  const own = kept ? headOrNull(kept) : null;
  const candidates = [
    ...candidatesIn(disk, ownDir, NAMES.header, "", MAX_HEADER_BYTES),
    ...insured(disk, ownDir, NAMES.header),
  ];
  if (own) candidates.push({ path: KEPT, read: () => writeHeader(own.header) });
  const { whole, damaged } = allWhole(candidates, readHeader, say("folders-header"));
  const seen = new Set<string>();
  const isNew = (header: FolderHeader): boolean => {
    const text = writeHeader(header).toString("utf8");
    return !seen.has(text) && seen.add(text) !== null;
  };
  const heads = whole
    .filter(({ record }) => isNew(record))
    .map(({ record, path }): FoundHead => {
      const lost: DamagedCopy[] = [];
      return { path, isKept: path === KEPT, head: headOnDisk(disk, ownDir, record, own, lost), damaged: lost };
    });
  return { heads, damaged };
}

function headOrNull(bytes: Uint8Array): Head | null {
  try {
    return readHead(bytes);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

function headOnDisk(disk: Disk, ownDir: Dir, header: FolderHeader, own: Head | null, damaged: DamagedCopy[]): Head {
  const kept = own ? [...own.slots.map(writeSlot), ...own.members.map(writeMember)] : [];
  return headFrom(header, (digest, kind) =>
    withCandidates(disk, ownDir, kind, fileName(digest), MAX_MEMBER_BYTES, (candidates) => [
      ...candidates.flatMap(({ path, read }) => {
        const bytes = read();
        if (bytes && digestOf(bytes) === digest) return [bytes];
        damaged.push({ path, reason: bytes ? say("it-is-not-what-header") : "missing" });
        return [];
      }),
      ...kept,
    ]),
  );
}

/** The header and everything it names, durable when it returns; what only the header before it named goes. */
export function commitHead(disk: Disk, ownDir: Dir, head: Head): void {
  const before = namedBefore(disk, ownDir);
  writeNamed(disk, ownDir, head, (dir, name, bytes) => commitRecord(disk, dir, name, bytes));
  disk.syncDir(ownDir);
  commitRecord(disk, ownDir, NAMES.header, writeHeader(head.header));
  if (disk.find(ownDir, NAMES.insurance)) {
    within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) => {
      for (const { directory, name, bytes } of namedBy(head))
        commitInsured(disk, dir, insuredName(directory, name), bytes);
      commitInsured(disk, dir, NAMES.header, writeHeader(head.header));
    });
  }
  const now = new Set([...head.header.slots, ...head.header.members]);
  for (const directory of ["slots", "members"] as const) {
    const gone = before.filter((digest) => !now.has(digest));
    if (gone.length > 0 && disk.find(ownDir, RECORD_DIRECTORIES[directory]))
      within(disk, disk.openDir(ownDir, RECORD_DIRECTORIES[directory]), (dir) =>
        gone.forEach((digest) => removeRecord(disk, dir, Buffer.from(fileName(digest)))),
      );
  }
}

function commitInsured(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  if (!holdsBytes(disk, dir, name, bytes)) commitFile(disk, dir, name, bytes);
}

function namedBefore(disk: Disk, ownDir: Dir): string[] {
  try {
    return loadHeads(disk, ownDir).heads.flatMap(({ head: { header } }) => [...header.slots, ...header.members]);
  } catch (error) {
    if (isEremosError(error)) return [];
    throw error;
  }
}

interface Named {
  readonly directory: "slots" | "members";
  readonly name: string;
  readonly bytes: Buffer;
}

function namedBy({ slots, members }: Head): Named[] {
  const of = (directory: Named["directory"], bytes: Buffer): Named => ({
    directory,
    name: fileName(digestOf(bytes)),
    bytes,
  });
  return [
    ...slots.map((slot) => of("slots", writeSlot(slot))),
    ...members.map((member) => of("members", writeMember(member))),
  ];
}

function writeNamed(disk: Disk, ownDir: Dir, head: Head, write: (dir: Dir, name: Buffer, bytes: Buffer) => void): void {
  for (const { directory, name, bytes } of namedBy(head))
    within(disk, ensureDir(disk, ownDir, RECORD_DIRECTORIES[directory]), (dir) => write(dir, Buffer.from(name), bytes));
}

/** The header of a first lock and what it names; not durable before the next barrier. */
export function writeNewHead(disk: Disk, ownDir: Dir, head: Head): void {
  writeNamed(disk, ownDir, head, (dir, name, bytes) => writeTwins(disk, dir, name, bytes));
  writeTwins(disk, ownDir, NAMES.header, writeHeader(head.header));
}

/**
 * The header of a folder as it was opened, in every place: a copy that is damaged, or that somebody put there, is
 * replaced.
 */
export function mendHead(disk: Disk, folder: HeldFolder, head: Head): void {
  const bytes = writeHeader(head.header);
  const isIn = (dir: Dir, name: Buffer, expected: Buffer): boolean =>
    [name, twinOf(name)].every((one) => holdsBytes(disk, dir, one, expected));
  const areThere = namedBy(head).every(
    ({ directory, name, bytes: its }) =>
      disk.find(folder.ownDir, RECORD_DIRECTORIES[directory]) !== null &&
      within(disk, disk.openDir(folder.ownDir, RECORD_DIRECTORIES[directory]), (dir) =>
        isIn(dir, Buffer.from(name), its),
      ),
  );
  if (!areThere || !isIn(folder.ownDir, NAMES.header, bytes)) commitHead(disk, folder.ownDir, head);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function loadGeneration(disk: Disk, ownDir: Dir, ref: GenerationRef): Loaded<Generation> {
  const loaded = loadGenerationNamed(disk, ownDir, generationName(ref));
  if (refOf(loaded.record).digest !== ref.digest)
    throw damage(said("folders-generation-record-is-not"), {
      reason: "swapped",
    });
  return loaded;
}

/** By the name of its record, which has to be its own. @throws EremosError `damaged` | `unknown-version` */
function loadGenerationNamed(disk: Disk, ownDir: Dir, name: string): Loaded<Generation> {
  return withCandidates(disk, ownDir, "generations", name, MAX_GENERATION_BYTES, (candidates) =>
    firstWhole(
      candidates,
      (bytes) => {
        const record = readGeneration(bytes);
        if (generationName(refOf(record)) !== name)
          throw damage(said("folders-generation-record-lies-under"), {
            reason: "swapped",
          });
        return record;
      },
      say("folders-generation-record"),
    ),
  );
}

/** The names of the generations' records that lie in the folder, those with the largest numbers first. */
export function generationsIn(disk: Disk, ownDir: Dir): string[] {
  if (!disk.find(ownDir, NAMES.generations)) return [];
  return within(disk, disk.openDir(ownDir, NAMES.generations), (dir) =>
    generationNames(disk.list(dir).map((name) => name.toString("latin1"))),
  );
}

/** The whole ones, and the names of those that can't be read. */
export function wholeGenerations(
  disk: Disk,
  ownDir: Dir,
): { readonly records: readonly Generation[]; readonly unreadable: readonly string[] } {
  const unreadable: string[] = [];
  const records = generationsIn(disk, ownDir).flatMap((name): Generation[] => {
    try {
      return [loadGenerationNamed(disk, ownDir, name).record];
    } catch (error) {
      if (!isEremosError(error)) throw error;
      unreadable.push(name);
      return [];
    }
  });
  return { records, unreadable };
}

/** In both its places. Not durable before the next barrier. */
export function writeGenerationRecord(disk: Disk, ownDir: Dir, record: Generation): void {
  within(disk, ensureDir(disk, ownDir, NAMES.generations), (dir) =>
    writeTwins(disk, dir, Buffer.from(generationName(refOf(record))), writeGeneration(record)),
  );
}

/** The same, durable when it returns: for one that is signed by somebody else now. */
export function commitGenerationRecord(disk: Disk, ownDir: Dir, record: Generation): void {
  within(disk, ensureDir(disk, ownDir, NAMES.generations), (dir) =>
    commitRecord(disk, dir, Buffer.from(generationName(refOf(record))), writeGeneration(record)),
  );
}

export function removeGenerationRecord(disk: Disk, ownDir: Dir, name: string): void {
  within(disk, disk.openDir(ownDir, NAMES.generations), (dir) => removeRecord(disk, dir, Buffer.from(name)));
}

/** @throws EremosError `damaged` */
export function loadManifest(disk: Disk, ownDir: Dir, digest: string): Loaded<Manifest> {
  return withCandidates(disk, ownDir, "manifests", digest, MAX_MANIFEST_BYTES, (candidates) =>
    firstWhole(candidates, (bytes) => decodeManifest(bytes, digest), say("list-what-this-state-consists")),
  );
}

export function writeManifest(disk: Disk, ownDir: Dir, digest: string, bytes: Buffer): void {
  within(disk, ensureDir(disk, ownDir, NAMES.manifests), (dir) => writeTwins(disk, dir, Buffer.from(digest), bytes));
}

/** The keys whose records are here, whole or not. */
export function keyNames(disk: Disk, ownDir: Dir): ReadonlySet<string> {
  return new Set(keyRecordsIn(disk, ownDir).map((name) => name.toString("latin1").replace(/\.json$/, "")));
}

function keyRecordsIn(disk: Disk, ownDir: Dir): Buffer[] {
  if (!disk.find(ownDir, NAMES.keys)) return [];
  return within(disk, disk.openDir(ownDir, NAMES.keys), (dir) => recordsIn(disk, dir));
}

/** Those that can be read; a damaged one shows itself when an object needs its key. */
export function loadKeyRecords(disk: Disk, ownDir: Dir): KeyRecord[] {
  return keyRecordsIn(disk, ownDir).flatMap((name): KeyRecord[] => {
    try {
      return [
        withCandidates(disk, ownDir, "keys", name.toString("latin1"), MAX_KEY_BYTES, (candidates) =>
          firstWhole(candidates, readKeyRecord, say("folders-key-record")),
        ).record,
      ];
    } catch (error) {
      if (isEremosError(error)) return [];
      throw error;
    }
  });
}

/**
 * The names of the records of what waits in the drop slot, each once, wherever a copy of it is. Without a slot nothing
 * waits.
 */
export function dropNames(disk: Disk, ownDir: Dir): string[] {
  if (!disk.find(ownDir, NAMES.drops)) return [];
  const names = within(disk, disk.openDir(ownDir, NAMES.drops), (dir) => recordsIn(disk, dir)).map((name) =>
    name.toString("latin1"),
  );
  const third = disk.find(ownDir, NAMES.insurance)
    ? within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) => disk.list(dir))
    : [];
  return [
    ...new Set([
      ...names,
      ...third
        .map((name) => name.toString("latin1"))
        .filter((name) => name.startsWith(DROP_COPY))
        .map((name) => name.slice(DROP_COPY.length)),
    ]),
  ];
}

const DROP_COPY = insuredName("drops", "").toString("latin1");

/** @throws EremosError `damaged` | `unknown-version` */
export function loadDropRecord(disk: Disk, ownDir: Dir, name: string): DropRecord {
  return withCandidates(disk, ownDir, "drops", name, MAX_DROP_BYTES, (candidates) =>
    firstWhole(candidates, (bytes) => readDropNamed(name, bytes), say("record-file-that-was-put")),
  ).record;
}

/** One that lay under another name would stay when it is taken away by its own. */
function readDropNamed(name: string, bytes: Buffer): DropRecord {
  const record = readDrop(bytes);
  if (dropRecordName(record.key) !== name)
    throw damage(said("record-file-that-was-put-in"), {
      reason: "swapped",
    });
  return record;
}

/** `key`: the id of what it opens. */
export function dropRecordName(key: string): string {
  return `${key}.json`;
}

/** Durable when it returns, in the insurance too. */
export function commitDropRecord(disk: Disk, ownDir: Dir, name: string, bytes: Buffer): void {
  within(disk, ensureDir(disk, ownDir, NAMES.drops), (dir) => commitRecord(disk, dir, Buffer.from(name), bytes));
  if (disk.find(ownDir, NAMES.insurance))
    within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) =>
      commitInsured(disk, dir, insuredName("drops", name), bytes),
    );
  disk.syncDir(ownDir);
}

/** Every copy of it, for good when it returns: the one that would be read last goes first. */
export function removeDropRecord(disk: Disk, ownDir: Dir, name: string): void {
  const remove = (directory: Buffer, its: Buffer): void => {
    if (!disk.find(ownDir, directory)) return;
    within(disk, disk.openDir(ownDir, directory), (dir) => {
      if (!hasRecord(disk, dir, its)) return;
      removeRecord(disk, dir, its);
      disk.syncDir(dir);
    });
  };
  remove(NAMES.insurance, insuredName("drops", name));
  remove(NAMES.drops, Buffer.from(name));
}

/**
 * Every record of which an insured folder keeps a third copy, by the name of that; `read` gives it where it or its twin
 * is whole.
 */
export function recordsToInsure(
  disk: Disk,
  ownDir: Dir,
): { readonly name: Buffer; readonly read: () => Buffer | null }[] {
  const header = {
    name: NAMES.header,
    read: () => wholeBytes(candidatesIn(disk, ownDir, NAMES.header, "", MAX_HEADER_BYTES), readHeader),
  };
  return [
    header,
    ...(Object.keys(RECORD_DIRECTORIES) as RecordDirectory[]).flatMap((directory) => {
      const inOwnDir = RECORD_DIRECTORIES[directory];
      if (!disk.find(ownDir, inOwnDir)) return [];
      const names =
        directory === "drops"
          ? dropNames(disk, ownDir)
          : within(disk, disk.openDir(ownDir, inOwnDir), (dir) => [
              ...new Set(disk.list(dir).map((name) => name.toString("latin1").replace(/\.twin(?=\.json$|$)/, ""))),
            ]);
      return names.map((name) => ({
        name: insuredName(directory, name),
        read: () =>
          within(disk, disk.openDir(ownDir, inOwnDir), (dir) =>
            wholeBytes(candidatesIn(disk, dir, Buffer.from(name, "latin1"), "", MAX_MANIFEST_BYTES), (bytes) =>
              requireWhole(directory, name, bytes),
            ),
          ),
      }));
    }),
  ];
}

/** Whether this is the name of such a copy. */
export function isInsuredRecord(name: string): boolean {
  return Object.keys(RECORD_DIRECTORIES).some((directory) => name.startsWith(`${directory}.`));
}

/** @throws EremosError `damaged` | `unknown-version` */
function requireWhole(directory: RecordDirectory, name: string, bytes: Buffer): void {
  if (directory === "manifests") decodeManifest(bytes, name);
  else if (directory === "keys") readKeyRecord(bytes);
  else if (directory === "generations") readGeneration(bytes);
  else if (directory === "drops") readDropNamed(name, bytes);
  else if (`${digestOf(bytes)}.json` !== name) throw damage(said("it-is-not-what-its"));
}

/**
 * Writes records of one directory anew where a copy of them is missing or damaged and another one is whole. Returns how
 * many were.
 */
export function mendCopies(disk: Disk, ownDir: Dir, directory: RecordDirectory): number {
  const inOwnDir = RECORD_DIRECTORIES[directory];
  if (!disk.find(ownDir, inOwnDir)) return 0;
  return within(disk, disk.openDir(ownDir, inOwnDir), (dir) => {
    const names = [
      ...new Set(disk.list(dir).map((name) => name.toString("latin1").replace(/\.twin(?=\.json$|$)/, ""))),
    ];
    return names.filter((name) => {
      const bytes = withCandidates(disk, ownDir, directory, name, MAX_MANIFEST_BYTES, (candidates) =>
        wholeBytes(candidates, (found) => requireWhole(directory, name, found)),
      );
      const broken = [Buffer.from(name, "latin1"), twinOf(Buffer.from(name, "latin1"))].filter(
        (one) => bytes && !holdsBytes(disk, dir, one, bytes),
      );
      for (const one of broken) if (bytes) commitFile(disk, dir, one, bytes);
      return broken.length > 0;
    }).length;
  });
}

function wholeBytes(candidates: readonly Candidate[], check: (bytes: Buffer) => unknown): Buffer | null {
  for (const { read } of candidates) {
    const bytes = read();
    try {
      if (!bytes) continue;
      check(bytes);
      return bytes;
    } catch (error) {
      if (!isEremosError(error)) throw error;
    }
  }
  return null;
}
