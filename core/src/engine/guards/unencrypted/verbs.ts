import { fromBase64 } from "../../../crypto/bytes";
import { sealTo } from "../../../crypto/envelope";
import { EremosError, fromSystemError } from "../../../errors/eremos-error";
import { type Bars, traitsOf } from "../../../format/guards";
import { type GuardRecord, type Original, placePurpose, recordedGuard } from "../../../format/guard-record";
import type { OwnerEnvelope } from "../../../format/owner";
import { newFrame } from "../../../format/record-file";
import type { Disk } from "../../../platform/port";
import { depthOf, requireSensible } from "./bars";
import { type Hiding, IN_VIEW, hidingFor, hidingOrBack, showAtOrdinaryPath } from "../../visibility";
import { refuseWaitingDrops } from "../../slot";
import {
  type Folder,
  type HeldFolder,
  type Hooks,
  NAMES,
  OWN_DIR_NAME,
  closeFolder,
  displayPath,
  dropLock,
  emptyDir,
  fileAt,
  hasRecord,
  holdFolder,
  letGo,
  openFolder,
  takeBack,
} from "../../ground";
import { whatBarsChange } from "./permissions";
import { type Settled, arrivalsBeside, contentsAt, inListable, recoverGuarded, settle } from "./settle";
import { closedRoot, commitGuard, isOwnGuard, loadGuard, rootOriginal, saveOriginals } from "./guard-records";
import type {
  ChangeInput,
  Changed,
  Guard,
  Guarding,
  InHand,
  LockInput,
  LockPreview,
  Locked,
  PreviewInput,
  UnlockInput,
  Unlocked,
} from "../guard";
import { hasState, loadState } from "../../records";
import { said } from "@eremos/words/core/guards";

/**
 * What the guards that leave contents as they are have in common: out of sight (hidden only) and barred (the operating
 * system refuses). What is to be true is written down first, durably, with the permissions there were; then it is made
 * true; both can be repeated. So recovery only goes forward, needs no key, and nobody who was barred is let in on the
 * way. FORMAT.md §10.
 */
export function unencrypted(guard: GuardRecord["guard"]): Guard<GuardRecord> {
  return {
    inspect: (disk, folder, record) => ({
      folder: record.folder,
      guard: record.guard,
      state: record.state,
      generation: 0,
      visibility: record.visibility,
      lockedName: record.lockedName,
      held: record.held,
      isOwn: isOwnGuard(disk, record),
      arrivals: arrivalsBeside(disk, folder, record),
      drops: 0,
      remains: 0,
    }),
    recover: (disk, folder, record) => {
      const { record: now, path, settled } = recoverGuarded(disk, folder, record);
      const step = record.state === "erasing" ? ("erase" as const) : ("settle" as const);
      return { state: now?.state ?? null, path, steps: settled ? [step] : [] };
    },
    preview,
    lock: (disk, input, hooks) => shutFolder(disk, { ...input, guard }, hooks),
    unlock: async (disk, hand, input) => leave(disk, hand, input, "opening"),
    release: async (disk, hand, input) => leave(disk, hand, input, "releasing"),
    change: changeShut,
    erase: (disk, { folder }, passes) => {
      const record = restingRecord(disk, folder);
      if (record.state !== "locked")
        throw new EremosError("not-locked", said("is-not-locked-now-nothing", { path: displayPath(folder.path) }));
      const erasing = { ...record, state: "erasing" as const, ...(passes > 0 ? { overwrites: passes } : {}) };
      settle(disk, folder, commitGuard(disk, folder.ownDir, erasing));
    },
    reach: (disk, path) => ({ isEncrypted: false, at: contentsAt(disk, path) }),
  };
}

/** Nothing is read: how large it is does not matter. */
function preview(disk: Disk, { path, visibility, cover = null, ...grounds }: PreviewInput): LockPreview {
  // A file hides in a container that does not exist yet.
  if (!fileAt(disk, path)) hidingFor(disk, path, { visibility, cover }, grounds);
  return {
    files: 0,
    bytes: 0,
    outsideLinks: [],
    foreign: [],
    holders: programsIn(disk, path),
    tellsWriters: true,
    strategy: "whole",
  };
}

type ShutInput = LockInput & { readonly guard: GuardRecord["guard"] };

