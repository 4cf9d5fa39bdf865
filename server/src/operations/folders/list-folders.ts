import {
  type Located,
  type LookRequest,
  type Looked,
  type WaysIn,
  displayPath,
  errorOf,
  fromSystemError,
  isEncrypting,
  isLocked,
} from "@eremos/core";
import type { FolderCondition, FolderView } from "../../contract";
import type { Note } from "../../data-directory";
import type { Eremos } from "../../eremos";
import type { FolderRecord } from "../../ledger/registry";
import { whyExchanged } from "../locking/find-target";
import { mountsIn } from "../../look/mounts";
import { toLookAt } from "../../look/where-is";
import { removedView } from "../locking/removed-view";
import { waysOf } from "../ways-back/renew-key";
import { compareNames, decodePath, encodePath, nameOf } from "../../paths";
import { said, say } from "@eremos/words/server/folders";

/**
 * The protected folders, each as the disk says it is now, looked at by this process itself: where nobody else waits.
 * `looked`: it has just done so.
 */
export function listFolders(eremos: Eremos, looked: readonly Looked[] | null = null): FolderView[] {
  return viewsOf(eremos, looked ?? eremos.glance.folders(requestFor(eremos)));
}

/** The same, looked at by another process: whoever asks meanwhile is answered, and no disk is waited for for long. */
export async function listFoldersAside(
  eremos: Eremos,
  which: (record: FolderRecord) => boolean = () => true,
): Promise<FolderView[]> {
  return viewsOf(eremos, await eremos.looker.folders(requestFor(eremos, which)));
}

/** The full path of the drive that a path lies on, of those that are mounted; null: on a disk that doesn't leave. */
function driveOf(path: string, mounts: readonly string[]): string | null {
  return (
    mounts.filter((mount) => path === mount || path.startsWith(`${mount}/`)).sort((a, b) => b.length - a.length)[0] ??
    null
  );
}

function requestFor(eremos: Eremos, which: (record: FolderRecord) => boolean = () => true): LookRequest {
  const keys = eremos.requireKeys();
  return { folders: eremos.registry.list(keys).filter(which).map(toLookAt), mounts: mountsIn(eremos.mounts) };
}

function viewsOf(eremos: Eremos, looked: readonly Looked[]): FolderView[] {
  const keys = eremos.requireKeys();
  const byId = new Map(looked.map((one) => [one.id, one]));
  const mounts = mountsIn(eremos.mounts);
  const notes = new Map(eremos.data.notes().map((note) => [note.id, note]));
  const views = eremos.registry.list(keys).flatMap((record) => {
    // What came into the list meanwhile is told with the next look.
    const one = byId.get(record.id);
    return one ? [viewOrTrouble(eremos, record, one, notes.get(record.id) ?? null, mounts)] : [];
  });
  return [...views, ...eremos.registry.damagedRows(keys).map(viewOfDamagedRow)].sort(
    (a, b) => compareNames(a.name, b.name) || compareNames(a.path, b.path),
  );
}

/** Of a folder of which no more than its id is known. */
function viewOfDamagedRow(id: string): FolderView {
  return {
    ...UNKNOWN,
    id,
    path: "",
    realPath: "",
    name: say("folder-whose-entry-is-damaged"),
    kind: "folder",
    guard: "sealed",
    visibility: "view",
    cover: null,
    icon: null,
    bars: null,
    files: 0,
    bytes: 0,
    protectedAt: 0,
    lockedAt: null,
    openedAt: null,
    rules: null,
    removed: null,
    lastCheck: null,
    attention: say("its-entry-in-eremos-own"),
  };
}

/** What a card says of a folder that can't be looked at. */
const UNKNOWN = {
  state: "damaged",
  locksAt: null,
  locksWhenIdle: false,
  waitingFor: [],
  isLetGo: false,
  hasPassword: false,
  passwordHint: null,
  atSignOut: null,
  arrivals: 0,
  drops: 0,
  returnable: 0,
  isInsured: false,
  forks: [],
  isCramped: false,
  waysBack: null,
  visit: null,
  drive: null,
} as const satisfies Partial<FolderView>;

/** What can't be looked at now is told on its own card, and keeps no other from the list. */
function viewOrTrouble(
  eremos: Eremos,
  record: FolderRecord,
  looked: Looked,
  note: Note | null,
  mounts: readonly string[],
): FolderView {
  try {
    const view = viewOf(eremos, record, looked, note);
    return { ...view, drive: driveOf(view.path, mounts) };
  } catch (error) {
    const { told } = fromSystemError(error, said("looking-at-it-nothing-was"));
    const path = decodePath(record.path);
    return {
      ...UNKNOWN,
      id: record.id,
      path: displayPath(path),
      realPath: displayPath(path),
      name: nameOf(path),
      kind: record.kind,
      guard: record.guard,
      visibility: record.visibility,
      cover: record.cover,
      icon: record.icon,
      bars: record.bars,
      files: record.files,
      bytes: record.bytes,
      protectedAt: record.protectedAt,
      lockedAt: record.lockedAt,
      openedAt: record.openedAt,
      rules: record.rules,
      removed: removedView(eremos, record),
      lastCheck: record.lastCheck,
      attention: told.text,
    };
  }
}

