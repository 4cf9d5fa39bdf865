import { fromBase64 } from "../../../crypto/bytes";
import { sealTo } from "../../../crypto/envelope";
import { EremosError, fromSystemError } from "../../../errors/eremos-error";
import { type Bars, type GuardRecord, type Original, placePurpose } from "../../../format/guard-record";
import type { OwnerEnvelope } from "../../../format/owner";
import { newFrame } from "../../../format/record-file";
import type { StateRecord } from "../../../format/state";
import type { Disk } from "../../../platform/port";
import { reachOf, requireSensible } from "./bars";
import { type Grounds, type Hiding, IN_VIEW, hidingFor, hidingOrBack, showAtOrdinaryPath } from "../../visibility";
import { refuseWaitingDrops } from "../../slot";
import {
  type Folder,
  type HeldFolder,
  type Hooks,
  NAMES,
  VAULT_NAME,
  closeFolder,
  displayPath,
  dropLock,
  emptyDir,
  hasRecord,
  holdFolder,
  letGo,
  openFolder,
} from "../../ground";
import { whatBarsChange } from "./permissions";
import { type Settled, inListable, recoverGuarded, settle } from "./settle";
import { closedRoot, commitGuard, isOwnGuard, loadGuard, rootOriginal, saveOriginals } from "./guard-records";
import { holdAtRest } from "../recover";
import { settleFile, withFileWrapped } from "../single-file";
import { hasState, loadState } from "../../records";

/**
 * The guards that leave contents as they are: out of sight (hidden only) and barred (the operating system refuses).
 * What is to be true is written down first, durably, with the permissions there were; then it is made true; both can be
 * repeated. So recovery only goes forward, needs no key, and nobody who was barred is let in on the way. FORMAT.md §10.
 */
export interface Guarding extends Grounds {
  readonly guard: GuardRecord["guard"];
  /** No bars for out of sight. */
  readonly bars: Bars;
  readonly visibility: StateRecord["visibility"];
  /** In view: another name that it shows while it is locked. */
  readonly cover?: string | null;
}

export interface GuardInput extends Guarding {
  readonly path: Buffer;
  /** A new id for a first lock, the folder's own for a later one. */
  readonly folder: string;
  readonly owner: OwnerEnvelope;
}

export interface GuardedInput {
  /** Where the folder is now. */
  readonly path: Buffer;
  /** Its ordinary path, from the owner's own list. */
  readonly place: Buffer;
  /**
   * Opened for its owner's account alone, and a single file not at its place: it is about to be locked in another way.
   */
  readonly closed?: boolean;
}

export interface GuardOutcome {
  readonly folder: string;
  /** Where the folder is now. */
  readonly path: Buffer;
  /** Programs that still have files of it open, and keep reading them. */
  readonly stillOpenIn: readonly string[];
}

/** Bars a folder, or puts it out of sight. @throws EremosError for every refusal, before anything is touched */
export async function guardFolder(disk: Disk, input: GuardInput, hooks: Hooks): Promise<GuardOutcome> {
  return withFileWrapped(disk, input.path, () => guardWrapped(disk, input, hooks));
}

