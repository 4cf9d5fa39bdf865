import { fromBase64, randomBytes, sha256, toBase64, wipe } from "../crypto/bytes";
import { type KeyPair, generateKeyPair } from "../crypto/envelope";
import { EremosError } from "../errors/eremos-error";
import {
  FOLDER_KEY_NAME,
  type Generation,
  type GenerationBody,
  type KeyRecord,
  generationDigest,
  sealGenerationKey,
  sealPlace,
  signGeneration,
  vouchFor,
  writeGeneration,
  writeKeyRecord,
} from "../format/generation";
import { type FolderHeader, createHeader, readHeader, writeHeader } from "../format/header";
import type { StateRecord } from "../format/state";
import { type EncodedTree, TreeReader, sourceOf } from "../format/tree";
import type { Dir, Disk, Stat } from "../platform/port";
import { withFile, within } from "./handles";
import type { Hiding } from "./hide";
import { type Hooks, Meter } from "./hooks";
import { FolderKeys } from "./keys";
import { openHeaders } from "./open-sealed";
import { keepHeader } from "./change-owner";
import { contentComparer, packReader } from "./load-tree";
import type { LockInput } from "./lock";
import { ObjectWriter } from "./object-io";
import { readOpened } from "./opened";
import { PackWriter } from "./pack-writer";
import { eachObject } from "./recover";
import { PackReaders } from "./restore-tree";
import { type Base, type SealInput, type SealedTree, sealTree } from "./seal-tree";
import type { Sealed } from "./staging";
import { removeEntry } from "./staging";
import { type Survey, metaOf } from "./survey";
import {
  type HeldFolder,
  NAMES,
  commitState,
  displayPath,
  ensureDir,
  generationName,
  loadGeneration,
  loadHeaders,
  loadKeyRecords,
  readSmallFile,
} from "./vault";

/** Everything a lock writes with: keys, header, and what came before. Whoever made it wipes the keys. */
export interface Making {
  readonly keys: FolderKeys;
  readonly keyName: string;
  readonly keyRecord: KeyRecord | null;
  readonly header: FolderHeader;
  readonly isNew: boolean;
  readonly publicKey: string;
  readonly base: StateRecord | null;
}

export async function prepare(
  disk: Disk,
  folder: HeldFolder,
  input: LockInput,
  base: StateRecord | null,
): Promise<Making> {
  if (!base || input.rekey) return prepareFirst(input, base);
  const common = { isNew: false, base };
  if (input.signer.by === "owner") {
    const { header, keys } = await openHeaders(disk, folder.vault, input.keptHeader ?? null, {
      ...input.signer,
      folderKey: null,
      devices: [input.signer.device],
    });
    // What was put beside an open folder is no key of its owner's: nothing is sealed to it.
    if (keys.standing !== "unknown")
      return { ...common, header, keys, keyName: FOLDER_KEY_NAME, keyRecord: null, publicKey: header.publicKey };
    keys.wipe();
    throw new EremosError(
      "unvouched",
      `Nobody known stands behind the key that lies in ${displayPath(input.path)}: somebody has exchanged it while the folder lay open. Nothing was locked with it, and everything is at its place. Release the folder, and lock it anew.`,
      { what: "key" },
    );
  }
  if (!input.note) {
    throw new EremosError(
      "needs-sign-in",
      `This computer has no record that ${displayPath(input.path)} lies open, so it can't be locked while nobody is signed in. Nothing was touched; sign in first.`,
    );
  }
  const secret = randomBytes(32);
  const keyName = toBase64(randomBytes(16));
  const keyRecord = await sealGenerationKey(input.folder, keyName, secret, fromBase64(input.note.publicKey, 32));
  const header = knownHeader(disk, folder, input.note.publicKey, input.keptHeader ?? null);
  return {
    ...common,
    header,
    keys: FolderKeys.of(input.folder, new Map([[keyName, secret]])),
    keyName,
    keyRecord,
    publicKey: input.note.publicKey,
  };
}

