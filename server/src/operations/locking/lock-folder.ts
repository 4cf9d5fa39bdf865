import {
  EremosError,
  type FolderPassword,
  type Inspection,
  type Locked,
  type SealedFacts,
  type Sealing,
  displayPath,
  errorOf,
  fromSystemError,
  isEncrypting,
  isLocked,
  newId,
  refuseOffLimits,
  traitsOf,
} from "@eremos/core";
import type { FolderKind, LockingRules, Protection } from "../../contract";
import type { Note } from "../../data-directory";
import type { Eremos } from "../../eremos";
import { whereIs } from "../../look/where-is";
import type { StartedJob } from "../../jobs";
import { NO_RULES } from "../../ledger/ledger";
import { AS_BEFORE, type ProtectionRequest, guardingOf, protectionFor, signsOf } from "../../protection";
import type { FolderRecord } from "../../ledger/registry";
import { desktopSigns } from "../../desktop/integrate";
import { clearAfterLock } from "../folders/traces";
import { waysOf } from "../ways-back/renew-key";
import { renewLocked } from "../ways-back/renew-folders";
import { decodePath, encodePath, fullPath, nameOf } from "../../paths";
import { formatBytes } from "../../size-words";
import { said, say } from "@eremos/words/server/locking";

export interface LockRequest {
  /** As typed, or the bytes of a full path. */
  readonly path: string | Buffer;
  /** A relock keeps what the folder has where nothing else is asked for. */
  readonly protection: ProtectionRequest;
  readonly inUseAnyway: boolean;
  /** What the person asked for, where it is not just to lock it. */
  readonly verb?: "reguard" | "put-back" | "remove";
  /** How many earlier states stay, where it is not as the owner chose. */
  readonly keepEarlier?: number;
  /** From now on, and at this lock: so often the readable copy is written over; absent: by its rules. */
  readonly overwrites?: LockingRules["overwrites"];
  /** For a first lock: a password for this folder alone. */
  readonly password?: FolderPassword | null;
  /** Where a relative path starts. */
  readonly from: string;
}

/** What can be told before anything is touched, without a walk. @throws EremosError */
export function refuseToLock(eremos: Eremos, path: Buffer): void {
  const found = eremos.glance.inspect(path);
  // What is protected already can always be locked again, whatever the list says by now.
  if (!found) refuseOffLimits(path, eremos.offLimits, eremos.places);
  requireThere(eremos, path);
  const above = eremos.glance.protectedAbove(path);
  if (above)
    throw new EremosError(
      "nested",
      said("lies-in-which-is-protected", { path: displayPath(path), above: displayPath(above) }),
    );
  if (found && isLocked(found))
    throw new EremosError("already-protected", said("is-locked-already-nothing-was", { path: displayPath(path) }));
  const other = found ? null : belongingAt(eremos, path);
  if (other)
    throw new EremosError("path-taken", said("another-folder-that-is-protected", { path: displayPath(path) }), {
      what: "protected",
    });
  const inside = eremos.keys
    ? eremos.registry.list(eremos.keys).find(
        (record) =>
          record.removed === null &&
          decodePath(record.path)
            .subarray(0, path.length + 1)
            .equals(Buffer.concat([path, Buffer.from("/")])),
      )
    : null;
  if (inside)
    throw new EremosError(
      "nested",
      said("which-is-protected-belongs-inside", { path: displayPath(decodePath(inside.path)) }),
    );
}

/** The protected folder whose ordinary path this is, as far as that can be known; null where there is none. */
function belongingAt(eremos: Eremos, path: Buffer): FolderRecord | null {
  const isThere = ({ path: its, removed }: FolderRecord): boolean => its === encodePath(path) && removed === null;
  return eremos.keys && (eremos.registry.list(eremos.keys).find(isThere) ?? null);
}

/**
 * What lies where another protected folder belongs gets a free name beside it; returns its path now. @throws
 * EremosError `usage` where it need not, system errors
 */
export async function makeRoomFor(eremos: Eremos, typed: string): Promise<string> {
  eremos.requireKeys();
  const path = fullPath(typed, eremos.settings.home);
  requireThere(eremos, path);
  if (eremos.glance.inspect(path) || !belongingAt(eremos, path))
    throw new EremosError("usage", said("no-other-protected-folder-belongs", { path: displayPath(path) }));
  return displayPath(await eremos.ask<"step-aside">({ verb: "step-aside", input: path }));
}

