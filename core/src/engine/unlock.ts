import { sha256 } from "../crypto/bytes";
import { EremosError, fromSystemError, reasonOf } from "../errors/eremos-error";
import {
  FOLDER_KEY_NAME,
  type Generation,
  boxGenerationKey,
  generationDigest,
  openPlace,
  vouchFor,
  writeGeneration,
  writeKeyRecord,
} from "../format/generation";
import { type FolderHeader, adoptHeader, writeHeader } from "../format/header";
import type { StateRecord } from "../format/state";
import type { EncodedTree, TreeReader } from "../format/tree";
import type { Disk } from "../platform/port";
import { keepHeader } from "./change-owner";
import { amountIn, openFileByFile } from "./file-by-file";
import { sweepKeeping } from "./earlier";
import { refuseWaitingDrops, takeOutDrops } from "./drop";
import { within } from "./handles";
import { showAtOrdinaryPath } from "./hide";
import { type Hooks, Meter } from "./hooks";
import { Identities, identityOf } from "./identity";
import { type FolderKeys, type OwnerAccess, devicesOf } from "./keys";
import { type LoadedTree, loadTree, packReader } from "./load-tree";
import type { OpenNote } from "./lock";
import { type SealedInput, openSealed } from "./open-sealed";
import { writeOpened } from "./opened";
import { dismantle, moveBack, recoverHeld } from "./recover";
import { PackReaders, type Restored, restoreTree } from "./restore-tree";
import { settleFile } from "./single-file";
import { NO_SIGNS, digestsOf, removeSigns } from "./signs";
import { type Strategy, bytesForWhole, chooseStrategy } from "./space";
import { closeTop, restoreModes, restoreTopMode, topModeOf, topModes } from "./staging";
import {
  type HeldFolder,
  NAMES,
  VAULT_NAME,
  commitFile,
  commitState,
  displayPath,
  ensureDir,
  generationName,
  holdFolder,
  letGo,
  loadState,
} from "./vault";

export interface UnlockInput extends SealedInput {
  /** For its owner's account alone, and a single file not at its place: it is about to be locked in another way. */
  readonly closed?: boolean;
  /** How many earlier states stay beside the last one. */
  readonly keep?: number;
}

export interface UnlockOutcome {
  readonly folder: string;
  /** The folder's ordinary path, where it is now. */
  readonly path: Buffer;
  readonly generation: number;
  readonly digest: string;
  readonly files: number;
  readonly bytes: number;
  readonly header: Buffer;
  /** Nobody known stands behind its key: the next lock makes another, and nothing is sealed to this one. */
  readonly isUnknown: boolean;
  /** Programs and directories that did not get special rights back, since their owner or group could not be given back. */
  readonly withheld: number;
  /** File by file: there was no room for two copies, so none is kept beside the open folder. */
  readonly strategy: Strategy;
  /** Null after a release, and where nobody known stands behind its key. */
  readonly note: OpenNote | null;
}

/** Longer than a tick of the file system's clock: an edit after this has a status time of its own. */
const CLOCK_TICK_MS = 20;

/** Opens a sealed folder in place. The sealed copy stays beside the opened one, where there is room for both. @throws EremosError */
export async function unlockFolder(disk: Disk, input: UnlockInput, hooks: Hooks): Promise<UnlockOutcome> {
  return openThen(disk, input, hooks, (folder, opened) => {
    const bytes = writeOpened(opened.index.bytes, opened.index.record, opened.identities);
    commitFile(disk, folder.vault, NAMES.opened, bytes);
    commitState(disk, folder.vault, {
      ...opened.state,
      state: "open",
      next: null,
      staging: null,
      modes: topModes(disk, folder.dir, opened.state.modes),
      mixed: false,
      times: null,
    });
    return { publicKey: opened.header.publicKey, opened: sha256(bytes).toString("hex") };
  });
}

/** Takes protection off for good: an ordinary folder, exactly as before. Needs the owner only when the folder is sealed. */
export async function releaseFolder(disk: Disk, input: UnlockInput, hooks: Hooks): Promise<UnlockOutcome> {
  return openThen(disk, input, hooks, (folder, { state }) => {
    refuseWaitingDrops(disk, folder.vault);
    dismantle(disk, folder, state);
    return null;
  });
}

