import { sha256 } from "../crypto/bytes";
import { EremosError, fromSystemError, systemCode } from "../errors/eremos-error";
import { type Generation, boxGenerationKey, generationDigest, openPlace, vouchFor, writeGeneration, writeKeyRecord } from "../format/generation";
import { type FolderHeader, adoptHeader, writeHeader } from "../format/header";
import type { StateRecord } from "../format/state";
import type { Tree } from "../format/tree";
import type { Disk } from "../platform/port";
import { type Hooks, Meter } from "./hooks";
import { FolderKeys, type OwnerAccess, requireVouched } from "./keys";
import { loadTree, packReader } from "./load-tree";
import type { OpenNote } from "./lock";
import { withIdentities, writeOpened } from "./opened";
import { dismantle, moveBack, recoverHeld, removePage } from "./recover";
import { PackReaders, restoreTree } from "./restore-tree";
import { survey } from "./survey";
import {
  type HeldFolder, NAMES, VAULT_NAME, commitFile, commitState, displayPath, ensureDir, generationName, holdFolder, joinPath, letGo, loadGeneration,
  loadHeader, loadState, splitPath,
} from "./vault";

export interface UnlockInput {
  /** Where the folder is now. */
  readonly path: Buffer;
  readonly access: OwnerAccess;
  /** The database's copy of the header, used when both in the folder are damaged. */
  readonly keptHeader: Buffer | null;
  /** The newest generation the database knows, to notice a folder that was put back to an older state. */
  readonly expected: { readonly generation: number; readonly digest: string } | null;
  readonly acceptUnvouched: boolean;
  readonly acceptOlder: boolean;
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
  /** Null after a release. */
  readonly note: OpenNote | null;
}

const SPACE_MARGIN = 4 * 1024 * 1024;
/** Longer than a tick of the file system's clock: an edit after this has a status time of its own. */
const CLOCK_TICK_MS = 20;

/** Opens a sealed folder in place. The sealed copy stays beside the opened one. @throws EremosError */
export async function unlockFolder(disk: Disk, input: UnlockInput, hooks: Hooks): Promise<UnlockOutcome> {
  return openSealed(disk, input, hooks, (folder, opening) => finishOpen(disk, folder, opening, hooks));
}

/** Takes protection off for good: an ordinary folder, exactly as before. Needs the owner only when the folder is sealed. */
export async function releaseFolder(disk: Disk, input: UnlockInput, hooks: Hooks): Promise<UnlockOutcome> {
  return openSealed(disk, input, hooks, (folder, opening) => {
    dismantle(disk, folder, opening.placing);
    return outcome(folder, opening, null);
  });
}

/** Release of a folder that lies open: the plain copy is the true one and stays as it is. @throws EremosError `not-open` */
export function releaseOpenFolder(disk: Disk, path: Buffer): void {
  const folder = holdFolder(disk, path, { create: false });
  try {
    recoverHeld(disk, folder);
    const state = loadState(disk, folder.vault);
    if (state?.state !== "open") throw new EremosError("not-open", `${displayPath(path)} is not open now. Nothing was touched.`);
    const { atimeNs, mtimeNs } = disk.statDir(folder.dir);
    dismantle(disk, folder, { ...state, times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) } });
  } catch (error) {
    throw fromSystemError(error, "releasing");
  } finally {
    letGo(disk, folder);
  }
}

interface Opening {
  readonly header: FolderHeader;
  readonly generation: Generation;
  readonly tree: Tree;
  readonly placing: StateRecord;
  readonly written: ReturnType<typeof restoreTree>;
}

