import { fromBase64, randomBytes, sha256, toBase64, wipe } from "../crypto/bytes";
import { type KeyPair, generateKeyPair } from "../crypto/envelope";
import type { SigningKey } from "../crypto/signature";
import { EremosError, fromSystemError } from "../errors/eremos-error";
import {
  FOLDER_KEY_NAME, type GenerationBody, type KeyRecord, generationDigest, sealGenerationKey, sealPlace, signGeneration, vouchFor, writeGeneration, writeKeyRecord,
} from "../format/generation";
import { type FolderHeader, createHeader, writeHeader } from "../format/header";
import type { OwnerEnvelope } from "../format/owner";
import type { StateRecord } from "../format/state";
import { type Meta, type PackInfo, type Tree, encodeTree, withoutIdentity } from "../format/tree";
import type { Dir, Disk, Holder } from "../platform/port";
import { type Hooks, Meter, silentHooks } from "./hooks";
import { FolderKeys } from "./keys";
import { ObjectWriter } from "./object-io";
import { PackWriter } from "./pack-writer";
import { eachObject, finishRemoving, hide, recoverHeld } from "./recover";
import { readOpened } from "./opened";
import { type BaseTree, sealTree } from "./seal-tree";
import { modesToWiden, moveOut, removeEntry, verifyStaged } from "./staging";
import { type Survey, refuse, survey } from "./survey";
import {
  type HeldFolder, NAMES, VAULT_NAME, closeFolder, commitState, displayPath, ensureDir, generationName, holdFolder, joinPath, letGo, loadGeneration, loadHeader,
  loadState, openFolder, readSmallFile,
} from "./vault";

/** Who locks: the signed-in owner, or this device while nobody is signed in (locking never asks for a password). */
export type Signer =
  | { readonly by: "owner"; readonly owner: OwnerEnvelope; readonly rootKey: Uint8Array; readonly device: Uint8Array }
  | { readonly by: "device"; readonly owner: OwnerEnvelope; readonly device: SigningKey };

/** What the owner-only data directory remembers of a folder while it lies open. */
export interface OpenNote {
  /** The folder's X25519 public key; never taken from the folder itself. */
  readonly publicKey: string;
  /** SHA-256 of the record of what was sealed; without a match everything is sealed anew. */
  readonly opened: string;
}

export interface LockInput {
  readonly path: Buffer;
  /** base64url of 16 bytes: a new id for a first lock, the folder's own for a relock. */
  readonly folder: string;
  readonly visibility: StateRecord["visibility"];
  readonly signer: Signer;
  readonly note: OpenNote | null;
  /** The page for a folder that stays in view, or null. */
  readonly page: Buffer | null;
  /** Lock even though programs have files in it open for writing. */
  readonly inUseAnyway: boolean;
}

export interface LockOutcome {
  readonly folder: string;
  readonly realPath: Buffer;
  readonly generation: number;
  readonly digest: string;
  readonly files: number;
  readonly bytes: number;
  readonly publicKey: string;
  readonly header: Buffer;
  readonly outsideLinks: readonly string[];
  /** Programs that still have files of the folder open for reading. */
  readonly stillOpenIn: readonly string[];
}

const SPACE_MARGIN = 4 * 1024 * 1024;
const ATTEMPTS = 3;

/**
 * Seals a folder in place: everything sealed and durable, committed, and only then is the plain copy removed.
 * A failure before that point puts everything back.
 * @throws EremosError for every refusal, before anything is touched
 */
export async function lockFolder(disk: Disk, input: LockInput, hooks: Hooks): Promise<LockOutcome> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await lockOnce(disk, input, hooks);
    } catch (error) {
      const again = error instanceof EremosError && error.code === "changed-while-locking" && attempt < ATTEMPTS;
      if (!again) throw error;
    }
  }
}