/** Release of a folder that lies open: the plain copy is the true one and stays as it is. @throws EremosError `not-open` */
export function releaseOpenFolder(disk: Disk, path: Buffer): void {
  const folder = holdFolder(disk, path, { create: false });
  try {
    recoverHeld(disk, folder);
    const state = loadState(disk, folder.vault);
    if (state?.state !== "open")
      throw new EremosError("not-open", `${displayPath(path)} is not open now. Nothing was touched.`);
    refuseWaitingDrops(disk, folder.vault);
    restoreTopMode(disk, folder.dir, state.modes);
    restoreModes(disk, folder.dir, state.modes);
    const { atimeNs, mtimeNs } = disk.statOpen(folder.dir);
    dismantle(disk, folder, { ...state, times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) } });
    settleFile(disk, folder);
  } catch (error) {
    throw fromSystemError(error, "releasing");
  } finally {
    letGo(disk, folder);
  }
}

/** A folder whose plain entries are at their place again; the state record does not say `open` yet. */
interface Opened {
  readonly header: FolderHeader;
  readonly state: StateRecord;
  readonly generation: number;
  readonly digest: string;
  readonly index: EncodedTree;
  readonly identities: Identities;
  readonly withheld: number;
  readonly strategy: Strategy;
}

async function openThen(
  disk: Disk,
  input: UnlockInput,
  hooks: Hooks,
  finish: (folder: HeldFolder, opened: Opened) => OpenNote | null,
): Promise<UnlockOutcome> {
  let folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  let isMixed = false;
  try {
    const state = sealedState(disk, folder);
    isMixed = state.mixed;
    const sealed = await openSealed(disk, folder.vault, state.generation, input);
    ({ keys } = sealed);
    const isUnknown = keys.standing === "unknown";
    const loaded = loadTree(disk, folder.vault, sealed.generation, keys);
    const strategy = state.mixed ? "file-by-file" : strategyFor(disk, folder, loaded.tree);
    if (input.closed && strategy === "file-by-file")
      throw new EremosError(
        "no-space",
        "There is no room on this disk to decrypt it beside its encrypted copy, which changing the guard of a locked folder needs. Nothing was touched; free some space, or open it first, choose, and lock it again.",
      );
    if (isUnknown && strategy === "file-by-file")
      throw new EremosError(
        "no-space",
        "There is no room on this disk for a second copy of it, and nothing is written under the key of somebody unknown. Nothing was touched; make room first, or bring its files out elsewhere with `eremos rescue`.",
      );
    const { header, generation } = isUnknown
      ? sealed
      : await adopt(disk, folder, sealed.header, sealed.generation, keys, input.access, loaded.tree, input.keep ?? 0);
    const place = openPlace(generation, keys.secret(generation.key));
    folder = showAtOrdinaryPath(disk, folder, state, place);
    const of: Opening = {
      disk,
      folder,
      state,
      keys,
      header,
      generation,
      place,
      loaded,
      closed: input.closed ?? false,
      hooks,
    };
    isMixed = strategy === "file-by-file";
    const opened = isMixed ? openInRounds(of) : openWhole(of);
    const { files, bytes } = loaded.tree;
    if (disk.find(folder.vault, NAMES.drops)) await takeOutDrops(disk, folder, header, keys.folderKey);
    const note = finish(folder, opened);
    return {
      folder: header.folder,
      path: settleFile(disk, folder),
      generation: opened.generation,
      digest: opened.digest,
      files,
      bytes,
      header: writeHeader(header),
      isUnknown,
      withheld: opened.withheld,
      strategy,
      note: isUnknown ? null : note,
    };
  } catch (error) {
    throw isMixed ? stoppedHalfWay(disk, folder, error) : fromSystemError(error, "opening; the sealed copy is whole");
  } finally {
    keys?.wipe();
    letGo(disk, folder);
  }
}

