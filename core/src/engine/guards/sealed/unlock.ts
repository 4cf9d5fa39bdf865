import { sha256, wipe } from "../../../crypto/bytes";
import { EremosError, fromSystemError, stopped } from "../../../errors/eremos-error";
import {
  type Generation,
  generationDigest,
  isSignedFor,
  openFacts,
  ordinaryPlace,
  refOf,
  signGeneration,
} from "../../../format/generation";
import { type Head, adoptHead, writeHead } from "../../../format/header";
import { newBatch } from "../../../format/ids";
import { boxedKeyRecord, writeKeyRecord } from "../../../format/key-record";
import type { StateRecord } from "../../../format/state";
import type { DirEntry, EncodedTree, TreeReader } from "../../../format/tree";
import { type Dir, type Disk, HOLDS_ALL, type Holding } from "../../../platform/port";
import { amountIn, numberAfter, openFileByFile } from "./file-by-file";
import {
  type LoadedTree,
  type OpenNote,
  PackReaders,
  type Restored,
  type SealedInput,
  type Strategy,
  bytesForWhole,
  chooseStrategy,
  loadTree,
  openSealed,
  packReader,
  readOpened,
  restoreTree,
  sweepKeeping,
  writeOpened,
} from "../../contents";
import { refuseWaitingDrops, takeOutDrops } from "../../slot";
import {
  FileIds,
  type HeldFolder,
  type Hooks,
  Meter,
  NAMES,
  OWN_DIR_NAME,
  closeTop,
  commitFile,
  commitRecord,
  displayPath,
  ensureDir,
  fileIdOf,
  hasOtherForms,
  holdsAll,
  holdsAttribute,
  holdsNames,
  readSmallFile,
  restoreModes,
  restoreTopMode,
  takeBack,
  topModeOf,
  topModes,
  withHeldNames,
  within,
} from "../../ground";
import { removeSigns, showAtOrdinaryPath } from "../../visibility";
import {
  type FolderKeys,
  type OwnerAccess,
  believedOf,
  commitGenerationRecord,
  commitState,
  deviceAtWork,
  loadState,
  mendHead,
  ownerSignature,
} from "../../records";
import { dismantle, moveBack, recoverHeld } from "./recover-sealed";
import type { InHand, Unlocked } from "../guard";
import { said, say } from "@eremos/words/core/guards";

/** What opening takes. */
export interface UnsealInput extends SealedInput {
  /** For its owner's account alone, and a single file not at its place: it is about to be locked in another way. */
  readonly closed?: boolean;
  /** How many earlier states stay beside the last one. */
  readonly keepEarlier?: number;
}

/** Longer than a tick of the file system's clock: an edit after this has a status time of its own. */
const CLOCK_TICK_MS = 20;

/**
 * Opens a sealed folder in place. The sealed copy stays beside the opened one, where there is room for both. @throws
 * EremosError
 */
export async function unsealFolder(disk: Disk, hand: InHand, input: UnsealInput, hooks: Hooks): Promise<Unlocked> {
  return openThen(disk, hand, input, hooks, false, (folder, opened) => {
    const bytes = writeOpened(opened.index.bytes, opened.index.record, opened.identities, opened.hasHeldNames);
    commitFile(disk, folder.ownDir, NAMES.opened, bytes);
    commitState(disk, folder.ownDir, {
      ...opened.state,
      state: "open",
      next: null,
      staging: null,
      modes: topModes(disk, folder.dir, opened.state.modes),
      mixed: false,
      times: null,
    });
    return { publicKey: opened.head.header.publicKey, opened: sha256(bytes).toString("hex") };
  });
}

/**
 * Takes protection off for good: an ordinary folder, exactly as before. Needs the owner only when the folder is sealed.
 */