async function lockOnce(disk: Disk, input: LockInput, hooks: Hooks): Promise<LockOutcome> {
  const times = lookBeforeTouching(disk, input, hooks);
  const folder = holdFolder(disk, input.path, { create: true });
  try {
    const base = stateForLock(disk, folder, input);
    const making = await prepare(disk, folder, input, base);
    try {
      return lockHeld(disk, folder, input, making, times, hooks);
    } finally {
      making.keys.wipe();
    }
  } catch (error) {
    throw putBack(disk, folder, times, error);
  } finally {
    letGo(disk, folder);
  }
}

/** The folder's own times before anything was touched. */
type Times = Pick<Meta, "atimeNs" | "mtimeNs">;

/** Undoes a failed lock the way a crash would be undone; from `removing` on the sealed copy is the true one and stays. */
function putBack(disk: Disk, folder: HeldFolder, times: Times, error: unknown): EremosError {
  const state = disk.find(folder.dir, VAULT_NAME) ? loadState(disk, folder.vault)?.state : undefined;
  if (state === "removing" || state === "sealed") {
    return fromSystemError(error, "removing the plain copy; the sealed copy is whole and Eremos finishes at the next start");
  }
  if (disk.find(folder.dir, VAULT_NAME)) recoverHeld(disk, folder);
  if (state === undefined) disk.setDirTimes(folder.dir, times.atimeNs, times.mtimeNs);
  return fromSystemError(error, "locking; everything is at its place");
}

function lookBeforeTouching(disk: Disk, input: LockInput, hooks: Hooks): Times {
  const { root } = surveyForLock(disk, input.path, input.visibility, hooks);
  refuseInUse(disk, input);
  return root.meta;
}

/** Every refusal that a walk can find. @throws EremosError */
function surveyForLock(disk: Disk, path: Buffer, visibility: LockInput["visibility"], hooks: Hooks): Survey {
  const folder = openFolder(disk, path);
  try {
    if (!disk.writable(folder.dir)) throw new EremosError("no-permission", `This account may not change ${displayPath(path)}. Nothing was touched.`);
    if (visibility === "hidden" && !disk.writable(folder.parent)) {
      throw new EremosError("no-permission", "Hiding renames the folder, and this account may not change the folder it lies in. Nothing was touched; lock it in view instead.");
    }
    const found = look(disk, folder.dir, folder.name, hooks);
    refuse(found.refusals);
    refuseWithoutSpace(disk, folder.dir, found);
    return found;
  } finally {
    closeFolder(disk, folder);
  }
}

export interface LockPreview {
  readonly files: number;
  readonly bytes: number;
  readonly outsideLinks: readonly string[];
  /** Programs that have something of the folder open. */
  readonly holders: readonly string[];
}

/** What a lock would take on. Touches nothing. @throws EremosError for every refusal */
export function previewLock(disk: Disk, path: Buffer, visibility: LockInput["visibility"]): LockPreview {
  const { files, bytes, outsideLinks } = surveyForLock(disk, path, visibility, silentHooks);
  return { files, bytes, outsideLinks, holders: [...new Set(disk.holders(path).map((holder) => holder.program))] };
}

function look(disk: Disk, dir: Dir, name: Buffer, hooks: Hooks): Survey {
  return survey(disk, dir, name, { skipAtTop: [VAULT_NAME], xattrs: disk.capabilities.extendedAttributes }, hooks);
}

function refuseWithoutSpace(disk: Disk, dir: Dir, found: Survey): void {
  const needed = found.bytes + Math.ceil(found.bytes / 2048) + found.files * 512 + SPACE_MARGIN;
  const free = disk.freeBytes(dir);
  if (free < needed) {
    throw new EremosError("no-space", `Locking needs ${megabytes(needed)} free on this disk and there are ${megabytes(free)}. Nothing was touched; make room first.`, { needed, free });
  }
}

function megabytes(bytes: number): string {
  return `${Math.ceil(bytes / 1e6).toLocaleString("en")} MB`;
}