/** Of a folder whose key is not at hand: what Eremos' own data kept, or one with the public key that is known here. @throws EremosError `unvouched` */
function knownHeader(disk: Disk, folder: HeldFolder, publicKey: string, kept: Buffer | null): FolderHeader {
  if (kept) return readHeader(kept);
  const found = loadHeaders(disk, folder.vault).records.find(({ record }) => record.publicKey === publicKey);
  if (found) return found.record;
  throw new EremosError(
    "unvouched",
    `The header in ${displayPath(folder.path)} is not the one that this computer knows: somebody has exchanged it while the folder lay open. Nothing was locked, and everything is at its place. Sign in, release the folder, and lock it anew.`,
    { what: "key" },
  );
}

/** A folder key of its own: for a first lock, and in the place of a key that nobody known stood behind. */
async function prepareFirst(input: LockInput, base: StateRecord | null): Promise<Making> {
  const { signer } = input;
  const folderKey = randomBytes(32);
  const pair: KeyPair = await generateKeyPair();
  const writer =
    signer.by === "owner"
      ? { by: "owner" as const, rootKey: signer.rootKey, password: signer.password }
      : { by: "device" as const, device: signer.device };
  const header = await createHeader({ folder: input.folder, owner: signer.owner, folderKey, pair, writer });
  wipe(pair.privateKey);
  const keys = FolderKeys.of(input.folder, new Map([[FOLDER_KEY_NAME, folderKey]]));
  return { keys, keyName: FOLDER_KEY_NAME, keyRecord: null, header, isNew: true, publicKey: header.publicKey, base };
}

/** What a lock has sealed, in memory; on disk once its generation is written. */
export interface SealedContent {
  readonly tree: TreeReader;
  readonly sealed: SealedTree;
  /** The generation of the base when nothing changed. */
  readonly generation: number;
  readonly digest: string;
  readonly index: string;
}

export interface SealingOf {
  readonly disk: Disk;
  readonly folder: HeldFolder;
  readonly input: LockInput;
  readonly making: Making;
  readonly surveyed: Pick<Survey, "root" | "entries" | "files" | "bytes" | "largest">;
  readonly hiding: Hiding;
  readonly hooks: Hooks;
}

/**
 * Packs, index, generation record and, the first time, the header. Nothing of it counts before a state record names it.
 * `state` is the record on disk; modes that are widened on the way are added to it.
 */
export function sealContent(
  of: SealingOf,
  base: Base | null,
  state: StateRecord,
  room: number,
  onWiden: (state: StateRecord) => void,
): SealedContent {
  const { disk, folder, input, making, surveyed, hooks } = of;
  const number = state.next ?? 1;
  if (!making.isNew) keepHeader(disk, folder, making.header);
  const writer = new PackWriter(disk, folder.vault, making.keys.content(making.keyName), input.folder, number);
  const packs = base ? readersOf(of, base.tree) : null;
  try {
    const meter = new Meter(hooks, "sealing", surveyed.files, surveyed.bytes);
    const sealed = sealTree(disk, folder.dir, {
      base,
      writer,
      meter,
      room,
      widen: widener(disk, folder, state, onWiden),
      sameContent: sameAsBase(of, base, packs),
      rootName: folder.name,
      rootMeta: base?.mixed
        ? base.tree.root.meta
        : { ...metaOf(surveyed.root, disk.xattrs(folder.dir)), mode: ownMode(surveyed.root, state) },
    });
    hooks.progress({
      phase: "making-durable",
      files: surveyed.files,
      filesTotal: surveyed.files,
      bytes: surveyed.bytes,
      bytesTotal: surveyed.bytes,
    });
    if (base && !sealed.changed) {
      const { record } = loadGeneration(disk, folder.vault, state.generation);
      return {
        sealed,
        tree: base.tree,
        generation: state.generation,
        digest: generationDigest(record),
        index: record.index.object,
      };
    }
    writeKeysAndHeader(of, number);
    return { sealed, ...writeGenerationOf(writingOf(of), sealed.encoded, number, state.generation) };
  } finally {
    packs?.closeAll();
    writer.close();
  }
}