async function openSealed(disk: Disk, input: UnlockInput, hooks: Hooks, finish: (folder: HeldFolder, opening: Opening) => UnlockOutcome): Promise<UnlockOutcome> {
  let folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  try {
    const state = sealedState(disk, folder);
    const { record: loadedHeader } = loadHeader(disk, folder.vault, input.keptHeader);
    const { record: loadedGeneration } = loadGeneration(disk, folder.vault, state.generation);
    keys = await FolderKeys.open(disk, folder.vault, loadedHeader, input.access);
    requireVouched(loadedGeneration, loadedHeader, keys, input.access, input.acceptUnvouched);
    refuseOlder(loadedGeneration, input);
    const tree = loadTree(disk, folder.vault, loadedGeneration, keys);
    refuseWithoutSpace(disk, folder, tree);
    const { header, generation } = adopt(disk, folder, loadedHeader, loadedGeneration, keys, input.access);
    folder = showAtOrdinaryPath(disk, folder, state, openPlace(generation, keys.secret(generation.key)));
    const { placing, written } = restoreHeld(disk, folder, state, tree, keys, hooks);
    return finish(folder, { header, generation, tree, placing, written });
  } catch (error) {
    throw fromSystemError(error, "opening; the sealed copy is whole");
  } finally {
    keys?.wipe();
    letGo(disk, folder);
  }
}

function sealedState(disk: Disk, folder: HeldFolder): StateRecord {
  if (loadState(disk, folder.vault)?.state !== "sealed") recoverHeld(disk, folder);
  const state = disk.find(folder.dir, VAULT_NAME) ? loadState(disk, folder.vault) : null;
  if (!state) throw new EremosError("not-protected", `${displayPath(folder.path)} is an ordinary folder; there is nothing to open.`);
  if (state.state !== "sealed") throw new EremosError("not-locked", `${displayPath(folder.path)} is open already. Nothing was touched.`);
  return state;
}

/** @throws EremosError `rolled-back` when the database knows a newer state, or another one of the same number. */
function refuseOlder(generation: Generation, input: UnlockInput): void {
  const { expected } = input;
  if (!expected || input.acceptOlder) return;
  const older = generation.generation < expected.generation;
  const forked = generation.generation === expected.generation && generationDigest(generation) !== expected.digest;
  if (older || forked) {
    throw new EremosError("rolled-back", `This folder is in an older state than Eremos last locked (state ${generation.generation}, expected ${expected.generation}), as after restoring a backup. Nothing was changed; open it if you know why.`, { found: generation.generation, expected: expected.generation });
  }
}

function refuseWithoutSpace(disk: Disk, folder: HeldFolder, tree: Tree): void {
  const needed = tree.bytes + tree.files * 512 + SPACE_MARGIN;
  const free = disk.freeBytes(folder.dir);
  if (free < needed) {
    throw new EremosError("no-space", `Opening needs ${Math.ceil(needed / 1e6)} MB free on this disk and there are ${Math.floor(free / 1e6)} MB. Nothing was touched; make room first.`, { needed, free });
  }
}

/** What was locked while signed out comes under the owner's symmetric keys at the first opening. FORMAT.md §6.3. */
function adopt(disk: Disk, folder: HeldFolder, header: FolderHeader, generation: Generation, keys: FolderKeys, access: OwnerAccess): Pick<Opening, "header" | "generation"> {
  const sealedSlots = header.slots.some((slot) => slot.type === "owner-sealed");
  const adopted = sealedSlots ? adoptHeader(header, access.rootKey, keys.folderKey, access.owner) : header;
  if (sealedSlots) for (const name of [NAMES.headerCopy, NAMES.header]) commitFile(disk, folder.vault, name, writeHeader(adopted));
  for (const record of keys.keyRecords.filter((candidate) => candidate.box === undefined)) {
    rewriteKey(disk, folder, record.key, writeKeyRecord(boxGenerationKey(header.folder, record.key, keys.secret(record.key), keys.folderKey)));
  }
  if (generation.vouch !== undefined) return { header: adopted, generation };
  const vouched = vouchFor(generation, keys.folderKey);
  const dir = disk.openDir(folder.vault, NAMES.generations);
  try {
    for (const copy of [true, false]) commitFile(disk, dir, generationName(generation.generation, copy), writeGeneration(vouched));
  } finally {
    disk.closeDir(dir);
  }
  return { header: adopted, generation: vouched };
}

function rewriteKey(disk: Disk, folder: HeldFolder, key: string, bytes: Buffer): void {
  const dir = disk.openDir(folder.vault, NAMES.keys);
  try {
    const name = disk.list(dir).find((candidate) => candidate.toString("latin1").endsWith(`-${key}.json`));
    if (name) commitFile(disk, dir, name, bytes);
  } finally {
    disk.closeDir(dir);
  }
}