export async function releaseSealed(disk: Disk, hand: InHand, input: UnsealInput, hooks: Hooks): Promise<Unlocked> {
  return openThen(disk, hand, input, hooks, true, (folder, { state }) => {
    refuseWaitingDrops(disk, folder.ownDir);
    dismantle(disk, folder, state);
    return null;
  });
}

/**
 * Release of a folder that lies open: the plain copy is the true one and stays as it is. @throws EremosError `not-open`
 */
export function releaseOpen(disk: Disk, { folder }: InHand): Unlocked {
  try {
    const state = loadState(disk, folder.ownDir);
    if (state?.state !== "open")
      throw new EremosError("not-open", said("is-not-open-now-nothing", { path: displayPath(folder.path) }));
    refuseWaitingDrops(disk, folder.ownDir);
    refuseToLose(disk, folder);
    restoreTopMode(disk, folder.dir, state.modes);
    restoreModes(disk, folder.dir, state.modes);
    const { atimeNs, mtimeNs } = disk.statOpen(folder.dir);
    dismantle(disk, folder, { ...state, times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) } });
    return { folder: state.folder, path: folder.path, unsealed: null };
  } catch (error) {
    throw fromSystemError(error, said("releasing"));
  }
}

/**
 * What the disk can't hold of a folder that lies open there is in its sealed copy alone, which goes with a release.
 * @throws EremosError `unsupported`
 */
function refuseToLose(disk: Disk, { dir, ownDir }: HeldFolder): void {
  const holding = disk.holds(ownDir);
  if (holdsAll(holding) && holdsNames(holding)) return;
  const bytes = readSmallFile(disk, ownDir, NAMES.opened, Number.MAX_SAFE_INTEGER);
  const { tree, hasHeldNames } = bytes ? readOpened(bytes) : { tree: null, hasHeldNames: false };
  if (tree && !(hasHeldNames && hasOtherForms(tree)) && !hasMore({ disk, tree, holding }, dir, tree.root)) return;
  throw new EremosError("unsupported", said("disk-this-folder-lies-on"));
}

interface Held {
  readonly disk: Disk;
  readonly tree: TreeReader;
  readonly holding: Holding;
}

/** Whether a tree has more of what is there than the disk holds. */
function hasMore(held: Held, dir: Dir, at: DirEntry): boolean {
  const { disk, tree, holding } = held;
  return tree.list(at).entries.some((entry) => {
    const now = disk.find(dir, entry.name);
    if (!now) return false;
    if (entry.meta.mode !== now.mode || entry.meta.xattrs.some((xattr) => !holdsAttribute(holding, xattr))) return true;
    return (
      entry.kind === "dir" &&
      now.type === "dir" &&
      within(disk, disk.openDir(dir, entry.name), (inner) => hasMore(held, inner, entry))
    );
  });
}

/** A folder whose plain entries are at their place again; the state record does not say `open` yet. */
interface Opened {
  readonly head: Head;
  readonly state: StateRecord;
  readonly generation: Generation;
  readonly index: EncodedTree;
  readonly identities: FileIds;
  readonly withheld: number;
  readonly hasHeldNames: boolean;
  readonly damaged: readonly string[];
  readonly strategy: Strategy;
}

