import { fromBase64, randomBytes, sha256, toBase64, wipe } from "../../crypto/bytes";
import { type KeyPair, generateKeyPair } from "../../crypto/envelope";
import { EremosError } from "../../errors/eremos-error";
import {
  type Generation,
  type GenerationReason,
  type GenerationRef,
  type Signature,
  newGenerationFrame,
  sealFacts,
  signGeneration,
  vouchingOf,
} from "../../format/generation";
import { type Head, createHead, readHead } from "../../format/header";
import { newBatch, newId } from "../../format/ids";
import { type KeyRecord, newKeyRecord, writeKeyRecord } from "../../format/key-record";
import { type ManifestEntry, encodeManifest } from "../../format/manifest";
import { type KeyName, type Purpose, sealedLength } from "../../format/object";
import { deviceId } from "../../format/owner";
import type { StateRecord } from "../../format/state";
import { type EncodedTree, type PackInfo, TreeReader, sourceOf } from "../../format/tree";
import { type Dir, type Disk, HOLDS_ALL, type Stat } from "../../platform/port";
import {
  type HeldFolder,
  type Hooks,
  Meter,
  NAMES,
  type Survey,
  displayPath,
  ensureDir,
  holdsAll,
  holdsNames,
  metaOf,
  ownersOf,
  readIfWhole,
  withFile,
  within,
  writeTwins,
} from "../ground";
import type { Hiding } from "../visibility";
import {
  FolderKeys,
  ObjectWriter,
  believedOf,
  commitState,
  loadGeneration,
  loadHeads,
  loadKeyRecords,
  mendHead,
  ownerSignature,
  parentsFrom,
  writeGenerationRecord,
  writeManifest,
  writeNewHead,
} from "../records";
import { openHeads } from "./open-sealed";
import { contentComparer, loadTree, packReader } from "./load-tree";
import type { SealingInput } from "./sealing-input";
import { readOpened } from "./opened";
import { PackWriter } from "./pack-writer";
import { PackReaders } from "./restore-tree";
import { type Base, type SealInput, type SealedTree, sealTree } from "./seal-tree";
import type { Sealed } from "./as-sealed";
import { said } from "@eremos/words/core/contents";

/** Everything a lock writes with: keys, header, and what came before. Whoever made it wipes the keys. */
export interface Making {
  readonly keys: FolderKeys;
  /** Under which contents are sealed. */
  readonly keyName: KeyName;
  readonly keyRecord: KeyRecord | null;
  readonly head: Head;
  readonly isNew: boolean;
  readonly publicKey: string;
  readonly base: StateRecord | null;
  /** Of everything that is written. */
  readonly batch: string;
}

export async function prepare(
  disk: Disk,
  folder: HeldFolder,
  input: SealingInput,
  base: StateRecord | null,
): Promise<Making> {
  const batch = newBatch();
  if (!base || input.rekey) return prepareFirst(input, base, batch);
  const common = { isNew: false, base, batch };
  if (input.signer.by === "owner") {
    const { head, keys } = await openHeads(disk, folder.ownDir, input.keptHeader ?? null, {
      ...input.signer,
      folderKey: null,
      devices: [input.signer.device],
    });
    // What was put beside an open folder is no key of its owner's: nothing is sealed to it.
    if (keys.standing !== "unknown")
      return { ...common, head, keys, keyName: keys.present.name, keyRecord: null, publicKey: head.header.publicKey };
    keys.wipe();
    throw new EremosError("unvouched", said("nobody-known-stands-behind-key", { path: displayPath(input.path) }), {
      what: "key",
    });
  }
  if (!input.note) {
    throw new EremosError("needs-sign-in", said("this-computer-has-no-record", { path: displayPath(input.path) }));
  }
  const head = knownHead(disk, folder, input.note.publicKey, input.keptHeader ?? null);
  const secret = randomBytes(32);
  const keyName = { epoch: head.header.epoch, key: newId() };
  const { publicKey } = head.header;
  const keyRecord = await newKeyRecord({ folder: input.folder, ...keyName, batch }, secret, fromBase64(publicKey, 32));
  return { ...common, head, keys: FolderKeys.of(input.folder, keyName, secret), keyName, keyRecord, publicKey };
}