function refuseInUse(disk: Disk, input: LockInput): readonly Holder[] {
  const holders = disk.holders(input.path);
  const writers = holders.filter((holder) => holder.writes).map((holder) => holder.program);
  if (writers.length > 0 && !input.inUseAnyway) {
    throw new EremosError("in-use", `${[...new Set(writers)].join(", ")} has files in ${displayPath(input.path)} open for writing. Nothing was touched; close them and lock again.`, { programs: writers });
  }
  return holders;
}

/** The state to lock from; an operation that was cut off is brought to an end first. */
function stateForLock(disk: Disk, folder: HeldFolder, input: LockInput): StateRecord | null {
  const before = loadState(disk, folder.vault);
  if (!before) return null;
  if (before.state !== "open" && before.state !== "sealed") recoverHeld(disk, folder);
  const state = disk.find(folder.dir, VAULT_NAME) ? loadState(disk, folder.vault) : null;
  if (!state) throw new EremosError("interrupted", "An earlier lock of this folder had been cut off; it was undone and everything is at its place. Lock it again.");
  if (state.state === "sealed") throw new EremosError("already-protected", `${displayPath(input.path)} is locked already. Nothing was touched.`);
  if (state.folder !== input.folder) throw new EremosError("already-protected", `${displayPath(input.path)} was protected by another Eremos. Nothing was touched.`);
  return state;
}

interface Making {
  readonly keys: FolderKeys;
  readonly keyName: string;
  readonly keyRecord: KeyRecord | null;
  readonly header: FolderHeader;
  readonly isNew: boolean;
  readonly publicKey: string;
  readonly base: StateRecord | null;
  readonly parent: GenerationBody["parent"];
}

async function prepare(disk: Disk, folder: HeldFolder, input: LockInput, base: StateRecord | null): Promise<Making> {
  if (!base) return prepareFirst(input);
  const { record: header } = loadHeader(disk, folder.vault);
  const { record } = loadGeneration(disk, folder.vault, base.generation);
  const parent = { generation: base.generation, digest: generationDigest(record) };
  const common = { header, isNew: false, base, parent };
  if (input.signer.by === "owner") {
    const keys = await FolderKeys.open(disk, folder.vault, header, { ...input.signer, devices: [] });
    return { ...common, keys, keyName: FOLDER_KEY_NAME, keyRecord: null, publicKey: header.publicKey };
  }
  if (!input.note) {
    throw new EremosError("needs-sign-in", `This computer has no record that ${displayPath(input.path)} lies open, so it can't be locked while nobody is signed in. Nothing was touched; sign in first.`);
  }
  const secret = randomBytes(32);
  const keyName = toBase64(randomBytes(16));
  const keyRecord = await sealGenerationKey(input.folder, keyName, secret, fromBase64(input.note.publicKey, 32));
  return { ...common, keys: FolderKeys.of(input.folder, new Map([[keyName, secret]])), keyName, keyRecord, publicKey: input.note.publicKey };
}

async function prepareFirst(input: LockInput): Promise<Making> {
  const { signer } = input;
  const folderKey = randomBytes(32);
  const pair: KeyPair = await generateKeyPair();
  const device = signer.by === "owner" ? signer.device : signer.device.publicKey;
  const writer = signer.by === "owner" ? { by: "owner" as const, rootKey: signer.rootKey } : { by: "device" as const };
  const header = await createHeader({ folder: input.folder, owner: signer.owner, folderKey, pair, devices: [device], writer });
  wipe(pair.privateKey);
  const keys = FolderKeys.of(input.folder, new Map([[FOLDER_KEY_NAME, folderKey]]));
  return { keys, keyName: FOLDER_KEY_NAME, keyRecord: null, header, isNew: true, publicKey: header.publicKey, base: null, parent: null };
}

