import * as fs from "node:fs";
import {
  EremosError,
  type FolderPassword,
  type Locked,
  type SealedFacts,
  type Sealing,
  busyWith,
  displayPath,
  inspectFolder,
  isEncrypting,
  isLocked,
  newId,
  ownDirPlace,
  protectedAbove,
  recoverFolder,
  refuseOffLimits,
  stepAside,
  traitsOf,
} from "@eremos/core";
import type { FolderKind, Protection } from "../../contract";
import type { Note } from "../../data-directory";
import type { Eremos } from "../../eremos";
import { whereIs } from "../../look/where-is";
import type { StartedJob } from "../../jobs";
import { NO_RULES } from "../../ledger/ledger";
import { AS_BEFORE, type ProtectionRequest, guardingOf, protectionFor, signsOf } from "../../protection";
import type { FolderRecord } from "../../ledger/registry";
import { isDrive } from "../../look/mounts";
import { waysOf } from "../ways-back/renew-key";
import { renewLocked } from "../ways-back/renew-folders";
import { decodePath, encodePath, fullPath, nameOf } from "../../paths";
import { formatBytes } from "../../size-words";

export interface LockRequest {
  /** As typed, or the bytes of a full path. */
  readonly path: string | Buffer;
  /** A relock keeps what the folder has where nothing else is asked for. */
  readonly protection: ProtectionRequest;
  readonly inUseAnyway: boolean;
  /** What the person asked for, where it is not just to lock it. */
  readonly verb?: "reguard" | "put-back";
  /** How many earlier states stay, where it is not as the owner chose. */
  readonly keep?: number;
  /** For a first lock: a password for this folder alone. */
  readonly password?: FolderPassword | null;
  /** Where a relative path starts. */
  readonly from: string;
}

/** What can be told before anything is touched, without a walk. @throws EremosError */
export function refuseToLock(eremos: Eremos, path: Buffer): void {
  const found = inspectFolder(eremos.disk, path);
  // What is protected already can always be locked again, whatever the list says by now.
  if (!found) refuseOffLimits(path, eremos.offLimits, eremos.settings.places);
  requireThere(eremos, path);
  const above = protectedAbove(eremos.disk, path);
  if (above)
    throw new EremosError(
      "nested",
      `${displayPath(path)} lies in ${displayPath(above)}, which is protected already. Nothing was touched.`,
    );
  if (found && isLocked(found))
    throw new EremosError("already-protected", `${displayPath(path)} is locked already. Nothing was touched.`);
  const other = found ? null : belongingAt(eremos, path);
  if (other)
    throw new EremosError(
      "path-taken",
      `Another folder that is protected belongs at ${displayPath(path)}, and is hidden or away now. Nothing was touched. Give this one another name, then lock it: both stay.`,
      { what: "protected" },
    );
  const inside = eremos.keys
    ? eremos.registry.list(eremos.keys).find((record) =>
        decodePath(record.path)
          .subarray(0, path.length + 1)
          .equals(Buffer.concat([path, Buffer.from("/")])),
      )
    : null;
  if (inside)
    throw new EremosError(
      "nested",
      `${displayPath(decodePath(inside.path))}, which is protected, belongs inside it. Nothing was touched; release that one first.`,
    );
}

/** The protected folder whose ordinary path this is, as far as that can be known; null where there is none. */
function belongingAt(eremos: Eremos, path: Buffer): FolderRecord | null {
  return eremos.keys && (eremos.registry.list(eremos.keys).find((record) => record.path === encodePath(path)) ?? null);
}

/**
 * What lies where another protected folder belongs gets a free name beside it; returns its path now. @throws
 * EremosError `usage` where it need not, system errors
 */
export function makeRoomFor(eremos: Eremos, typed: string): string {
  eremos.requireKeys();
  const path = fullPath(typed, eremos.settings.home);
  requireThere(eremos, path);
  if (inspectFolder(eremos.disk, path) || !belongingAt(eremos, path))
    throw new EremosError("usage", `No other protected folder belongs at ${displayPath(path)}. Nothing was touched.`);
  return displayPath(stepAside(eremos.disk, path));
}

/** What is at a path, or would be. */
export function kindOf(eremos: Eremos, path: Buffer): FolderKind {
  if (fs.lstatSync(path, { throwIfNoEntry: false })?.isFile()) return "file";
  return isDrive(eremos.disk, eremos.settings, path) ? "drive" : "folder";
}