/** The one it had before it was closed to others. */
function ownMode({ dev, ino, mode }: Stat, { modes }: StateRecord): number {
  return modes.find((known) => known.dev === String(dev) && known.ino === String(ino))?.mode ?? mode;
}

/** Notes an entry's mode in the state record, durably, before changing it: recovery sets it back. */
function widener(
  disk: Disk,
  folder: HeldFolder,
  state: StateRecord,
  onWiden: (state: StateRecord) => void,
): SealInput["widen"] {
  let now = state;
  return (dir, name, stat, bits) => {
    now = commitState(disk, folder.vault, {
      ...now,
      modes: [...now.modes, { dev: String(stat.dev), ino: String(stat.ino), mode: stat.mode }],
    });
    onWiden(now);
    disk.setMode(dir, name, stat.mode | bits);
  };
}

function readersOf({ disk, folder, input, making }: SealingOf, tree: TreeReader): PackReaders {
  return new PackReaders((number) => packReader(disk, folder.vault, input.folder, tree, making.keys, number));
}

/**
 * Where identities can't be trusted, or nobody knows them, a file is unchanged when its content is. Without the owner's keys everything is
 * sealed anew.
 */
function sameAsBase(
  { disk, folder, input }: SealingOf,
  base: Base | null,
  packs: PackReaders | null,
): SealInput["sameContent"] {
  if (disk.identifies(folder.dir) && base?.identities !== null) return null;
  if (input.signer.by !== "owner" || !packs) return () => false;
  return contentComparer(disk, packs);
}

/** How the plain copy is compared with the sealed one before it goes. */
export function sealedFor(
  of: SealingOf,
  content: SealedContent,
  mixed: boolean,
): { readonly sealed: Sealed; readonly close: () => void } {
  const { disk, folder } = of;
  const { identities } = content.sealed;
  if (disk.identifies(folder.dir))
    return {
      sealed: { tree: content.tree, identities, moved: new Map(), sameContent: null, mixed },
      close: () => undefined,
    };
  const packs = readersOf(of, content.tree);
  const compare = contentComparer(disk, packs);
  const sameContent: Sealed["sameContent"] = (dir, entry) => {
    return withFile(disk, disk.openRead(dir, entry.name), (file) => {
      return disk.statOpen(file).size === entry.size && compare(file, entry);
    });
  };
  return {
    sealed: { tree: content.tree, identities, moved: new Map(), sameContent, mixed },
    close: () => packs.closeAll(),
  };
}

/** What was sealed when the folder was opened, if it is what the data directory remembers; else everything counts as changed. */
export function loadOpened(disk: Disk, vault: Dir, digest: string): Base | null {
  const bytes = readSmallFile(disk, vault, NAMES.opened, Number.MAX_SAFE_INTEGER);
  if (!bytes || sha256(bytes).toString("hex") !== digest) return null;
  return { ...readOpened(bytes), mixed: false };
}

/** Who writes a generation, and with what. */
export interface Writing {
  readonly disk: Disk;
  readonly folder: HeldFolder;
  readonly id: string;
  /** The folder's ordinary path. */
  readonly place: Buffer;
  readonly keys: FolderKeys;
  readonly keyName: string;
  readonly made: GenerationBody["made"];
  readonly stamp: (body: GenerationBody) => Generation;
}

function writingOf({ disk, folder, input, making }: SealingOf): Writing {
  const { signer } = input;
  const { keys, keyName } = making;
  return {
    disk,
    folder,
    id: input.folder,
    place: input.path,
    keys,
    keyName,
    made: signer.by === "owner" ? "signed-in" : "signed-out",
    stamp: (body) => (signer.by === "owner" ? vouchFor(body, keys.folderKey) : signGeneration(body, signer.device)),
  };
}