/** Seals, commits and only then removes; until `removing`, every failure puts everything back. */
function lockHeld(disk: Disk, folder: HeldFolder, input: LockInput, making: Making, times: Times, hooks: Hooks): LockOutcome {
  const { base } = making;
  const found = look(disk, folder.dir, folder.name, hooks);
  refuse(found.refusals);
  const surveyed = { ...found, root: { ...found.root, meta: { ...found.root.meta, atimeNs: times.atimeNs, mtimeNs: times.mtimeNs } } };
  const before = beginState(input, surveyed, base);
  commitState(disk, folder.vault, before);
  const sealed = sealContent(disk, folder, input, making, surveyed, before, hooks);
  writePage(disk, folder, input);
  disk.barrier(folder.vault);
  stopIfCancelled(hooks);

  const modes = modesToWiden(sealed.tree.root);
  // Made before the commit, which makes its entry durable: what moves into it can't get lost with it.
  const staging = ensureDir(disk, folder.vault, NAMES.staging);
  const committed = commitState(disk, folder.vault, { ...before, state: "committed", next: sealed.generation, staging: NAMES.staging.toString(), modes });
  hooks.progress({ phase: "moving", files: 0, filesTotal: sealed.tree.files, bytes: 0, bytesTotal: 0 });
  try {
    const moved = moveOut(disk, folder.dir, staging, sealed.tree.root, modes);
    disk.syncDir(folder.dir);
    disk.syncDir(staging);
    commitState(disk, folder.vault, { ...committed, state: "staged" });
    verifyStaged(disk, staging, sealed.tree.root, moved);
    const holders = refuseInUse(disk, { ...input, path: joinPath(joinPath(input.path, VAULT_NAME), NAMES.staging) });
    stopIfCancelled(hooks);

    hooks.progress({ phase: "removing", files: 0, filesTotal: sealed.tree.files, bytes: 0, bytesTotal: 0 });
    const removing = commitState(disk, folder.vault, { ...committed, state: "removing", generation: sealed.generation, next: null });
    finishRemoving(disk, folder, removing);
    const done = commitState(disk, folder.vault, { ...removing, state: "sealed", staging: null, modes: [], times: null });
    if (input.signer.by === "owner") sweep(disk, folder.vault, sealed);
    const realPath = done.visibility === "hidden" ? hide(disk, folder, done) : folder.path;
    return {
      folder: input.folder, realPath, generation: sealed.generation, digest: sealed.digest, files: sealed.tree.files, bytes: sealed.tree.bytes,
      publicKey: making.publicKey, header: writeHeader(making.header), outsideLinks: surveyed.outsideLinks,
      stillOpenIn: [...new Set(holders.map((holder) => holder.program))],
    };
  } finally {
    disk.closeDir(staging);
  }
}

function stopIfCancelled(hooks: Hooks): void {
  new Meter(hooks, "moving", 0, 0).stopIfCancelled();
}

function beginState(input: LockInput, surveyed: Survey, base: StateRecord | null): StateRecord {
  const { atimeNs, mtimeNs } = surveyed.root.meta;
  return {
    format: "eremos-state", version: 1, folder: input.folder, state: "sealing",
    generation: base?.generation ?? 0, next: (base?.generation ?? 0) + 1, visibility: input.visibility,
    hiddenName: input.visibility === "hidden" ? `.${randomBytes(10).toString("hex")}` : null,
    staging: null, modes: [], times: { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) },
    page: input.page ? sha256(input.page).toString("hex") : null,
  };
}

interface Sealed {
  readonly tree: Tree;
  readonly generation: number;
  readonly digest: string;
  readonly index: string;
}

/** Packs, index, generation record and, the first time, the header. Nothing of it counts before `committed`. */
function sealContent(disk: Disk, folder: HeldFolder, input: LockInput, making: Making, surveyed: Survey, state: StateRecord, hooks: Hooks): Sealed {
  const { base, keys, keyName } = making;
  const number = state.next ?? 1;
  const writer = new PackWriter(disk, folder.vault, keys.content(keyName), input.folder, number);
  const known = base && input.note ? loadOpened(disk, folder.vault, input.note.opened) : null;
  try {
    const meter = new Meter(hooks, "sealing", surveyed.files, surveyed.bytes);
    const sealed = sealTree(disk, folder.dir, surveyed.root, known, writer, meter);
    hooks.progress({ phase: "making-durable", files: surveyed.files, filesTotal: surveyed.files, bytes: surveyed.bytes, bytesTotal: surveyed.bytes });
    if (base && making.parent && !sealed.changed) {
      const { record } = loadGeneration(disk, folder.vault, base.generation);
      return { tree: sealed.tree, generation: base.generation, digest: generationDigest(record), index: record.index.object };
    }
    return writeNewGeneration(disk, folder, input, making, sealed.tree, number);
  } finally {
    writer.close();
  }
}