/** What is at a path, or would be. */
export function kindOf(eremos: Eremos, path: Buffer): FolderKind {
  if (eremos.glance.kindAt(path) === "file") return "file";
  return eremos.glance.isDrive(eremos.mounts, path) ? "drive" : "folder";
}

function requireThere(eremos: Eremos, path: Buffer): void {
  const kind = eremos.glance.kindAt(path);
  if (kind === "dir" || kind === "file") return;
  if (kind) throw new EremosError("not-a-folder", said("is-link-or-something-else", { path: displayPath(path) }));
  if (!eremos.keys) {
    throw new EremosError("needs-sign-in", said("there-is-nothing-at-that", { path: displayPath(path) }));
  }
  const record = eremos.registry.list(eremos.keys).find((known) => known.path === encodePath(path));
  if (record)
    throw new EremosError("already-protected", said("is-locked-and-hidden-already", { path: displayPath(path) }));
  throw new EremosError("not-found", said("there-is-nothing-at-now", { path: displayPath(path) }));
}

export type LockJob = StartedJob<"lock">;

/** Locks what lies open, as it was locked before, for whoever watches over it. @throws EremosError as {@link lock} */
export async function lockAgain(eremos: Eremos, path: Buffer): Promise<unknown> {
  return (await lock(eremos, { path, protection: AS_BEFORE, inUseAnyway: false, from: "/" })).outcome;
}

/**
 * Locks a folder, or locks an open one again. Needs no password. What is at rest is begun at once, with the keys of
 * whoever is signed in now. @throws EremosError for every refusal, before anything is touched
 */
export async function lock(eremos: Eremos, request: LockRequest): Promise<LockJob> {
  eremos.requireOwner();
  const path =
    typeof request.path === "string" ? fullPath(request.path, eremos.settings.home, request.from) : request.path;
  refuseToLock(eremos, path);
  const found = eremos.glance.inspect(path);
  const before = !found || isAtRest(found) ? found : await bringToRest(eremos, path, found);
  return lockAtRest(eremos, { ...request, path }, before);
}

function lockAtRest(
  eremos: Eremos,
  request: LockRequest & { readonly path: Buffer },
  before: Inspection | null,
): LockJob {
  const { path } = request;
  const keys = eremos.keys;
  const id = before?.folder ?? newId();
  const note = eremos.data.note(id);
  if (before && !note && !keys)
    throw new EremosError("needs-sign-in", said("this-computer-has-no-note", { path: displayPath(path) }));
  const known = keys ? (eremos.registry.list(keys).find((record) => record.id === id) ?? null) : null;
  const protection = protectionFor(
    request.protection,
    note ?? known ?? (before ? { ...before, bars: null, cover: null, icon: null } : null),
  );
  // What a person chose last is offered first.
  if (keys && !before && (request.protection.guard ?? request.protection.visibility) !== null)
    eremos.preferences.set({ chosen: { guard: protection.guard, visibility: protection.visibility } });
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
    keepEarlier: request.keepEarlier ?? eremos.preferences.get().keepEarlier,
    overwrites: request.overwrites,
  };
  return start(locking);
}

/** @throws EremosError `unsupported` | `needs-sign-in` */
function requireFitForPassword(eremos: Eremos, protection: Protection, isProtected: boolean): void {
  if (!isEncrypting(protection)) throw new EremosError("unsupported", said("only-sealed-folder-can-have"));
  if (isProtected) throw new EremosError("unsupported", said("this-folder-is-protected-already"));
  if (!eremos.keys) throw new EremosError("needs-sign-in", said("password-for-one-folder-is"));
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
  readonly verb: "lock" | "reguard" | "put-back" | "remove";
  readonly keepEarlier: number;
  readonly overwrites: LockingRules["overwrites"] | undefined;
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
      await eremos.ledger.locked(during, outcome, outcome.sealed && eremos.glance.ownDirPlace(outcome.path));
      keepRule(locking);
      if (eremos.keys && outcome.sealed)
        setImmediate(() => void eremos.holding((now) => renewLocked(eremos, now, id)).catch(() => undefined));
      const cleared = verb === "lock" ? await clearedAfter(locking) : null;
      return verb === "put-back" || verb === "remove"
        ? null
        : [lockedSentence(nameOf(path), outcome, during), cleared].filter(Boolean).join(" ");
    },
    failed: async () => followFailedLock(eremos, path, id, note),
  });
}