/**
 * Of a folder whose key is not at hand: what Eremos' own data kept, or one with the public key that is known here.
 * @throws EremosError `unvouched`
 */
function knownHead(disk: Disk, folder: HeldFolder, publicKey: string, kept: Buffer | null): Head {
  if (kept) return readHead(kept);
  const found = loadHeads(disk, folder.ownDir).heads.find(({ head }) => head.header.publicKey === publicKey);
  if (found) return found.head;
  throw new EremosError("unvouched", said("header-in-is-not-one", { path: displayPath(folder.path) }), { what: "key" });
}

/** A folder key of its own: for a first lock, and in the place of a key that nobody known stood behind. */
async function prepareFirst(input: SealingInput, base: StateRecord | null, batch: string): Promise<Making> {
  const { signer } = input;
  const folderKey = randomBytes(32);
  const pair: KeyPair = await generateKeyPair();
  const writer =
    signer.by === "owner"
      ? { by: "owner" as const, rootKey: signer.rootKey, password: signer.password }
      : { by: "device" as const, device: signer.device };
  const head = await createHead({ folder: input.folder, owner: signer.owner, folderKey, pair, writer });
  wipe(pair.privateKey);
  const keyName = { epoch: head.header.epoch, key: null };
  return {
    keys: FolderKeys.of(input.folder, keyName, folderKey),
    keyName,
    keyRecord: null,
    head,
    isNew: true,
    publicKey: head.header.publicKey,
    base,
    batch,
  };
}

/** What a lock has sealed, in memory; on disk once its generation is written. */
export interface SealedContent {
  readonly tree: TreeReader;
  readonly sealed: SealedTree;
  /** The generation of the base when nothing changed. */
  readonly record: Generation;
}

export interface SealingOf {
  readonly disk: Disk;
  readonly folder: HeldFolder;
  readonly input: SealingInput;
  readonly making: Making;
  /** What of an open folder is sealed already. */
  readonly opened: Base | null;
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
  const { disk, folder, making, surveyed, hooks } = of;
  const purpose = purposeOf(of, state);
  if (!making.isNew) mendHead(disk, folder, making.head);
  const writer = new PackWriter(disk, folder.ownDir, making.keys.content(making.keyName), purpose);
  const packs = base ? readersOf(of, base.tree) : null;
  try {
    const meter = new Meter(hooks, "sealing", surveyed.files, surveyed.bytes);
    const holding = disk.holds(folder.ownDir);
    const sealed = sealTree(disk, folder.dir, {
      base,
      holding,
      writer,
      meter,
      room,
      widen: widener(disk, folder, state, onWiden),
      sameContent: sameAsBase(of, base, packs),
      rootName: folder.name,
      rootMeta: base?.mixed
        ? base.tree.root.meta
        : metaOf(surveyed.root, {
            xattrs: disk.xattrs(folder.dir),
            owners: ownersOf(disk),
            before: base?.tree.root.meta ?? null,
            holding,
            mode: ownMode(surveyed.root, state),
          }),
    });
    hooks.progress({
      phase: "making-durable",
      files: surveyed.files,
      filesTotal: surveyed.files,
      bytes: surveyed.bytes,
      bytesTotal: surveyed.bytes,
    });
    if (base && !sealed.changed && state.generation) {
      // The same tree, numbered as its entries were taken just now: an index that a visit appended to has other
      // numbers.
      const tree = new TreeReader(sourceOf(sealed.encoded.bytes), sealed.encoded.record);
      return { sealed, tree, record: loadGeneration(disk, folder.ownDir, state.generation).record };
    }
    writeKeysAndHead(of, purpose.number);
    const writing = writingOf(of, purpose);
    try {
      return {
        sealed,
        ...writeGenerationOf(writing, sealed.encoded, parentsFrom(of.disk, of.folder.ownDir, state.generation)),
      };
    } finally {
      wipe(writing.signature.key.privateKey);
    }
  } finally {
    packs?.closeAll();
    writer.close();
  }
}

