import { EremosError, fromSystemError, stopped } from "../../../errors/eremos-error";
import { writeHead } from "../../../format/header";
import { generationDigest, refOf } from "../../../format/generation";
import { decodeObjectHeader } from "../../../format/object";
import { newFrame } from "../../../format/record-file";
import { type StateRecord, withoutOverwriting } from "../../../format/state";
import type { Dir, Disk, Holder, Stat } from "../../../platform/port";
import {
  type Room,
  type SealedContent,
  type SealingInput,
  type SealingOf,
  type Strategy,
  type Swept,
  bytesForWhole,
  changedSince,
  chooseStrategy,
  followCommitWhole,
  loadOpened,
  prepare,
  sealContent,
  sealedBefore,
  sealedFor,
  sweepKeeping,
} from "../../contents";
import { believedOf, commitState, isOwnState, loadState, removeObject } from "../../records";
import { sealFileByFile } from "./file-by-file";
import {
  type HeldFolder,
  type Hooks,
  Meter,
  NAMES,
  OWN_DIR_NAME,
  type Survey,
  closeFolder,
  displayPath,
  ensureDir,
  fileAt,
  holdFolder,
  joinPath,
  letGo,
  openFolder,
  refuse,
  refuseInUse,
  silentHooks,
  splitPath,
  survey,
  takeBack,
  topModeOf,
  withHeldNames,
  within,
} from "../../ground";
import { type Grounds, type Hiding, hide, hidingFor, shownBy, writeSigns } from "../../visibility";
import type { LockPreview, Locked, SealedFacts } from "../guard";
import { finishRemoving, recoverHeld } from "./recover-sealed";
import { closedRoot } from "../unencrypted/guard-records";
import { moveOut, verifyStaged } from "./staging";
import { said } from "@eremos/words/core/guards";

const ATTEMPTS = 3;

/**
 * Seals a folder in place: everything sealed and durable, committed, and only then is the plain copy removed. A failure
 * before that point puts everything back; file by file, what is sealed stays sealed and the rest stays plain.
 * @throws EremosError for every refusal, before anything is touched
 */
export async function sealFolder(disk: Disk, input: SealingInput, hooks: Hooks): Promise<Locked> {
  let quickly = true;
  for (let attempt = 1; ; attempt++) {
    try {
      return await lockOnce(disk, input, quickly, hooks);
    } catch (error) {
      const code = error instanceof EremosError ? error.code : null;
      const again =
        (code === "changed-while-locking" && attempt < ATTEMPTS) ||
        (code === "no-space" && quickly && input.note !== null);
      if (!again) throw error;
      quickly = false;
    }
  }
}

async function lockOnce(disk: Disk, input: SealingInput, quickly: boolean, hooks: Hooks): Promise<Locked> {
  const looked = lookBeforeTouching(disk, input, quickly, hooks);
  refuseInUse(disk, input);
  const folder = holdFolder(disk, input.path, { create: true });
  try {
    const base = stateForLock(disk, folder, input);
    const making = await prepare(disk, folder, input, base);
    try {
      const opened = sealedBefore(disk, folder, input, making);
      return lockHeld(
        {
          disk: opened?.hasHeldNames ? withHeldNames(disk, folder, opened.tree) : disk,
          folder,
          input,
          making,
          opened,
          surveyed: looked.found,
          hiding: looked.hiding,
          hooks,
        },
        looked.room.strategy,
      );
    } finally {
      making.keys.wipe();
    }
  } catch (error) {
    throw undoLock(disk, folder, looked.found.root, error);
  } finally {
    letGo(disk, folder);
  }
}

/**
 * Undoes a failed lock the way a crash would be undone; from `removing` on the sealed copy is the true one and stays.
 */