/** File by file nothing is put back: what is open and what is sealed are both whole. */
function stoppedHalfWay(disk: Disk, folder: HeldFolder, error: unknown): EremosError {
  recoverIfPossible(disk, folder);
  const { code, data } = fromSystemError(error, "opening");
  return new EremosError(
    code,
    `Eremos stopped while opening ${displayPath(folder.path)} file by file, because ${reasonOf(error)}. A part is readable, the rest is still locked, and nothing is lost. Open it again to go on, or lock it.`,
    data,
  );
}

/** What can't be put right now is put right before anything else is done with the folder. */
function recoverIfPossible(disk: Disk, folder: HeldFolder): void {
  try {
    recoverHeld(disk, folder);
  } catch {
    // The first failure is the one to tell of.
  }
}

function sealedState(disk: Disk, folder: HeldFolder): StateRecord {
  if (loadState(disk, folder.vault)?.state !== "sealed") recoverHeld(disk, folder);
  const state = disk.find(folder.dir, VAULT_NAME) ? loadState(disk, folder.vault) : null;
  if (!state)
    throw new EremosError(
      "not-protected",
      `${displayPath(folder.path)} is an ordinary folder; there is nothing to open.`,
    );
  if (state.state !== "sealed" && state.state !== "mixed")
    throw new EremosError("not-locked", `${displayPath(folder.path)} is open already. Nothing was touched.`);
  return state;
}

/** @throws EremosError `no-space` when not even the largest pack's files fit beside it */
function strategyFor(disk: Disk, folder: HeldFolder, tree: TreeReader): Strategy {
  const free = disk.freeBytes(folder.dir);
  if (free >= bytesForWhole({ bytes: tree.bytes, largest: 0, entries: tree.entries })) return "whole";
  return chooseStrategy(amountIn(tree), free, "Opening").strategy;
}

/** What was locked while signed out comes under the owner's symmetric keys at the first opening. FORMAT.md §6.3. */
async function adopt(
  disk: Disk,
  folder: HeldFolder,
  header: FolderHeader,
  generation: Generation,
  keys: FolderKeys,
  access: OwnerAccess,
  tree: TreeReader,
  keep: number,
): Promise<Pick<Opening, "header" | "generation">> {
  const adopted = await adoptHeader(header, access, keys.folderKey);
  keepHeader(disk, folder, adopted);
  for (const record of keys.keyRecords.filter((candidate) => candidate.box === undefined)) {
    rewriteKey(
      disk,
      folder,
      record.key,
      writeKeyRecord(boxGenerationKey(header.folder, record.key, keys.secret(record.key), keys.folderKey)),
    );
  }
  if (generation.vouch !== undefined) return { header: adopted, generation };
  const vouched = vouchFor(generation, keys.folderKey);
  within(disk, disk.openDir(folder.vault, NAMES.generations), (dir) => {
    for (const copy of [true, false])
      commitFile(disk, dir, generationName(generation.generation, copy), writeGeneration(vouched));
  });
  // The last one that the owner vouched for was kept until now.
  if (!loadState(disk, folder.vault)?.mixed)
    sweepKeeping(
      disk,
      folder.vault,
      { keys, devices: devicesOf(access) },
      vouched.index.object,
      vouched.generation,
      tree.packs().map(({ object }) => object),
      keep,
    );
  return { header: adopted, generation: vouched };
}

function rewriteKey(disk: Disk, folder: HeldFolder, key: string, bytes: Buffer): void {
  within(disk, disk.openDir(folder.vault, NAMES.keys), (dir) => {
    const name = disk.list(dir).find((candidate) => candidate.toString("latin1").endsWith(`-${key}.json`));
    if (name) commitFile(disk, dir, name, bytes);
  });
}

interface Opening {
  readonly disk: Disk;
  readonly folder: HeldFolder;
  readonly state: StateRecord;
  readonly keys: FolderKeys;
  readonly header: FolderHeader;
  readonly generation: Generation;
  /** The folder's ordinary path. */
  readonly place: Buffer;
  readonly loaded: LoadedTree;
  readonly closed: boolean;
  readonly hooks: Hooks;
}