function purposeOf({ input, making }: SealingOf, { next }: StateRecord): Purpose {
  return { folder: input.folder, number: next?.number ?? 1, batch: making.batch };
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
    now = commitState(disk, folder.ownDir, {
      ...now,
      modes: [...now.modes, { dev: String(stat.dev), ino: String(stat.ino), mode: stat.mode }],
    });
    onWiden(now);
    disk.setMode(dir, name, stat.mode | bits);
  };
}

function readersOf({ disk, folder, input, making }: SealingOf, tree: TreeReader): PackReaders {
  return new PackReaders((number) => packReader(disk, folder.ownDir, input.folder, tree, making.keys, number));
}

/**
 * Where identities can't be trusted, or nobody knows them, a file is unchanged when its content is. Without the owner's
 * keys everything is sealed anew.
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
      sealed: {
        tree: content.tree,
        identities,
        moved: new Map(),
        sameContent: null,
        refusesWriters: !of.input.inUseAnyway,
        mixed,
      },
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
    sealed: {
      tree: content.tree,
      identities,
      moved: new Map(),
      sameContent,
      refusesWriters: !of.input.inUseAnyway,
      mixed,
    },
    close: () => packs.closeAll(),
  };
}

/**
 * What was sealed when the folder was opened, if it is what the data directory remembers; else everything counts as
 * changed.
 */
export function loadOpened(disk: Disk, ownDir: Dir, digest: string): Base | null {
  const bytes = readIfWhole(disk, ownDir, NAMES.opened, Number.MAX_SAFE_INTEGER);
  if (!bytes || sha256(bytes).toString("hex") !== digest) return null;
  return { ...readOpened(bytes), mixed: false };
}

/** Who writes a generation, and with what. Whoever made it wipes the signature's key. */
export interface Writing {
  readonly disk: Disk;
  readonly ownDir: Dir;
  readonly purpose: Purpose;
  /** The folder's ordinary path. */
  readonly place: Buffer;
  readonly keys: FolderKeys;
  readonly keyName: KeyName;
  readonly why: GenerationReason;
  /** Whose state it is. */
  readonly author: string;
  /** On which computer it is made. */
  readonly device: string | null;
  readonly signature: Signature;
}

function writingOf({ disk, folder, input, making }: SealingOf, purpose: Purpose): Writing {
  const { signer } = input;
  const { keys, keyName } = making;
  const device = deviceId(signer.by === "owner" ? signer.device : signer.device.publicKey);
  // A copy, since it is wiped when the generation is written.
  const signature =
    signer.by === "owner"
      ? ownerSignature(signer)
      : { signer: device, key: { ...signer.device, privateKey: Buffer.from(signer.device.privateKey) } };
  return {
    disk,
    ownDir: folder.ownDir,
    purpose,
    place: input.path,
    keys,
    keyName,
    why: "lock",
    author: signer.owner.owner,
    device,
    signature,
  };
}

/**
 * Index, manifest and generation record. Not durable before the next barrier; it counts once the state record names it.
 */
export function writeGenerationOf(
  of: Writing,
  encoded: EncodedTree,
  parents: readonly GenerationRef[],
): Pick<SealedContent, "tree" | "record"> {
  const { disk, ownDir, purpose, keys, keyName } = of;
  const index = new ObjectWriter(disk, ownDir, "index", keys.content(keyName), purpose);
  try {
    index.append(encoded.bytes);
    const tree = new TreeReader(sourceOf(encoded.bytes), encoded.record);
    return { tree, record: writeRecordOf(of, [wholeSegment(index.finish())], encoded.record, tree, parents) };
  } finally {
    index.close();
  }
}