function undoLock(disk: Disk, folder: HeldFolder, root: Stat, error: unknown): EremosError {
  const state = stateOrNull(disk, folder);
  if (state?.state === "removing" || state?.state === "sealed") {
    return fromSystemError(error, said("removing-plain-copy-sealed-copy"));
  }
  try {
    if (disk.find(folder.dir, OWN_DIR_NAME)) recoverHeld(disk, folder);
  } catch {
    return fromSystemError(error, said("locking-what-was-begun-could", { path: displayPath(folder.path) }));
  }
  if (state?.mixed) {
    return stopped(error, (because) =>
      said("eremos-stopped-while-locking-file", { path: displayPath(folder.path), because }),
    );
  }
  if (!state) takeBack(() => disk.setTimes(folder.dir, root.atimeNs, root.mtimeNs));
  return fromSystemError(error, said("locking-everything-is-at-its"));
}

function stateOrNull(disk: Disk, folder: HeldFolder): StateRecord | null {
  try {
    return disk.find(folder.dir, OWN_DIR_NAME) ? loadState(disk, folder.ownDir) : null;
  } catch {
    return null;
  }
}

type Looking = Grounds & Pick<SealingInput, "path" | "visibility" | "cover" | "note">;

interface Look {
  readonly found: Pick<Survey, "root" | "entries" | "files" | "bytes" | "largest">;
  readonly room: Room;
  readonly outsideLinks: readonly string[];
  readonly foreign: readonly string[];
  readonly hiding: Hiding;
}

/**
 * Every refusal that a walk can find. `quickly`: of an open folder whose sealed copy is known, what was sealed tells
 * enough, and the walk that seals finds the rest. @throws EremosError
 */
function lookBeforeTouching(
  disk: Disk,
  { path, visibility, cover = null, note, ...grounds }: Looking,
  quickly: boolean,
  hooks: Hooks,
): Look {
  const folder = openFolder(disk, path);
  try {
    if (!disk.writable(folder.dir))
      throw new EremosError("no-permission", said("this-account-may-not-change", { path: displayPath(path) }));
    const hiding = hidingFor(disk, path, { visibility, cover }, grounds);
    const free = disk.freeBytes(folder.dir);
    const base = note && folder.ownDir ? loadOpened(disk, folder.ownDir, note.opened) : null;
    if (quickly && base) {
      const { files, bytes, entries } = base.tree;
      const found = { root: disk.statOpen(folder.dir), entries, files, bytes, largest: bytes };
      if (bytesForWhole(found) <= free)
        return { found, room: { strategy: "whole", free }, outsideLinks: [], foreign: [], hiding };
    }
    const found = survey(disk, folder.dir, hooks);
    refuse(found.refusals);
    // What is sealed already goes first, and makes room for the rest.
    if (folder.ownDir && loadState(disk, folder.ownDir)?.mixed)
      return {
        found,
        room: { strategy: "file-by-file", free },
        outsideLinks: found.outsideLinks,
        foreign: found.foreign,
        hiding,
      };
    const amount = base && bytesForWhole(found) > free ? changedSince(disk, folder.dir, base, found) : found;
    return {
      found,
      room: chooseStrategy(amount, free, "Locking"),
      outsideLinks: found.outsideLinks,
      foreign: found.foreign,
      hiding,
    };
  } catch (error) {
    throw fromSystemError(error, said("looking-at-nothing-was-touched", { path: displayPath(path) }));
  } finally {
    closeFolder(disk, folder);
  }
}

/** What a lock would take on. Touches nothing. @throws EremosError for every refusal */
export function previewSealing(
  disk: Disk,
  input: Grounds & Pick<SealingInput, "path" | "visibility" | "cover">,
): LockPreview {
  const { path } = input;
  const file = fileAt(disk, path);
  if (file) return previewFile(disk, path, file);
  const { found, room, outsideLinks, foreign } = lookBeforeTouching(disk, { ...input, note: null }, false, silentHooks);
  const { files, bytes } = found;
  return {
    files,
    bytes,
    outsideLinks,
    foreign,
    holders: [...new Set(disk.holders(path).map((holder) => holder.program))],
    tellsWriters: within(disk, disk.openRoot(path), (dir) => tellsWriters(disk, dir)),
    strategy: room.strategy,
  };
}