function viewOf(eremos: Eremos, listed: FolderRecord, looked: Looked, note: Note | null): Omit<FolderView, "drive"> {
  const { knownOpen } = eremos;
  const { located, forks } = looked;
  const record = located ? { ...listed, path: encodePath(looked.path) } : listed;
  const problem = looked.failure ? errorOf(looked.failure) : located && whyExchanged(record, located);
  const path = decodePath(record.path);
  const visit = eremos.visits.of(record.id);
  const state =
    problem?.class === "damage" || problem?.code === "unvouched"
      ? "damaged"
      : located
        ? conditionOf(located, visit !== null)
        : record.kind === "drive" || looked.isAway
          ? "away"
          : "missing";
  const open = state === "open" ? note : null;
  const ways = isEncrypting(record) ? waysOf(eremos, record) : null;
  return {
    id: record.id,
    path: displayPath(path),
    realPath: displayPath(located?.realPath ?? path),
    name: nameOf(path),
    kind: record.kind,
    guard: record.guard,
    visibility: record.visibility,
    cover: record.cover,
    icon: record.icon,
    bars: record.bars,
    state,
    files: record.files,
    bytes: record.bytes,
    lastCheck: record.lastCheck,
    isInsured: looked.isInsured,
    forks,
    waysBack: isEncrypting(record) ? waysBackOf(record, ways) : null,
    protectedAt: record.protectedAt,
    lockedAt: record.lockedAt,
    openedAt: record.openedAt,
    isCramped: state === "locked" && looked.isCramped,
    locksAt: open ? knownOpen.locksAt(open) : null,
    locksWhenIdle: open !== null && open.rules.idleMinutes !== null,
    waitingFor: knownOpen.programsHolding(record.id),
    isLetGo: knownOpen.isAskedAbout(record.id),
    rules: record.rules,
    removed: removedView(eremos, record),
    hasPassword: ways?.hasPassword ?? false,
    passwordHint: ways?.hint ?? null,
    atSignOut: open?.rules.atSignOut ?? null,
    arrivals: located?.inspection.arrivals ?? 0,
    drops: located?.inspection.drops ?? 0,
    returnable: looked.movedIn,
    attention:
      eremos.troubles.get(record.id) ??
      problem?.told.text ??
      attentionOf(state, located?.inspection ?? NOTHING_NEW) ??
      aboutForks(forks) ??
      (ways && !ways.isCurrent ? say("what-opened-it-before-your") : null) ??
      (open ? knownOpen.whyNotLocked(record.id) : null) ??
      (state === "locked" && record.lastCheck?.ok === false ? say("its-last-check-found-damage") : null),
    visit,
  };
}

/** What other computers made of it, as far as a program that keeps copies in step has brought it here. */
function aboutForks(forks: FolderView["forks"]): string | null {
  if (forks.some(({ isNewer }) => !isNewer)) return say("another-computer-locked-it-too");
  const [newest] = forks;
  if (!newest) return null;
  const { pieces, arrived } = newest.arrival;
  return arrived < pieces || pieces === 0
    ? say("newer-state-is-arriving-from", { hasPieces: pieces > 0, arrived, pieces })
    : say("it-was-locked-on-another");
}

/** Those that open it now: a folder that was away, or has a password of its own, may not know the keyholders yet. */
function waysBackOf(
  { codeProvenAt, sharesProvenAt }: FolderRecord,
  ways: WaysIn | null,
): NonNullable<FolderView["waysBack"]> {
  const hasKeyholders = ways?.hasKeyholders ?? false;
  return { count: hasKeyholders ? 3 : 2, codeProvenAt, sharesProvenAt, hasKeyholders };
}

function conditionOf(located: Located, isVisited: boolean): FolderCondition {
  const { state, busy, isOwn } = located.inspection;
  if (busy && !isVisited) return "working";
  // What another computer, or somebody else, recorded as open is not taken for open here.
  if (state === "open" && !isOwn) return "interrupted";
  if (isLocked(located.inspection)) return "locked";
  if (state === "mixed") return "partly";
  return state === "open" ? "open" : "interrupted";
}

const NOTHING_NEW = { arrivals: 0, drops: 0, remains: 0, isOwn: true };

function attentionOf(state: FolderCondition, { arrivals, drops, remains, isOwn }: typeof NOTHING_NEW): string | null {
  if (state === "missing") return say("it-is-not-at-its");
  if (state === "partly") return say("part-it-is-still-readable");
  if (state === "interrupted" && !isOwn) return say("its-record-says-that-it");
  if (state === "interrupted") return say("last-operation-was-cut-off");
  if (state === "damaged") return say("its-state-record-cant-be");
  if (remains > 0) return say("readable-entries-could-not-be", { remains });
  if (arrivals > 0) return say("new-files-were-put-into", { arrivals });
  if (drops > 0) return say("files-were-put-in-while", { drops });
  return null;
}