/** Index and generation record. Not durable before the next barrier; it counts once the state record names it. */
export function writeGenerationOf(
  of: Writing,
  encoded: EncodedTree,
  number: number,
  parent: number,
): Omit<SealedContent, "sealed"> {
  const { disk, folder, id, keys, keyName } = of;
  const index = new ObjectWriter(disk, folder.vault, "index", keys.content(keyName), id, number);
  try {
    index.append(encoded.bytes);
    const { object, digest, length } = index.finish();
    const record = of.stamp({
      format: "eremos-generation",
      version: 1,
      folder: id,
      generation: number,
      parent:
        parent === 0
          ? null
          : { generation: parent, digest: generationDigest(loadGeneration(disk, folder.vault, parent).record) },
      key: keyName,
      index: { object, digest: toBase64(digest), length, record: encoded.record },
      place: sealPlace(of.place, keys.secret(keyName), id),
      made: of.made,
    });
    for (const copy of [false, true])
      writeInto(disk, folder.vault, NAMES.generations, generationName(number, copy), writeGeneration(record));
    return {
      tree: new TreeReader(sourceOf(encoded.bytes), encoded.record),
      generation: number,
      digest: generationDigest(record),
      index: object,
    };
  } finally {
    index.close();
  }
}

/** What a generation needs besides itself: the key it is sealed with while nobody is signed in, and the first time the header. */
function writeKeysAndHeader({ disk, folder, making }: SealingOf, number: number): void {
  const { keyRecord, header, isNew, base } = making;
  if (keyRecord && !loadKeyRecords(disk, folder.vault).some(({ key }) => key === keyRecord.key)) {
    writeInto(
      disk,
      folder.vault,
      NAMES.keys,
      Buffer.from(`${number}-${keyRecord.key}.json`),
      writeKeyRecord(keyRecord),
    );
  }
  if (isNew && number === (base?.generation ?? 0) + 1)
    for (const name of [NAMES.header, NAMES.headerCopy]) writeFile(disk, folder.vault, name, writeHeader(header));
}

/** What of an open folder is sealed already. Read under the folder's lock: before, another lock might have swept it away. */
export function sealedBefore({ disk, folder, input, making }: SealingOf): Base | null {
  return making.base && input.note ? loadOpened(disk, folder.vault, input.note.opened) : null;
}

function writeInto(disk: Disk, vault: Dir, dirName: Buffer, name: Buffer, bytes: Buffer): void {
  within(disk, ensureDir(disk, vault, dirName), (dir) => {
    writeFile(disk, dir, name, bytes);
  });
}

/** Writes without making durable: the barrier before the next state record does that for all at once. */
export function writeFile(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  removeEntry(disk, dir, name);
  withFile(disk, disk.create(dir, name, 0o600), (file) => {
    disk.write(file, bytes, 0, bytes.length, 0);
  });
}

/** This generation is kept, with the records of `earlier` ones; of objects, what is named. */
export function sweep(
  disk: Disk,
  vault: Dir,
  index: string,
  generation: number,
  objects: Iterable<string>,
  earlier: readonly number[] = [],
): void {
  const used = new Set([index, ...objects].map((object) => Buffer.from(object, "base64url").toString("hex")));
  eachObject(disk, vault, (dir, name) => {
    if (!used.has(name.toString("latin1"))) disk.unlink(dir, name);
  });
  within(disk, disk.openDir(vault, NAMES.generations), (generations) => {
    const named = [generation, ...earlier].flatMap((number) => [
      generationName(number, false),
      generationName(number, true),
    ]);
    for (const name of disk.list(generations))
      if (!named.some((kept) => kept.equals(name))) disk.unlink(generations, name);
  });
}