async function guardWrapped(disk: Disk, input: GuardInput, hooks: Hooks): Promise<GuardOutcome> {
  const { root, hiding } = lookBeforeGuarding(disk, input);
  const place = await sealTo(fromBase64(input.owner.sealing.publicKey, 32), placePurpose(input.folder), input.path);
  const folder = holdFolder(disk, input.path, { create: true });
  let recorded: GuardRecord | null = null;
  let isKnown = false;
  let wasClosed = false;
  try {
    const before = recordedOpen(disk, folder, input);
    refuseWaitingDrops(disk, folder.vault);
    isKnown = before !== null || hasState(disk, folder.vault);
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
      originals: saveOriginals(disk, folder.vault, originals),
      place,
      owner: input.owner,
      times: before?.times ?? { atimeNs: String(root.atimeNs), mtimeNs: String(root.mtimeNs) },
    };
    recorded = commitGuard(disk, folder.vault, record);
    const { path } = settle(disk, folder, record);
    return { folder: input.folder, path, stillOpenIn: programsIn(disk, path) };
  } catch (error) {
    if (!recorded) undoBeginning(disk, folder, root);
    else if (isAtItsPlace(disk, folder))
      putBack(disk, folder, { ...recorded, ...IN_VIEW, state: isKnown ? "opening" : "releasing", closed: wasClosed });
    else
      throw fromSystemError(
        error,
        "locking; it is hidden already, its contents are untouched, and Eremos finishes when it next looks at it",
      );
    throw fromSystemError(error, "locking; its contents are untouched");
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
function putBack(disk: Disk, folder: HeldFolder, record: GuardRecord): void {
  try {
    settle(disk, folder, commitGuard(disk, folder.vault, record));
  } catch {
    // The first failure is the one to tell of.
  }
}

/** Opens it at its place, with the permissions it had. @throws EremosError `not-locked` | `path-taken` | `not-found` */
export function openGuarded(disk: Disk, input: GuardedInput): GuardOutcome {
  return leave(disk, input, "opening");
}

/** An ordinary folder again, exactly as before; from locked or from open. */
export function releaseGuarded(disk: Disk, input: GuardedInput): GuardOutcome {
  return leave(disk, input, "releasing");
}

function leave(
  disk: Disk,
  { path, place, closed = false }: GuardedInput,
  state: "opening" | "releasing",
): GuardOutcome {
  let folder = holdAtRest(disk, path);
  try {
    const record = restingRecord(disk, folder);
    if (record.state === "open" && state === "opening")
      throw new EremosError("not-locked", `${displayPath(path)} is open already. Nothing was touched.`);
    folder = showAtOrdinaryPath(disk, folder, record, place);
    const originals =
      record.originals ?? (closed ? saveOriginals(disk, folder.vault, [rootOriginal(disk, folder)]) : null);
    const next = commitGuard(disk, folder.vault, {
      ...record,
      ...IN_VIEW,
      visibility: record.visibility,
      state,
      closed,
      originals,
    });
    settle(disk, folder, next);
    return { folder: record.folder, path: settleFile(disk, folder), stillOpenIn: [] };
  } catch (error) {
    throw fromSystemError(error, "opening; its contents are untouched");
  } finally {
    letGo(disk, folder);
  }
}

/**
 * Other rules, another visibility, or the other of the two guards, while it stays locked. @throws EremosError
 * `not-locked` and refusals
 */
export function changeGuarded(disk: Disk, input: GuardedInput & Guarding): GuardOutcome {
  requireSensible(input.bars);
  requireHidden(input);
  let folder = holdAtRest(disk, input.path);
  try {
    const record = restingRecord(disk, folder);
    if (record.state !== "locked")
      throw new EremosError("not-locked", `${displayPath(input.path)} is not locked now. Nothing was touched.`);
    requireOwned(disk, folder, input.bars);
    const isMoving =
      input.visibility !== record.visibility ||
      (input.visibility === "view" && (input.cover ?? null) !== record.lockedName);
    if (isMoving) folder = showAtOrdinaryPath(disk, folder, record, input.place);
    const hiding = isMoving ? hidingOrBack(disk, folder, record, input, input) : {};
    const next = commitGuard(disk, folder.vault, {
      ...record,
      ...hiding,
      guard: input.guard,
      ...wayTo(disk, folder, record, input.bars),
    });
    const { path } = settleOrBack(disk, folder, next, record);
    return { folder: record.folder, path, stillOpenIn: programsIn(disk, path) };
  } catch (error) {
    throw fromSystemError(error, "changing how the folder is locked; it stays locked");
  } finally {
    letGo(disk, folder);
  }
}

/** New bars that can't be had are given up for the old ones, which are still written down. */
function settleOrBack(disk: Disk, folder: HeldFolder, next: GuardRecord, before: GuardRecord): Settled {
  try {
    return settle(disk, folder, next);
  } catch (error) {
    if (loadGuard(disk, folder.vault)?.state === "closing") {
      settle(disk, folder, commitGuard(disk, folder.vault, { ...before, originals: next.originals, state: "barring" }));
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
  if (record.originals === null && reachOf(bars) === "none") return { state: "barring", next: null, originals: null };
  return {
    state: "closing",
    next: bars,
    originals: record.originals ?? saveOriginals(disk, folder.vault, [rootOriginal(disk, folder)]),
  };
}

/**
 * After a change of the master password, or of all keys: the record leads from the new one to the folder's ordinary
 * path. Does nothing where it does already.
 */
export async function renewGuardOwner(disk: Disk, path: Buffer, owner: OwnerEnvelope, ordinary: Buffer): Promise<void> {
  const folder = holdFolder(disk, path, { create: false });
  try {
    const record = loadGuard(disk, folder.vault);
    // A record that somebody else wrote gets no proof of this computer's by being renewed.
    if (!record || !isOwnGuard(disk, record) || record.owner.signature === owner.signature) return;
    const isSealedToIt = record.owner.sealing.publicKey === owner.sealing.publicKey;
    const place = isSealedToIt
      ? record.place
      : await sealTo(fromBase64(owner.sealing.publicKey, 32), placePurpose(record.folder), ordinary);
    commitGuard(disk, folder.vault, { ...record, owner, place });
  } finally {
    letGo(disk, folder);
  }
}

/** `own`: the folder's permissions where it is closed to others now, which it gets back in any case. */
function findOriginals(disk: Disk, folder: HeldFolder, own: Original | null, bars: Bars, hooks: Hooks): Original[] {
  if (reachOf(bars) === "none") return own ? [own] : [];
  return [
    own ?? rootOriginal(disk, folder),
    ...inListable(disk, folder, (dir) => whatBarsChange(disk, dir, bars, hooks)),
  ];
}

function lookBeforeGuarding(
  disk: Disk,
  input: GuardInput,
): { readonly root: { readonly atimeNs: bigint; readonly mtimeNs: bigint }; readonly hiding: Hiding } {
  requireSensible(input.bars);
  requireHidden(input);
  const folder = openFolder(disk, input.path);
  try {
    requireOwned(disk, folder, input.bars);
    if (!disk.writable(folder.dir))
      throw new EremosError(
        "no-permission",
        `This account may not change ${displayPath(input.path)}. Nothing was touched.`,
      );
    return { root: disk.statOpen(folder.dir), hiding: hidingFor(disk, input.path, input, input) };
  } catch (error) {
    throw fromSystemError(error, `looking at ${displayPath(input.path)}; nothing was touched`);
  } finally {
    closeFolder(disk, folder);
  }
}

function requireHidden({ guard, visibility }: Guarding): void {
  if (guard === "sight" && visibility === "view")
    throw new EremosError(
      "usage",
      "Out of sight means hidden: in view, nothing would be protected. Nothing was touched; hide the folder in place, tuck it away, or choose another guard.",
    );
}

function requireOwned(disk: Disk, folder: Folder, bars: Bars): void {
  if (reachOf(bars) === "none" || disk.owns(disk.stat(folder.parent, folder.name))) return;
  throw new EremosError(
    "no-permission",
    `${displayPath(folder.path)} belongs to another account, so its permissions can't be changed. Nothing was touched; choose another guard.`,
  );
}

/**
 * What the folder is now, brought to rest; null where it was never protected. @throws EremosError `already-protected` |
 * `interrupted`
 */
function recordedOpen(disk: Disk, folder: HeldFolder, input: GuardInput): GuardRecord | null {
  const known = loadGuard(disk, folder.vault);
  if (known && known.folder !== input.folder)
    throw new EremosError(
      "already-protected",
      `${displayPath(input.path)} was protected by another Eremos. Nothing was touched.`,
    );
  const record = known ? recoverGuarded(disk, folder, known).record : null;
  if (record && record.state !== "open")
    throw new EremosError("already-protected", `${displayPath(input.path)} is locked already. Nothing was touched.`);
  const sealed = loadState(disk, folder.vault);
  if (sealed && (sealed.state !== "open" || sealed.folder !== input.folder))
    throw new EremosError(
      "already-protected",
      `${displayPath(input.path)} is sealed now. Nothing was touched; open it first.`,
    );
  return record;
}

/** A record at rest: locked or open. @throws EremosError `not-protected` */
function restingRecord(disk: Disk, folder: HeldFolder): GuardRecord {
  const record = disk.find(folder.dir, VAULT_NAME) ? loadGuard(disk, folder.vault) : null;
  if (!record)
    throw new EremosError(
      "not-protected",
      `${displayPath(folder.path)} is an ordinary folder; there is nothing to open.`,
    );
  return record;
}

/** Before the first record nothing was changed but that Eremos' directory was made. */
function undoBeginning(
  disk: Disk,
  folder: HeldFolder,
  root: { readonly atimeNs: bigint; readonly mtimeNs: bigint },
): void {
  if (hasRecord(disk, folder.vault, NAMES.guard) || hasState(disk, folder.vault)) return;
  try {
    dropLock(disk, folder);
    if (hasRecord(disk, folder.vault, NAMES.file)) return;
    emptyDir(disk, folder.vault);
    disk.removeDir(folder.dir, VAULT_NAME);
    disk.setTimes(folder.dir, root.atimeNs, root.mtimeNs);
  } catch {
    // The next look at the folder removes it.
  }
}

function programsIn(disk: Disk, path: Buffer): readonly string[] {
  return [...new Set(disk.holders(path).map((holder) => holder.program))];
}