async function shutFolder(disk: Disk, input: ShutInput, hooks: Hooks): Promise<Locked> {
  const { root, hiding } = lookBeforeGuarding(disk, input);
  const place = await sealTo(fromBase64(input.owner.sealing.publicKey, 32), placePurpose(input.folder), input.path);
  const folder = holdFolder(disk, input.path, { create: true });
  let recorded: GuardRecord | null = null;
  let isKnown = false;
  let wasClosed = false;
  try {
    const before = recordedOpen(disk, folder, input);
    refuseWaitingDrops(disk, folder.ownDir);
    isKnown = before !== null || hasState(disk, folder.ownDir);
    const own = closedRoot(disk, folder);
    wasClosed = own !== null;
    const originals = findOriginals(disk, folder, own, input.bars, hooks);
    const record: GuardRecord = {
      ...(before ?? newFrame("eremos-guard")),
      folder: input.folder,
      system: disk.system,
      guard: input.guard,
      state: "barring",
      ...hiding,
      bars: input.bars,
      closed: false,
      next: null,
      originals: saveOriginals(disk, folder.ownDir, originals),
      place,
      owner: input.owner,
      times: before?.times ?? { atimeNs: String(root.atimeNs), mtimeNs: String(root.mtimeNs) },
    };
    recorded = commitGuard(disk, folder.ownDir, record);
    const { path } = settle(disk, folder, record);
    return { folder: input.folder, path, stillOpenIn: programsIn(disk, path), sealed: null };
  } catch (error) {
    if (!recorded) undoBeginning(disk, folder, root);
    else if (isAtItsPlace(disk, folder))
      backToOpen(disk, folder, {
        ...recorded,
        ...IN_VIEW,
        state: isKnown ? "opening" : "releasing",
        closed: wasClosed,
      });
    else throw fromSystemError(error, said("locking-it-is-hidden-already"));
    throw fromSystemError(error, said("locking-its-contents-are-untouched"));
  } finally {
    letGo(disk, folder);
  }
}

/**
 * Once it has its hidden name, there is only the way forward: under that name it must never become an ordinary folder.
 */
function isAtItsPlace(disk: Disk, folder: HeldFolder): boolean {
  try {
    return disk.find(folder.parent, folder.name)?.ino === disk.statOpen(folder.dir).ino;
  } catch {
    return false;
  }
}

/** What can't be put back now is put right before anything else is done with the folder. */
function backToOpen(disk: Disk, folder: HeldFolder, record: GuardRecord): void {
  takeBack(() => void settle(disk, folder, commitGuard(disk, folder.ownDir, record)));
}

/** At its place, with the permissions it had: open, or an ordinary folder again. @throws EremosError `not-locked` */
function leave(
  disk: Disk,
  hand: InHand,
  { path, place, closed = false }: UnlockInput,
  state: "opening" | "releasing",
): Unlocked {
  try {
    const record = restingRecord(disk, hand.folder);
    if (record.state === "open" && state === "opening")
      throw new EremosError("not-locked", said("is-open-already-nothing-was", { path: displayPath(path) }));
    hand.folder = showAtOrdinaryPath(disk, hand.folder, record, place);
    const { folder } = hand;
    const originals =
      record.originals ?? (closed ? saveOriginals(disk, folder.ownDir, [rootOriginal(disk, folder)]) : null);
    const next = commitGuard(disk, folder.ownDir, {
      ...record,
      ...IN_VIEW,
      visibility: record.visibility,
      state,
      closed,
      originals,
    });
    settle(disk, folder, next);
    return { folder: record.folder, path: folder.path, unsealed: null };
  } catch (error) {
    throw fromSystemError(error, said("opening-its-contents-are-untouched"));
  }
}

function changeShut(disk: Disk, hand: InHand, input: ChangeInput): Changed {
  requireSensible(input.bars);
  requireHidden(input);
  try {
    const record = restingRecord(disk, hand.folder);
    if (record.state !== "locked")
      throw new EremosError("not-locked", said("is-not-locked-now-nothing", { path: displayPath(input.path) }));
    requireOwned(disk, hand.folder, input.bars);
    const isMoving =
      input.visibility !== record.visibility ||
      (input.visibility === "view" && (input.cover ?? null) !== record.lockedName);
    if (isMoving) hand.folder = showAtOrdinaryPath(disk, hand.folder, record, input.place);
    const { folder } = hand;
    const hiding = isMoving ? hidingOrBack(disk, folder, record, input, input) : {};
    const next = commitGuard(disk, folder.ownDir, {
      ...record,
      ...hiding,
      guard: recordedGuard(input.guard),
      ...wayTo(disk, folder, record, input.bars),
    });
    const { path } = settleOrBack(disk, folder, next, record);
    return { path, stillOpenIn: programsIn(disk, path) };
  } catch (error) {
    throw fromSystemError(error, said("changing-how-folder-is-locked"));
  }
}

/** New bars that can't be had are given up for the old ones, which are still written down. */
function settleOrBack(disk: Disk, folder: HeldFolder, next: GuardRecord, before: GuardRecord): Settled {
  try {
    return settle(disk, folder, next);
  } catch (error) {
    if (loadGuard(disk, folder.ownDir)?.state === "closing") {
      settle(
        disk,
        folder,
        commitGuard(disk, folder.ownDir, { ...before, originals: next.originals, state: "barring" }),
      );
    }
    throw error;
  }
}

/**
 * Where permissions change, the folder is closed to others from before the old bars go until after the new ones are
 * there.
 */
function wayTo(
  disk: Disk,
  folder: HeldFolder,
  record: GuardRecord,
  bars: Bars,
): Pick<GuardRecord, "state" | "next" | "originals"> {
  if (record.originals === null && depthOf(bars) === "none") return { state: "barring", next: null, originals: null };
  return {
    state: "closing",
    next: bars,
    originals: record.originals ?? saveOriginals(disk, folder.ownDir, [rootOriginal(disk, folder)]),
  };
}