/** What its rules say is cleared, is; that it can't be makes the lock none the less a lock. */
async function clearedAfter(locking: Locking): Promise<string | null> {
  const { eremos, id, path } = locking;
  try {
    return await clearAfterLock(eremos, id, path, rulesOf(locking).clears);
  } catch (error) {
    return say("traces-not-cleared", { reason: fromSystemError(error, said("clearing-its-traces")).message });
  }
}

/** What encrypting takes: keys of whoever is signed in, else those of this computer. */
function sealingOf({
  eremos,
  id,
  note,
  known,
  during,
  password,
  inUseAnyway,
  keepEarlier,
  overwrites,
}: Locking): Sealing {
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
    ...signsOf(during, desktopSigns(eremos.settings)),
    inUseAnyway,
    keepEarlier,
    overwrite: overwrites ?? rulesOf({ eremos, note, known }).overwrites,
  };
}

/** What was chosen for this lock holds for the next ones, too. */
function keepRule(locking: Locking): void {
  const { eremos, id, overwrites } = locking;
  const { keys } = eremos;
  const rules = rulesOf(locking);
  if (!keys || overwrites === undefined || overwrites === rules.overwrites) return;
  const record = eremos.registry.list(keys).find((one) => one.id === id);
  if (record) eremos.ledger.known(keys, { ...record, rules: { ...rules, overwrites } });
}

/** By which it locks; a folder that is locked for the first time has none of its own. */
function rulesOf({ eremos, note, known }: Pick<Locking, "eremos" | "note" | "known">): LockingRules {
  return note?.rules ?? known?.rules ?? eremos.preferences.get().rules;
}

function isAtRest(found: Inspection): boolean {
  return found.state === "open" && found.isOwn;
}

/** An operation that was cut off is brought to its end first. */
async function bringToRest(eremos: Eremos, path: Buffer, found: Inspection): Promise<Inspection | null> {
  if (found.busy) throw eremos.glance.busyWith(path);
  const [recovered] = await eremos.ask<"recover">({ verb: "recover", input: [path] });
  if (recovered && "failure" in recovered) throw errorOf(recovered.failure);
  const now = eremos.glance.inspect(path);
  if (now && isLocked(now))
    throw new EremosError("already-protected", said("is-locked-already-nothing-was", { path: displayPath(path) }));
  if (now && !isEncrypting(now) && !now.isOwn)
    throw new EremosError("unvouched", said("is-protected-by-record-that", { path: displayPath(path) }), {
      what: "guard",
    });
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
  const kind = eremos.glance.kindAt(path);
  const isThere = kind === "dir" || kind === "file";
  return isThere && !eremos.glance.inspect(path) && !whereIs(eremos, { path: encodePath(path), id });
}

function lockedSentence(name: string, { sealed, stillOpenIn }: Locked, protection: Protection): string {
  const { guard, cover } = protection;
  const readers =
    stillOpenIn.length === 0
      ? ""
      : say("still-shows-what-it-had", { stillOpenIn: stillOpenIn.join(", "), isSealed: Boolean(sealed) });
  const what = say("is", { name, word: traitsOf(guard).word });
  if (sealed)
    return `${what} ${sealedSentence(sealed, protection)}${readers}${earlierSentence(sealed)}${notOverwrittenSentence(sealed)}`;
  const left = leftSentence(protection) ?? (cover === null ? null : say("it-is-called-now", { cover }));
  const plain = traitsOf(guard).hasBars ? say("its-contents-are-not-encrypted") : say("its-contents-are-as-they");
  return `${[what, left, plain].filter((sentence) => sentence !== null).join(" ")}${readers}`;
}

/** What stands at its place of a folder that is not in view; null: of one in view. */
function leftSentence({ visibility }: Protection): string | null {
  if (visibility === "tucked") return say("nothing-is-left");
  return visibility === "hidden" ? say("name-is-gone-from-its-place") : null;
}

function sealedSentence({ files, bytes, outsideLinks }: SealedFacts, protection: Protection): string {
  const { cover } = protection;
  return say("sealed", {
    files,
    bytes: formatBytes(bytes),
    left: leftSentence(protection) ?? say("nothing-readable-is-left-at", { noCover: cover === null, cover }),
    links: outsideLinks.length > 0 ? say("files-have-second-name-outside", { outsideLinks: outsideLinks.length }) : "",
  });
}

function notOverwrittenSentence({ notOverwritten }: SealedFacts): string {
  return notOverwritten === 0 ? "" : say("files-were-not-overwritten", { notOverwritten });
}

function earlierSentence({ earlier }: SealedFacts): string {
  return earlier === "gone" ? "" : say("not-everything-its-earlier-states");
}