function requireThere(eremos: Eremos, path: Buffer): void {
  const stat = fs.lstatSync(path, { throwIfNoEntry: false });
  if (stat?.isDirectory() || stat?.isFile()) return;
  if (stat)
    throw new EremosError(
      "not-a-folder",
      `${displayPath(path)} is a link, or something else than a folder or a file. Nothing was touched; give what it leads to.`,
    );
  if (!eremos.keys) {
    throw new EremosError(
      "needs-sign-in",
      `There is nothing at ${displayPath(path)} that can be seen without the master password. Nothing was touched; sign in to see whether a hidden folder belongs there.`,
    );
  }
  const record = eremos.registry.list(eremos.keys).find((known) => known.path === encodePath(path));
  if (record)
    throw new EremosError(
      "already-protected",
      `${displayPath(path)} is locked and hidden already. Nothing was touched.`,
    );
  throw new EremosError(
    "not-found",
    `There is nothing at ${displayPath(path)} now. Nothing was touched; check the path.`,
  );
}

export type LockJob = StartedJob<"lock">;

/** Locks what lies open, as it was locked before, for whoever watches over it. @throws EremosError as {@link lock} */
export function lockAgain(eremos: Eremos, path: Buffer): Promise<unknown> {
  return lock(eremos, { path, protection: AS_BEFORE, inUseAnyway: false, from: "/" }).outcome;
}

/**
 * Locks a folder, or locks an open one again. Needs no password. @throws EremosError for every refusal, before anything
 * is touched
 */
export function lock(eremos: Eremos, request: LockRequest): LockJob {
  eremos.requireOwner();
  const path =
    typeof request.path === "string" ? fullPath(request.path, eremos.settings.home, request.from) : request.path;
  refuseToLock(eremos, path);
  const before = bringToRest(eremos, path);
  const keys = eremos.keys;
  const id = before?.folder ?? newId();
  const note = eremos.data.note(id);
  if (before && !note && !keys)
    throw new EremosError(
      "needs-sign-in",
      `This computer has no note of ${displayPath(path)} being open. Nothing was touched; sign in to lock it.`,
    );
  const known = keys ? (eremos.registry.list(keys).find((record) => record.id === id) ?? null) : null;
  const protection = protectionFor(
    request.protection,
    note ?? known ?? (before ? { ...before, bars: null, cover: null, icon: null } : null),
  );
  const password = request.password ?? null;
  if (password) requireFitForPassword(eremos, protection, before !== null);
  const kind = before?.single ? "file" : kindOf(eremos, path);
  const protectedAt = known?.protectedAt ?? note?.protectedAt ?? Date.now();
  const during: Note = {
    ...(note ?? NO_RULES),
    id,
    path: encodePath(path),
    ...protection,
    kind,
    publicKey: note?.publicKey ?? null,
    opened: note?.opened ?? null,
    isUnknown: note?.isUnknown ?? false,
    protectedAt,
  };
  const locking: Locking = {
    eremos,
    path,
    id,
    note,
    known,
    during,
    password,
    inUseAnyway: request.inUseAnyway,
    verb: request.verb ?? "lock",
    keep: request.keep ?? eremos.preferences.get().keepEarlier,
  };
  return start(locking);
}

/** @throws EremosError `unsupported` | `needs-sign-in` */
function requireFitForPassword(eremos: Eremos, protection: Protection, isProtected: boolean): void {
  if (!isEncrypting(protection))
    throw new EremosError(
      "unsupported",
      "Only a sealed folder can have a password of its own: without encryption it would stop nobody. Nothing was touched.",
    );
  if (isProtected)
    throw new EremosError(
      "unsupported",
      "This folder is protected already; its own password is changed on its page, or with `eremos passwd PATH`. Nothing was touched.",
    );
  if (!eremos.keys)
    throw new EremosError(
      "needs-sign-in",
      "A password for one folder is needed on top of the master password. Nothing was touched; sign in first.",
    );
}

interface Locking {
  readonly eremos: Eremos;
  readonly path: Buffer;
  readonly id: string;
  readonly note: Note | null;
  readonly known: FolderRecord | null;
  readonly during: Note;
  readonly password: FolderPassword | null;
  readonly inUseAnyway: boolean;
  readonly verb: "lock" | "reguard" | "put-back";
  readonly keep: number;
}

function start(locking: Locking): StartedJob<"lock"> {
  const { eremos, path, id, note, known, during, verb } = locking;
  return eremos.jobs.start({
    folder: id,
    verb,
    request: {
      verb: "lock",
      input: {
        path,
        folder: id,
        owner: eremos.requireOwner(),
        ...guardingOf(during, eremos.grounds),
        sealing: isEncrypting(during) ? sealingOf(locking) : null,
      },
    },
    before: () => eremos.ledger.begun(during, known !== null),
    after: async (outcome) => {
      await eremos.ledger.locked(during, outcome, outcome.sealed && ownDirPlace(eremos.disk, outcome.path));
      if (eremos.keys && outcome.sealed)
        setImmediate(() => void eremos.holding((now) => renewLocked(eremos, now, id)).catch(() => undefined));
      return verb === "put-back" ? null : lockedSentence(nameOf(path), outcome, during);
    },
    failed: async () => followFailedLock(eremos, path, id, note),
  });
}