async function openThen(
  disk: Disk,
  hand: InHand,
  input: UnsealInput,
  hooks: Hooks,
  forGood: boolean,
  finish: (folder: HeldFolder, opened: Opened) => OpenNote | null,
): Promise<Unlocked> {
  let keys: FolderKeys | null = null;
  let isMixed = false;
  try {
    const found = sealedState(disk, hand.folder);
    isMixed = found.mixed;
    const sealed = await openSealed(disk, hand.folder.ownDir, found, input);
    const state: StateRecord = { ...found, generation: refOf(sealed.generation) };
    ({ keys } = sealed);
    const isUnknown = keys.standing === "unknown";
    const loaded = loadTree(disk, hand.folder.ownDir, sealed.generation, keys);
    const strategy = state.mixed ? "file-by-file" : strategyFor(disk, hand.folder, loaded.tree);
    if (input.closed && strategy === "file-by-file") throw new EremosError("no-space", said("there-is-no-room-on"));
    if (isUnknown && strategy === "file-by-file") throw new EremosError("no-space", said("there-is-no-room-on-this"));
    const { head, generation } = isUnknown
      ? sealed
      : await adopt(disk, hand.folder, sealed, input.access, input.keepEarlier ?? 0);
    const place = ordinaryPlace(openFacts(generation, keys.secret(generation)), disk.system, hand.folder.path);
    hand.folder = showAtOrdinaryPath(disk, hand.folder, state, place);
    const { folder } = hand;
    // Where no sealed copy stays, which would keep what the disk can't hold, all of it is demanded.
    const holding = forGood || strategy === "file-by-file" ? HOLDS_ALL : disk.holds(folder.ownDir);
    const hasHeldNames = !holdsNames(holding);
    const of: Opening = {
      disk: hasHeldNames ? withHeldNames(disk, folder, loaded.tree) : disk,
      holding,
      folder,
      state,
      keys,
      head,
      access: input.access,
      generation,
      place,
      loaded,
      closed: input.closed ?? false,
      leavesDamaged: input.accept.includes("files-damaged"),
      hooks,
    };
    isMixed = strategy === "file-by-file";
    const opened = isMixed ? openInRounds(of) : openWhole(of);
    const { files, bytes } = loaded.tree;
    if (disk.find(folder.ownDir, NAMES.drops)) await takeOutDrops(of.disk, folder, head.header, keys);
    const isHeldWhole =
      holdsAll(holding) || !hasMore({ disk: of.disk, tree: loaded.tree, holding }, folder.dir, loaded.tree.root);
    const note = finish(folder, opened);
    return {
      folder: head.header.folder,
      path: folder.path,
      unsealed: {
        generation: opened.generation.number,
        digest: generationDigest(opened.generation),
        files,
        bytes,
        header: writeHead(head),
        isUnknown,
        withheld: opened.withheld,
        damaged: opened.damaged,
        holdsAll: isHeldWhole,
        strategy,
        note: isUnknown ? null : note,
      },
    };
  } catch (error) {
    throw isMixed
      ? stoppedHalfWay(disk, hand.folder, error)
      : fromSystemError(error, said("opening-sealed-copy-is-whole"));
  } finally {
    keys?.wipe();
  }
}

/** File by file nothing is put back: what is open and what is sealed are both whole. */
function stoppedHalfWay(disk: Disk, folder: HeldFolder, error: unknown): EremosError {
  recoverIfPossible(disk, folder);
  return stopped(error, (because) =>
    said("eremos-stopped-while-opening-file", { path: displayPath(folder.path), because }),
  );
}

/** What can't be put right now is put right before anything else is done with the folder. */
function recoverIfPossible(disk: Disk, folder: HeldFolder): void {
  takeBack(() => void recoverHeld(disk, folder));
}

function sealedState(disk: Disk, folder: HeldFolder): StateRecord {
  const state = disk.find(folder.dir, OWN_DIR_NAME) ? loadState(disk, folder.ownDir) : null;
  if (!state)
    throw new EremosError("not-protected", said("is-ordinary-folder-there-is", { path: displayPath(folder.path) }));
  if (state.state !== "sealed" && state.state !== "mixed")
    throw new EremosError("not-locked", said("is-open-already-nothing-was", { path: displayPath(folder.path) }));
  return state;
}

/** @throws EremosError `no-space` when not even the largest pack's files fit beside it */
function strategyFor(disk: Disk, folder: HeldFolder, tree: TreeReader): Strategy {
  const free = disk.freeBytes(folder.dir);
  if (free >= bytesForWhole({ bytes: tree.bytes, largest: 0, entries: tree.entries })) return "whole";
  return chooseStrategy(amountIn(tree), free, "Opening").strategy;
}