/** What was sealed when the folder was opened, if it is what the data directory remembers; else everything counts as changed. */
function loadOpened(disk: Disk, vault: Dir, digest: string): BaseTree | null {
  const bytes = readSmallFile(disk, vault, NAMES.opened, Number.MAX_SAFE_INTEGER);
  if (!bytes || sha256(bytes).toString("hex") !== digest) return null;
  return readOpened(bytes);
}

function writeNewGeneration(disk: Disk, folder: HeldFolder, input: LockInput, making: Making, tree: Tree, number: number): Sealed {
  const { keys, keyName } = making;
  const { signer } = input;
  const encoded = encodeTree({ ...tree, root: withoutIdentity(tree.root) });
  const index = new ObjectWriter(disk, folder.vault, "index", keys.content(keyName), input.folder, number);
  let written: PackInfo;
  try {
    index.append(encoded.bytes);
    written = index.finish();
  } finally {
    index.close();
  }
  const body: GenerationBody = {
    format: "eremos-generation", version: 1, folder: input.folder, generation: number, parent: making.parent, key: keyName,
    index: { object: written.object, digest: toBase64(written.digest), length: written.length, record: encoded.record },
    place: sealPlace(input.path, keys.secret(keyName), input.folder), made: signer.by === "owner" ? "signed-in" : "signed-out",
  };
  const record = signer.by === "owner" ? vouchFor(body, keys.folderKey) : signGeneration(body, signer.device);
  const write = (dirName: Buffer, name: Buffer, bytes: Buffer): void => {
    const dir = ensureDir(disk, folder.vault, dirName);
    writeFile(disk, dir, name, bytes);
    disk.closeDir(dir);
  };
  if (making.keyRecord) write(NAMES.keys, Buffer.from(`${number}-${keyName}.json`), writeKeyRecord(making.keyRecord));
  for (const copy of [false, true]) write(NAMES.generations, generationName(number, copy), writeGeneration(record));
  if (making.isNew) for (const name of [NAMES.header, NAMES.headerCopy]) writeFile(disk, folder.vault, name, writeHeader(making.header));
  return { tree, generation: number, digest: generationDigest(record), index: written.object };
}

/** Writes without making durable: the barrier before `committed` does that for all at once. */
function writeFile(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  removeEntry(disk, dir, name);
  const file = disk.create(dir, name, 0o600);
  try {
    disk.write(file, bytes, 0, bytes.length, 0);
  } finally {
    disk.closeFile(file);
  }
}

function writePage(disk: Disk, folder: HeldFolder, input: LockInput): void {
  if (!input.page) return;
  writeFile(disk, folder.vault, NAMES.page, input.page);
  disk.setMode(folder.vault, NAMES.page, 0o644);
}

/** After a lock by the signed-in owner only this generation is kept; what it does not use goes. */
function sweep(disk: Disk, vault: Dir, sealed: Sealed): void {
  const used = new Set([sealed.index, ...sealed.tree.packs.keys()].map((object) => Buffer.from(object, "base64url").toString("hex")));
  eachObject(disk, vault, (dir, name) => {
    if (!used.has(name.toString("latin1"))) disk.unlink(dir, name);
  });
  const generations = disk.openDir(vault, NAMES.generations);
  const current = [generationName(sealed.generation, false), generationName(sealed.generation, true)];
  for (const name of disk.list(generations)) if (!current.some((kept) => kept.equals(name))) disk.unlink(generations, name);
  disk.closeDir(generations);
}