/**
 * After a change of the master password, or of all keys: the record leads from the new one to the folder's ordinary
 * path. Does nothing where it does already.
 */
export async function renewGuardOwner(disk: Disk, path: Buffer, owner: OwnerEnvelope, ordinary: Buffer): Promise<void> {
  const folder = holdFolder(disk, path, { create: false });
  try {
    const record = loadGuard(disk, folder.ownDir);
    // A record that somebody else wrote gets no proof of this computer's by being renewed.
    if (!record || !isOwnGuard(disk, record) || record.owner.signature === owner.signature) return;
    const isSealedToIt = record.owner.sealing.publicKey === owner.sealing.publicKey;
    const place = isSealedToIt
      ? record.place
      : await sealTo(fromBase64(owner.sealing.publicKey, 32), placePurpose(record.folder), ordinary);
    commitGuard(disk, folder.ownDir, { ...record, owner, place });
  } finally {
    letGo(disk, folder);
  }
}

/** `own`: the folder's permissions where it is closed to others now, which it gets back in any case. */
function findOriginals(disk: Disk, folder: HeldFolder, own: Original | null, bars: Bars, hooks: Hooks): Original[] {
  if (depthOf(bars) === "none") return own ? [own] : [];
  return [
    own ?? rootOriginal(disk, folder),
    ...inListable(disk, folder, (dir) => whatBarsChange(disk, dir, bars, hooks)),
  ];
}

function lookBeforeGuarding(
  disk: Disk,
  input: LockInput,
): { readonly root: { readonly atimeNs: bigint; readonly mtimeNs: bigint }; readonly hiding: Hiding } {
  requireSensible(input.bars);
  requireHidden(input);
  const folder = openFolder(disk, input.path);
  try {
    requireOwned(disk, folder, input.bars);
    if (!disk.writable(folder.dir))
      throw new EremosError("no-permission", said("this-account-may-not-change", { path: displayPath(input.path) }));
    return { root: disk.statOpen(folder.dir), hiding: hidingFor(disk, input.path, input, input) };
  } catch (error) {
    throw fromSystemError(error, said("looking-at-nothing-was-touched", { path: displayPath(input.path) }));
  } finally {
    closeFolder(disk, folder);
  }
}

function requireHidden({ guard, visibility }: Guarding): void {
  if (!traitsOf(guard).worksInView && visibility === "view")
    throw new EremosError("usage", said("out-sight-means-hidden-in"));
}

function requireOwned(disk: Disk, folder: Folder, bars: Bars): void {
  if (depthOf(bars) === "none" || disk.owns(disk.stat(folder.parent, folder.name))) return;
  throw new EremosError("no-permission", said("belongs-another-account-so-its", { path: displayPath(folder.path) }));
}

/**
 * What the folder is now, brought to rest; null where it was never protected. @throws EremosError `already-protected` |
 * `interrupted`
 */
function recordedOpen(disk: Disk, folder: HeldFolder, input: LockInput): GuardRecord | null {
  const known = loadGuard(disk, folder.ownDir);
  if (known && known.folder !== input.folder)
    throw new EremosError(
      "already-protected",
      said("was-protected-by-another-eremos", { path: displayPath(input.path) }),
    );
  const record = known ? recoverGuarded(disk, folder, known).record : null;
  if (record && record.state !== "open")
    throw new EremosError(
      "already-protected",
      said("is-locked-already-nothing-was", { path: displayPath(input.path) }),
    );
  const sealed = loadState(disk, folder.ownDir);
  if (sealed && (sealed.state !== "open" || sealed.folder !== input.folder))
    throw new EremosError("already-protected", said("is-sealed-now-nothing-was", { path: displayPath(input.path) }));
  return record;
}

/** A record at rest: locked or open. @throws EremosError `not-protected` */
function restingRecord(disk: Disk, folder: HeldFolder): GuardRecord {
  const record = disk.find(folder.dir, OWN_DIR_NAME) ? loadGuard(disk, folder.ownDir) : null;
  if (!record)
    throw new EremosError("not-protected", said("is-ordinary-folder-there-is", { path: displayPath(folder.path) }));
  return record;
}

/** Before the first record nothing was changed but that Eremos' directory was made. */
function undoBeginning(
  disk: Disk,
  folder: HeldFolder,
  root: { readonly atimeNs: bigint; readonly mtimeNs: bigint },
): void {
  takeBack(() => {
    if (hasRecord(disk, folder.ownDir, NAMES.guard) || hasState(disk, folder.ownDir)) return;
    dropLock(disk, folder);
    if (hasRecord(disk, folder.ownDir, NAMES.file)) return;
    emptyDir(disk, folder.ownDir);
    disk.removeDir(folder.dir, OWN_DIR_NAME);
    disk.setTimes(folder.dir, root.atimeNs, root.mtimeNs);
  });
}

function programsIn(disk: Disk, path: Buffer): readonly string[] {
  return [...new Set(disk.holders(path).map((holder) => holder.program))];
}