/**
 * What was locked while signed out comes under the owner's own keys and signature at the first opening. FORMAT.md §6.3.
 */
async function adopt(
  disk: Disk,
  folder: HeldFolder,
  { head, generation, keys }: { readonly head: Head; readonly generation: Generation; readonly keys: FolderKeys },
  access: OwnerAccess,
  keepEarlier: number,
): Promise<Pick<Opening, "head" | "generation">> {
  const adopted = await adoptHead(head, access, keys.folderKey);
  mendHead(disk, folder, adopted);
  for (const record of keys.keyRecords.filter(({ box }) => box === null)) {
    const boxed = writeKeyRecord(boxedKeyRecord(record, keys.secret(record), keys.folderKey));
    within(disk, disk.openDir(folder.ownDir, NAMES.keys), (dir) =>
      commitRecord(disk, dir, Buffer.from(`${record.key}.json`), boxed),
    );
  }
  if (isSignedFor(generation, access.owner.owner)) return { head: adopted, generation };
  const signature = ownerSignature(access);
  const signed = signGeneration(generation, signature);
  wipe(signature.key.privateKey);
  commitGenerationRecord(disk, folder.ownDir, signed);
  // The last one that the owner vouched for was kept until now.
  if (!loadState(disk, folder.ownDir)?.mixed)
    sweepKeeping(disk, folder.ownDir, { head: adopted, believed: believedOf(access) }, signed, keepEarlier);
  return { head: adopted, generation: signed };
}

interface Opening {
  readonly disk: Disk;
  readonly folder: HeldFolder;
  readonly state: StateRecord;
  readonly keys: FolderKeys;
  readonly head: Head;
  readonly access: OwnerAccess;
  readonly generation: Generation;
  /** The folder's ordinary path. */
  readonly place: Buffer;
  readonly loaded: LoadedTree;
  readonly closed: boolean;
  /** Everything but damaged files is opened; else nothing is. */
  readonly leavesDamaged: boolean;
  readonly holding: Holding;
  readonly hooks: Hooks;
}

function packsOf({ disk, folder, head: { header }, keys }: Opening, tree: TreeReader): PackReaders {
  return new PackReaders((number) => packReader(disk, folder.ownDir, header.folder, tree, keys, number));
}

/** Written beside, made durable, renamed into place. Before `placing` a failure takes everything back. */
function openWhole(of: Opening): Opened {
  const { disk, folder, state, head, generation, loaded, closed, holding, hooks } = of;
  const { tree } = loaded;
  const { atimeNs, mtimeNs, mode } = tree.root.meta;
  const restoring = commitState(disk, folder.ownDir, {
    ...state,
    state: "restoring",
    staging: NAMES.staging.toString(),
  });
  const packs = packsOf(of, tree);
  const meter = new Meter(hooks, "restoring", tree.files, tree.bytes);
  try {
    return within(disk, ensureDir(disk, folder.ownDir, NAMES.staging), (staging) => {
      const restored = within(disk, ensureDir(disk, folder.ownDir, NAMES.links), (links) =>
        restoreTree(disk, staging, tree, packs, links, meter, holding),
      );
      if (restored.damaged.length > 0 && !of.leavesDamaged) throw filesDamaged(folder, restored.damaged);
      hooks.progress({
        phase: "making-durable",
        files: tree.files,
        filesTotal: tree.files,
        bytes: tree.bytes,
        bytesTotal: tree.bytes,
      });
      disk.barrier(folder.ownDir);
      meter.stopIfCancelled();
      const placing: StateRecord = {
        ...restoring,
        state: "placing",
        modes: [...modesIn(disk, staging), ...(closed ? [topModeOf(disk, folder.dir, mode)] : [])],
        times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) },
      };
      commitState(disk, folder.ownDir, placing);
      disk.wait(CLOCK_TICK_MS);
      removeSigns(disk, folder, state);
      if (closed) closeTop(disk, folder.dir, placing.modes);
      else if (holding.permissions && disk.statOpen(folder.dir).mode !== mode) disk.setOpenMode(folder.dir, mode);
      moveBack(disk, folder, placing);
      const identities = identitiesAtPlace(disk, folder, tree, restored);
      const index = { bytes: loaded.bytes, record: generation.index.record };
      return {
        head,
        state: { ...placing, shows: [] },
        generation,
        index,
        identities,
        withheld: meter.withheld,
        hasHeldNames: !holdsNames(holding),
        damaged: restored.damaged,
        strategy: "whole",
      };
    });
  } catch (error) {
    recoverIfPossible(disk, folder);
    throw error;
  } finally {
    packs.closeAll();
  }
}