/** A segment that is written, as a generation names it. */
export interface WrittenSegment extends PackInfo {
  readonly used: number;
}

function wholeSegment(info: PackInfo): WrittenSegment {
  return { object: info.object, header: info.header, length: info.length, digest: info.digest, used: info.length };
}

/** Manifest and record of a generation whose index is written already. */
export function writeRecordOf(
  of: Writing,
  segments: readonly WrittenSegment[],
  record: EncodedTree["record"],
  tree: Pick<TreeReader, "packs" | "files" | "bytes">,
  parents: readonly GenerationRef[],
): Generation {
  const {
    disk,
    ownDir,
    purpose: { folder, number },
    keys,
    keyName,
    place,
    why,
    author,
    device,
    signature,
  } = of;
  const manifest = encodeManifest([
    ...segments.map((segment) => entryOf("index", segment)),
    ...tree.packs().map((pack) => entryOf("pack", pack)),
  ]);
  writeManifest(disk, ownDir, manifest.digest, manifest.bytes);
  const generation = signGeneration(
    {
      ...newGenerationFrame(),
      folder,
      number,
      parents: parents.map((ref) => ({ number: ref.number, digest: ref.digest })),
      ...keyName,
      author,
      device,
      index: {
        segments: segments.map(({ header, length, used }) => ({ header: toBase64(header), length, used })),
        record,
      },
      manifest: manifest.digest,
      sealed: sealFacts(
        { place, system: disk.system, at: Date.now(), why, files: tree.files, bytes: tree.bytes },
        keys.secret(keyName),
        folder,
        number,
      ),
    },
    signature,
  );
  writeGenerationRecord(disk, ownDir, generation);
  return generation;
}

function entryOf(kind: ManifestEntry["kind"], { object, length, digest }: PackInfo): ManifestEntry {
  return { object, kind, length: sealedLength(length), digest };
}

/**
 * What a generation needs besides itself: the key it is sealed with while nobody is signed in, and the first time the
 * header.
 */
function writeKeysAndHead({ disk, folder, making }: SealingOf, number: number): void {
  const { keyRecord, head, isNew, base } = making;
  if (keyRecord && !loadKeyRecords(disk, folder.ownDir).some(({ key }) => key === keyRecord.key)) {
    within(disk, ensureDir(disk, folder.ownDir, NAMES.keys), (dir) =>
      writeTwins(disk, dir, Buffer.from(`${keyRecord.key}.json`), writeKeyRecord(keyRecord)),
    );
  }
  if (isNew && number === (base?.generation?.number ?? 0) + 1) writeNewHead(disk, folder.ownDir, head);
}

/**
 * What of an open folder is sealed already. Read under the folder's lock: before, another lock might have swept it
 * away. Where nobody remembers what was opened (it was cut off), and the disk holds less than the sealed copy, that
 * copy itself tells the rest. @throws EremosError `needs-sign-in` where it can't be read
 */
export function sealedBefore(
  disk: Disk,
  { ownDir }: HeldFolder,
  { note, signer }: SealingInput,
  { base, keys, head, isNew }: Making,
): Base | null {
  const opened = base && note ? loadOpened(disk, ownDir, note.opened) : null;
  const holding = opened || !base?.generation || base.mixed || isNew ? HOLDS_ALL : disk.holds(ownDir);
  if (holdsAll(holding) && holdsNames(holding)) return opened;
  if (signer.by !== "owner" || !base?.generation)
    throw new EremosError("needs-sign-in", said("this-folders-opening-was-cut"));
  const { record } = loadGeneration(disk, ownDir, base.generation);
  if (vouchingOf(record, believedOf({ ...signer, devices: [signer.device] }), head) === "unknown")
    throw new EremosError("unvouched", said("this-folders-opening-was-cut-off"), { what: "lock" });
  return {
    tree: loadTree(disk, ownDir, record, keys).tree,
    identities: null,
    mixed: false,
    hasHeldNames: !holdsNames(holding),
  };
}