/** Where it goes and how it hides is found out when it is locked: its container does not exist yet. */
function previewFile(disk: Disk, path: Buffer, stat: Stat): LockPreview {
  const { size, nlink } = stat;
  const { parent, name } = splitPath(path);
  const free = within(disk, disk.openRoot(parent), (dir) => disk.freeBytes(dir));
  const { strategy } = chooseStrategy({ entries: 1, bytes: size, largest: size }, free, "Locking");
  return {
    files: 1,
    bytes: size,
    outsideLinks: nlink > 1 ? [displayPath(name)] : [],
    foreign: disk.owns(stat) ? [] : [displayPath(name)],
    holders: [...new Set(disk.holders(path).map(({ program }) => program))],
    tellsWriters: within(disk, disk.openRoot(parent), (dir) => disk.isWritten(dir, name)) !== null,
    strategy,
  };
}

/** By the first file of the account's own; true where there is none. */
function tellsWriters(disk: Disk, dir: Dir): boolean {
  const own = disk.list(dir).find((name) => {
    const stat = disk.stat(dir, name);
    return stat.type === "file" && disk.owns(stat);
  });
  return own === undefined || disk.isWritten(dir, own) !== null;
}

/** The state to lock from; an operation that was cut off is brought to an end first. */
function stateForLock(disk: Disk, folder: HeldFolder, input: SealingInput): StateRecord | null {
  const before = loadState(disk, folder.ownDir);
  if (!before) return null;
  if (before.state !== "sealed" && (before.state !== "open" || !isOwnState(disk, folder.ownDir, before)))
    recoverHeld(disk, folder);
  const state = disk.find(folder.dir, OWN_DIR_NAME) ? loadState(disk, folder.ownDir) : null;
  if (!state) throw new EremosError("interrupted", said("earlier-lock-this-folder-had"));
  if (state.state === "sealed")
    throw new EremosError(
      "already-protected",
      said("is-locked-already-nothing-was", { path: displayPath(input.path) }),
    );
  if (state.folder !== input.folder)
    throw new EremosError(
      "already-protected",
      said("was-protected-by-another-eremos", { path: displayPath(input.path) }),
    );
  return state;
}

/** Seals, commits and only then removes; until `removing`, every failure puts everything back. */
function lockHeld(of: SealingOf, strategy: Strategy): Locked {
  const { disk, folder, input, making } = of;
  let now = beginState(of);
  const isMixed = strategy === "file-by-file" || making.base?.state === "mixed";
  const content = isMixed
    ? sealFileByFile(of, now, (state) => (now = state))
    : sealWhole(of, now, (state) => (now = state));
  writeSigns(disk, folder.ownDir, input);
  disk.barrier(folder.ownDir);
  stopIfCancelled(of.hooks);
  // Made before the commit, which makes its entry durable: what moves into it can't get lost with it.
  disk.closeDir(ensureDir(disk, folder.ownDir, NAMES.staging));
  now = commitState(disk, folder.ownDir, {
    ...now,
    state: "committed",
    next: isMixed ? null : now.next,
    staging: NAMES.staging.toString(),
  });
  const { holders, earlier, notOverwritten } = removePlain(of, content, now);
  const done = loadState(disk, folder.ownDir) ?? now;
  return {
    folder: input.folder,
    path: hide(disk, folder, done),
    stillOpenIn: [...new Set(holders.map((holder) => holder.program))],
    sealed: {
      generation: content.record.number,
      digest: generationDigest(content.record),
      files: content.tree.files,
      bytes: content.tree.bytes,
      publicKey: making.publicKey,
      header: writeHead(making.head),
      outsideLinks: content.sealed.outsideLinks,
      strategy: isMixed ? "file-by-file" : "whole",
      earlier,
      notOverwritten,
    },
  };
}

function sealWhole(of: SealingOf, state: StateRecord, onState: (state: StateRecord) => void): SealedContent {
  commitState(of.disk, of.folder.ownDir, state);
  return sealContent(of, of.opened, state, Number.POSITIVE_INFINITY, onState);
}

/**
 * Moves the plain copy out, looks at it once more, and removes it. Returns the programs that still hold files of it,
 * and what became of its earlier states.
 */