const MOST_NAMED = 100;

function filesDamaged({ path }: HeldFolder, damaged: readonly string[]): EremosError {
  const [first = "", ...more] = damaged;
  const names =
    more.length === 0
      ? say("is", { first })
      : more.length < 3
        ? say("are", { damaged: damaged.join(", ") })
        : say("and-other-files-are", { first, more: more.length });
  return new EremosError(
    "files-damaged",
    said("damaged-in-encrypted-copy-nothing", { names, path: displayPath(path) }),
    { files: damaged.slice(0, MOST_NAMED), count: damaged.length },
  );
}

function modesIn(disk: Disk, staging: HeldFolder["dir"]): StateRecord["modes"] {
  return disk.list(staging).flatMap((name) => {
    const stat = disk.stat(staging, name);
    return stat.type === "dir" && (stat.mode & 0o200) === 0
      ? [{ dev: String(stat.dev), ino: String(stat.ino), mode: stat.mode }]
      : [];
  });
}

/**
 * Moving an entry at the top changed its status time once more, and that of its hard links. A file that is not, beyond
 * doubt, the one that was written counts as changed at the next lock.
 */
function identitiesAtPlace(
  disk: Disk,
  folder: HeldFolder,
  tree: TreeReader,
  { identities, groups }: Restored,
): FileIds {
  const { first, entries } = tree.list(tree.root);
  entries.forEach((entry, i) => {
    if (entry.kind !== "file") return;
    const written = identities.of(first + i);
    const now = disk.find(folder.dir, entry.name);
    const isIt =
      now?.type === "file" &&
      now.dev === written.dev &&
      now.ino === written.ino &&
      now.size === entry.size &&
      now.mtimeNs === entry.meta.mtimeNs;
    for (const number of groups.get(entry.linkGroup) ?? [first + i]) {
      if (now && isIt) identities.set(number, fileIdOf(now));
      else identities.forget(number);
    }
  });
  return identities;
}

function openInRounds(of: Opening): Opened {
  const { disk, folder, state, keys, head, access, generation, place, loaded, hooks } = of;
  removeSigns(disk, folder, state);
  const meter = new Meter(hooks, "restoring", loaded.tree.files, loaded.tree.bytes);
  const signature = ownerSignature(access);
  try {
    const purpose = { folder: head.header.folder, number: numberAfter(state), batch: newBatch() };
    const writing = {
      disk,
      ownDir: folder.ownDir,
      purpose,
      place,
      keys,
      keyName: keys.present.name,
      why: "opening" as const,
      author: access.owner.owner,
      device: deviceAtWork(access),
      signature,
    };
    const opened = openFileByFile(
      { writing, folder, from: generation, packsOf: (tree) => packsOf(of, tree), meter },
      loaded,
      { ...state, shows: [] },
    );
    const { atimeNs, mtimeNs } = loaded.tree.root.meta;
    return {
      head,
      state: { ...opened.state, times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) } },
      generation: opened.record,
      index: opened.index,
      identities: FileIds.none(opened.tree.entries),
      withheld: meter.withheld,
      hasHeldNames: false,
      damaged: [],
      strategy: "file-by-file",
    };
  } finally {
    wipe(signature.key.privateKey);
  }
}
