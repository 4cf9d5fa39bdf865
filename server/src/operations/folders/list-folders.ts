import {
  type Located,
  type LookRequest,
  type Looked,
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
import { lookByOneself } from "../../look/looker";
import { mountsIn } from "../../look/mounts";
import { toLookAt } from "../../look/where-is";
import { waysOf } from "../ways-back/renew-key";
import { compareNames, decodePath, encodePath, nameOf } from "../../paths";

/** The protected folders, each as the disk says it is now, looked at by this process itself. */
export function listFolders(eremos: Eremos): FolderView[] {
  return viewsOf(eremos, lookByOneself(eremos.disk, requestFor(eremos)));
}

/** The same, looked at by another process: whoever asks meanwhile is answered, and no disk is waited for for long. */
export async function listFoldersAside(
  eremos: Eremos,
  which: (record: FolderRecord) => boolean = () => true,
): Promise<FolderView[]> {
  return viewsOf(eremos, await eremos.looker.folders(requestFor(eremos, which)));
}

function requestFor(eremos: Eremos, which: (record: FolderRecord) => boolean = () => true): LookRequest {
  const keys = eremos.requireKeys();
  return { folders: eremos.registry.list(keys).filter(which).map(toLookAt), mounts: mountsIn(eremos.settings) };
}

function viewsOf(eremos: Eremos, looked: readonly Looked[]): FolderView[] {
  const keys = eremos.requireKeys();
  const byId = new Map(looked.map((one) => [one.id, one]));
  const notes = new Map(eremos.data.notes().map((note) => [note.id, note]));
  const views = eremos.registry.list(keys).flatMap((record) => {
    // What came into the list meanwhile is told with the next look.
    const one = byId.get(record.id);
    return one ? [viewOrTrouble(eremos, record, one, notes.get(record.id) ?? null)] : [];
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
    name: "A folder whose entry is damaged",
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
    lastCheck: null,
    attention:
      "Its entry in Eremos\u2019 own data is damaged, so its name and place are not known here. The folder itself is not touched: look for it under Ways back, and take it in again.",
  };
}

/** What a card says of a folder that can't be looked at. */
const UNKNOWN = {
  state: "damaged",
  locksAt: null,
  locksWhenIdle: false,
  waitingFor: [],
  hasPassword: false,
  passwordHint: null,
  atSignOut: null,
  arrivals: 0,
  drops: 0,
  isInsured: false,
  forks: [],
  isCramped: false,
  waysBack: null,
  visit: null,
} as const satisfies Partial<FolderView>;

/** What can't be looked at now is told on its own card, and keeps no other from the list. */
function viewOrTrouble(eremos: Eremos, record: FolderRecord, looked: Looked, note: Note | null): FolderView {
  try {
    return viewOf(eremos, record, looked, note);
  } catch (error) {
    const { message } = fromSystemError(error, "looking at it; nothing was touched");
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
      lastCheck: record.lastCheck,
      attention: message,
    };
  }
}

function viewOf(eremos: Eremos, listed: FolderRecord, looked: Looked, note: Note | null): FolderView {
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
    waysBack: isEncrypting(record) ? waysBackOf(eremos, record) : null,
    protectedAt: record.protectedAt,
    lockedAt: record.lockedAt,
    openedAt: record.openedAt,
    isCramped: state === "locked" && looked.isCramped,
    locksAt: open ? knownOpen.locksAt(open) : null,
    locksWhenIdle: open !== null && open.rules.idleMinutes !== null,
    waitingFor: knownOpen.programsHolding(record.id),
    rules: record.rules,
    hasPassword: ways?.hasPassword ?? false,
    passwordHint: ways?.hint ?? null,
    atSignOut: open?.rules.atSignOut ?? null,
    arrivals: located?.inspection.arrivals ?? 0,
    drops: located?.inspection.drops ?? 0,
    attention:
      eremos.troubles.get(record.id) ??
      problem?.message ??
      attentionOf(state, located?.inspection ?? NOTHING_NEW) ??
      aboutForks(forks) ??
      (ways && !ways.isCurrent
        ? "What opened it before your last change of password, code or keyholders still does, since it could not be reached then. It is tried again by itself."
        : null) ??
      (open ? knownOpen.whyNotLocked(record.id) : null) ??
      (state === "locked" && record.lastCheck?.ok === false
        ? "Its last check found damage: see its page. What is whole comes out in any case."
        : null),
    visit,
  };
}

/** What other computers made of it, as far as a program that keeps copies in step has brought it here. */
function aboutForks(forks: FolderView["forks"]): string | null {
  if (forks.some(({ isNewer }) => !isNewer)) return "Another computer locked it too. Both are kept.";
  const [newest] = forks;
  if (!newest) return null;
  const { pieces, arrived } = newest.arrival;
  return arrived < pieces || pieces === 0
    ? `A newer state is arriving from another computer${pieces > 0 ? `: ${arrived} of ${pieces} pieces are here` : ""}.`
    : "It was locked on another computer since. Opening it, or looking inside, brings that state.";
}

function waysBackOf(
  eremos: Eremos,
  { codeProvenAt, sharesProvenAt }: FolderRecord,
): NonNullable<FolderView["waysBack"]> {
  const hasKeyholders = eremos.data.owner()?.keyholders !== undefined;
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
  if (state === "missing") return "It is not at its place: it was moved, renamed or deleted by something else.";
  if (state === "partly") return "A part of it is still readable. Nothing is lost.";
  if (state === "interrupted" && !isOwn)
    return "Its record says that it lies open, and this computer did not open it. Nothing is lost: open it here to get everything back, whichever is true.";
  if (state === "interrupted") return "The last operation was cut off. Nothing is lost.";
  if (state === "damaged") return "Its state record can't be read. Don't change anything in it.";
  if (remains > 0)
    return `${remains === 1 ? "One readable entry" : `${remains.toLocaleString("en")} readable entries`} could not be removed when it was locked, because the system did not allow it: ${remains === 1 ? "it lies" : "they lie"} in its .eremos directory, closed to other accounts.`;
  if (arrivals > 0)
    return `${arrivals === 1 ? "One new file was" : `${arrivals} new files were`} put into it while it was locked. It is readable until you open and lock the folder again.`;
  if (drops > 0)
    return `${drops === 1 ? "A file was" : `${drops} files were`} put in while it was locked, and ${drops === 1 ? "waits" : "wait"} encrypted. Visit it to see ${drops === 1 ? "it and take it" : "them and take them"} in.`;
  return null;
}