function removePlain(
  of: SealingOf,
  content: SealedContent,
  committed: StateRecord,
): Pick<SealedFacts, "earlier" | "notOverwritten"> & { readonly holders: readonly Holder[] } {
  const { disk, folder, input, hooks } = of;
  const { files } = content.tree;
  const { sealed, close } = sealedFor(of, content, committed.mixed);
  try {
    return within(disk, disk.openDir(folder.ownDir, NAMES.staging), (staging) => {
      hooks.progress({ phase: "moving", files: 0, filesTotal: files, bytes: 0, bytesTotal: 0 });
      moveOut(disk, folder.dir, staging, sealed);
      disk.syncDir(folder.dir);
      disk.syncDir(staging);
      commitState(disk, folder.ownDir, { ...committed, state: "staged" });
      verifyStaged(disk, staging, sealed);
      const holders = refuseInUse(disk, {
        ...input,
        path: joinPath(joinPath(input.path, OWN_DIR_NAME), NAMES.staging),
      });
      stopIfCancelled(hooks);

      const { overwrites = 0 } = committed;
      const meter =
        overwrites > 0
          ? new Meter(hooks, "overwriting", 0, content.tree.bytes * overwrites)
          : new Meter(hooks, "removing", files, 0);
      const removing = commitState(disk, folder.ownDir, {
        ...committed,
        state: "removing",
        generation: refOf(content.record),
        next: null,
        mixed: false,
      });
      const notOverwritten = finishRemoving(disk, folder, removing, (bytes) => meter.countBytes(bytes));
      commitState(disk, folder.ownDir, {
        ...withoutOverwriting(removing),
        state: "sealed",
        staging: null,
        modes: [],
        times: null,
      });
      removeStrays(of, content);
      return { holders, earlier: sweepAfter(of, content), notOverwritten };
    });
  } finally {
    close();
  }
}

/** Whoever is not signed in can't tell whose an earlier state is: all of them stay. */
function sweepAfter(
  { disk, folder, input: { signer, keepEarlier = 0 }, making: { head } }: SealingOf,
  { record }: SealedContent,
): Swept {
  if (signer.by === "owner")
    return sweepKeeping(
      disk,
      folder.ownDir,
      { head, believed: believedOf({ ...signer, devices: [signer.device] }) },
      record,
      keepEarlier,
    );
  followCommitWhole(disk, folder.ownDir);
  return "gone";
}

/** Packs of files that kept changing while they were read: written now, and used by nothing. */
function removeStrays({ disk, folder, making }: SealingOf, { sealed, tree }: SealedContent): void {
  const used = new Set(tree.packs().map(({ object }) => object));
  for (const { object, header } of sealed.packs.values())
    if (!used.has(object) && decodeObjectHeader(header).batch === making.batch)
      removeObject(disk, folder.ownDir, "pack", object);
}

function stopIfCancelled(hooks: Hooks): void {
  new Meter(hooks, "moving", 0, 0).stopIfCancelled();
}

function beginState({ disk, folder, input, surveyed, making, hiding }: SealingOf): StateRecord {
  const { base } = making;
  const closed = base ? null : closedRoot(disk, folder);
  const { atimeNs, mtimeNs } = surveyed.root;
  const isMixed = base?.state === "mixed";
  const { overwrite = 0 } = input;
  return {
    ...(base
      ? withoutOverwriting(base)
      : { ...newFrame("eremos-state"), by: disk.identity.id, sequence: 1, place: null }),
    ...(overwrite > 0 ? { overwrites: overwrite } : {}),
    folder: input.folder,
    state: isMixed ? "mixed" : "sealing",
    generation: base?.generation ?? null,
    next: { number: (base?.generation?.number ?? 0) + 1, batch: making.batch },
    ...hiding,
    staging: null,
    modes: base?.modes ?? (closed ? [topModeOf(disk, folder.dir, closed.mode)] : []),
    mixed: isMixed,
    times: base?.times ?? { atimeNs: String(atimeNs), mtimeNs: String(mtimeNs) },
    shows: shownBy(input),
  };
}