/** A hidden folder gets its ordinary name back first, so that a crash from here on needs no key to hide it again. */
function showAtOrdinaryPath(disk: Disk, folder: HeldFolder, state: StateRecord, place: Buffer): HeldFolder {
  if (state.visibility !== "hidden" || folder.name.toString("latin1") !== state.hiddenName) return folder;
  const { name } = splitPath(place);
  try {
    disk.renameExclusive(folder.parent, folder.name, folder.parent, name);
  } catch (error) {
    if (systemCode(error) !== "EEXIST") throw error;
    throw new EremosError("path-taken", `Something else is at ${displayPath(place)} now. Nothing was touched; move it away, then open the folder again.`, { path: displayPath(place) });
  }
  disk.syncDir(folder.parent);
  return { ...folder, name, path: joinPath(splitPath(folder.path).parent, name) };
}

/** Written beside, made durable, renamed into place. Before `placing` a failure takes everything back. */
function restoreHeld(disk: Disk, folder: HeldFolder, state: StateRecord, tree: Tree, keys: FolderKeys, hooks: Hooks): Pick<Opening, "placing" | "written"> {
  const { atimeNs, mtimeNs } = tree.root.meta;
  const restoring = commitState(disk, folder.vault, { ...state, state: "restoring", staging: NAMES.staging.toString() });
  const packs = new PackReaders((object) => packReader(disk, folder.vault, state.folder, tree, keys, object));
  const staging = ensureDir(disk, folder.vault, NAMES.staging);
  const links = ensureDir(disk, folder.vault, NAMES.links);
  try {
    const meter = new Meter(hooks, "restoring", tree.files, tree.bytes);
    const written = restoreTree(disk, staging, tree.root, packs, links, meter);
    hooks.progress({ phase: "making-durable", files: tree.files, filesTotal: tree.files, bytes: tree.bytes, bytesTotal: tree.bytes });
    disk.barrier(folder.vault);
    meter.stopIfCancelled();
    const placing: StateRecord = { ...restoring, state: "placing", modes: modesIn(disk, staging), times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) } };
    commitState(disk, folder.vault, placing);
    removePage(disk, folder, state);
    if (disk.statDir(folder.dir).mode !== tree.root.meta.mode) disk.setMode(folder.dir, Buffer.from("."), tree.root.meta.mode);
    moveBack(disk, folder, placing);
    return { placing: { ...placing, page: null }, written };
  } catch (error) {
    recoverHeld(disk, folder);
    throw error;
  } finally {
    packs.closeAll();
    disk.closeDir(links);
    disk.closeDir(staging);
  }
}

function modesIn(disk: Disk, staging: HeldFolder["dir"]): StateRecord["modes"] {
  return disk.list(staging).flatMap((name) => {
    const stat = disk.stat(staging, name);
    return stat.type === "dir" && (stat.mode & 0o200) === 0 ? [{ dev: String(stat.dev), ino: String(stat.ino), mode: stat.mode }] : [];
  });
}

function finishOpen(disk: Disk, folder: HeldFolder, opening: Opening, hooks: Hooks): UnlockOutcome {
  const { tree, placing, written } = opening;
  disk.wait(CLOCK_TICK_MS);
  const plain = survey(disk, folder.dir, folder.name, { skipAtTop: [VAULT_NAME], xattrs: false }, { ...hooks, cancelled: () => false });
  const opened = writeOpened({ ...tree, root: withIdentities(tree.root, plain.root, written) });
  commitFile(disk, folder.vault, NAMES.opened, opened);
  commitState(disk, folder.vault, { ...placing, state: "open", staging: null, modes: [], times: null });
  return outcome(folder, opening, { publicKey: opening.header.publicKey, opened: sha256(opened).toString("hex") });
}

function outcome(folder: HeldFolder, opening: Opening, note: OpenNote | null): UnlockOutcome {
  const { generation, tree, header } = opening;
  return {
    folder: header.folder, path: folder.path, generation: generation.generation, digest: generationDigest(generation), files: tree.files, bytes: tree.bytes,
    header: writeHeader(header), note,
  };
}