function packsOf({ disk, folder, header, keys }: Opening, tree: TreeReader): PackReaders {
  return new PackReaders((number) => packReader(disk, folder.vault, header.folder, tree, keys, number));
}

/** Written beside, made durable, renamed into place. Before `placing` a failure takes everything back. */
function openWhole(of: Opening): Opened {
  const { disk, folder, state, header, generation, loaded, closed, hooks } = of;
  const { tree } = loaded;
  const { atimeNs, mtimeNs, mode } = tree.root.meta;
  const restoring = commitState(disk, folder.vault, {
    ...state,
    state: "restoring",
    staging: NAMES.staging.toString(),
  });
  const packs = packsOf(of, tree);
  const meter = new Meter(hooks, "restoring", tree.files, tree.bytes);
  try {
    return within(disk, ensureDir(disk, folder.vault, NAMES.staging), (staging) => {
      const restored = within(disk, ensureDir(disk, folder.vault, NAMES.links), (links) =>
        restoreTree(disk, staging, tree, packs, links, meter),
      );
      hooks.progress({
        phase: "making-durable",
        files: tree.files,
        filesTotal: tree.files,
        bytes: tree.bytes,
        bytesTotal: tree.bytes,
      });
      disk.barrier(folder.vault);
      meter.stopIfCancelled();
      const placing: StateRecord = {
        ...restoring,
        state: "placing",
        modes: [...modesIn(disk, staging), ...(closed ? [topModeOf(disk, folder.dir, mode)] : [])],
        times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) },
      };
      commitState(disk, folder.vault, placing);
      disk.wait(CLOCK_TICK_MS);
      removeSigns(disk, folder, state);
      if (closed) closeTop(disk, folder.dir, placing.modes);
      else if (disk.statOpen(folder.dir).mode !== mode) disk.setOpenMode(folder.dir, mode);
      moveBack(disk, folder, placing);
      const identities = identitiesAtPlace(disk, folder, tree, restored);
      const index = { bytes: loaded.bytes, record: generation.index.record };
      return {
        header,
        state: { ...placing, ...digestsOf(NO_SIGNS) },
        generation: generation.generation,
        digest: generationDigest(generation),
        index,
        identities,
        withheld: meter.withheld,
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

function modesIn(disk: Disk, staging: HeldFolder["dir"]): StateRecord["modes"] {
  return disk.list(staging).flatMap((name) => {
    const stat = disk.stat(staging, name);
    return stat.type === "dir" && (stat.mode & 0o200) === 0
      ? [{ dev: String(stat.dev), ino: String(stat.ino), mode: stat.mode }]
      : [];
  });
}

/**
 * Moving an entry at the top changed its status time once more, and that of its hard links. A file that is not, beyond doubt, the one
 * that was written counts as changed at the next lock.
 */
function identitiesAtPlace(
  disk: Disk,
  folder: HeldFolder,
  tree: TreeReader,
  { identities, groups }: Restored,
): Identities {
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
      if (now && isIt) identities.set(number, identityOf(now));
      else identities.forget(number);
    }
  });
  return identities;
}

function openInRounds(of: Opening): Opened {
  const { disk, folder, state, keys, header, generation, place, loaded, hooks } = of;
  removeSigns(disk, folder, state);
  const meter = new Meter(hooks, "restoring", loaded.tree.files, loaded.tree.bytes);
  const opened = openFileByFile(
    {
      writing: {
        disk,
        folder,
        id: header.folder,
        place,
        keys,
        keyName: FOLDER_KEY_NAME,
        made: "signed-in",
        stamp: (body) => vouchFor(body, keys.folderKey),
      },
      record: generation.index.record,
      digest: generationDigest(generation),
      packsOf: (tree) => packsOf(of, tree),
      meter,
    },
    loaded,
    { ...state, ...digestsOf(NO_SIGNS) },
  );
  const { atimeNs, mtimeNs } = loaded.tree.root.meta;
  return {
    header,
    state: { ...opened.state, times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) } },
    generation: opened.state.generation,
    digest: opened.digest,
    index: opened.index,
    identities: Identities.none(opened.tree.entries),
    withheld: meter.withheld,
    strategy: "file-by-file",
  };
}