/** What encrypting takes: keys of whoever is signed in, else those of this computer. */
function sealingOf({ eremos, id, note, known, during, password, inUseAnyway, keep }: Locking): Sealing {
  const owner = eremos.requireOwner();
  const { keys } = eremos;
  const ways = known === null ? null : waysOf(eremos, known);
  // One with a key from before its owner made new ones is locked with what this computer can do; it gets its key
  // afterwards.
  const isWithoutKeys = ways?.hasPassword === true || ways?.hasEarlierKeys === true;
  return {
    signer:
      keys && !isWithoutKeys
        ? { by: "owner", owner, rootKey: keys.rootKey, device: eremos.data.device.publicKey, password }
        : { by: "device", owner, device: eremos.data.device },
    note: note?.publicKey ? { publicKey: note.publicKey, opened: note.opened ?? "" } : null,
    rekey: during.isUnknown,
    keptHeader: eremos.registry.header(id),
    ...signsOf(during),
    inUseAnyway,
    keep,
  };
}

/** An operation that was cut off is brought to its end first. */
function bringToRest(eremos: Eremos, path: Buffer): ReturnType<typeof inspectFolder> {
  const found = inspectFolder(eremos.disk, path);
  if (!found || (found.state === "open" && found.isOwn)) return found;
  if (found.busy) throw busyWith(eremos.disk, path);
  recoverFolder(eremos.disk, path);
  const now = inspectFolder(eremos.disk, path);
  if (now && isLocked(now))
    throw new EremosError("already-protected", `${displayPath(path)} is locked already. Nothing was touched.`);
  if (now && !isEncrypting(now) && !now.isOwn)
    throw new EremosError(
      "unvouched",
      `${displayPath(path)} is protected by a record that this computer did not write. It may have been exchanged, so nothing was touched. If it is yours, take it in anew under Ways back.`,
      { what: "guard" },
    );
  return now;
}

/** After a failure the disk says what is true; the note and the list follow it. */
async function followFailedLock(eremos: Eremos, path: Buffer, id: string, noteBefore: Note | null): Promise<void> {
  if (whereIs(eremos, { path: encodePath(path), id })?.inspection.state === "open" && noteBefore)
    eremos.ledger.stillOpen(noteBefore);
  if (isOrdinaryFolder(eremos, path, id)) eremos.ledger.forgotten(id);
  else eremos.announce({ topic: "folders" });
}

/**
 * Whether there is certainly nothing left to protect or to find again: the folder or file is at its place, and nothing
 * of Eremos is in it.
 */
export function isOrdinaryFolder(eremos: Eremos, path: Buffer, id: string): boolean {
  const stat = fs.lstatSync(path, { throwIfNoEntry: false });
  const isThere = stat !== undefined && (stat.isDirectory() || stat.isFile());
  return isThere && !inspectFolder(eremos.disk, path) && !whereIs(eremos, { path: encodePath(path), id });
}

function lockedSentence(name: string, { sealed, stillOpenIn }: Locked, protection: Protection): string {
  const { guard, cover } = protection;
  const readers =
    stillOpenIn.length === 0 ? "" : ` ${stillOpenIn.join(", ")} still ${sealed ? "shows" : "has"} what it had open.`;
  const what = `${name} is ${traitsOf(guard).word}.`;
  if (sealed) return `${what} ${sealedSentence(sealed, protection)}${readers}${earlierSentence(sealed)}`;
  const left = leavesNothing(protection)
    ? " Nothing is left at its place."
    : cover === null
      ? ""
      : ` It is called ${cover} now.`;
  const plain = traitsOf(guard).hasBars
    ? " Its contents are not encrypted."
    : " Its contents are as they were, readable by whoever finds them.";
  return `${what}${left}${plain}${readers}`;
}

function leavesNothing({ visibility }: Protection): boolean {
  return visibility !== "view";
}

function sealedSentence({ files: count, bytes, outsideLinks }: SealedFacts, protection: Protection): string {
  const { cover } = protection;
  const files = `${count.toLocaleString("en")} ${count === 1 ? "file" : "files"}, ${formatBytes(bytes)}`;
  const left = leavesNothing(protection)
    ? "Nothing is left at its place."
    : `Nothing readable is left at its place but one page${cover === null ? "" : `, and it is called ${cover} now`}.`;
  const links =
    outsideLinks.length > 0
      ? ` ${outsideLinks.length === 1 ? "One file has" : `${outsideLinks.length} files have`} a second name outside the folder, which still shows its content.`
      : "";
  return `${files}. ${left}${links}`;
}

function earlierSentence({ earlier }: SealedFacts): string {
  return earlier === "gone"
    ? ""
    : " Not everything of its earlier states could be read, so nothing of them was removed; check it to see what.";
}
