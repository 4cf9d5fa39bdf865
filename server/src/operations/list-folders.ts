import { type Located, disk, displayPath, forksAt, isEremosError, isInsured, isLocked, roomForBoth } from "@eremos/core";
import type { FolderCondition, FolderView } from "../contract";
import type { Note } from "../data-directory";
import type { Eremos } from "../eremos";
import type { FolderRecord } from "../registry";
import { isAway, locateRecord } from "./follow-drives";
import { waysOf } from "./folder-password";
import { decodePath, nameOf } from "./paths";

/** The protected folders, each as the disk says it is now. */
export function listFolders(eremos: Eremos): FolderView[] {
  const records = eremos.registry.list(eremos.requireKeys());
  const notes = new Map(eremos.data.notes().map((note) => [note.id, note]));
  return records.map((record) => viewOf(eremos, record, notes.get(record.id) ?? null)).sort((a, b) => a.name.localeCompare(b.name) || a.path.localeCompare(b.path));
}

function viewOf(eremos: Eremos, listed: FolderRecord, note: Note | null): FolderView {
  const { keeper } = eremos;
  const { record, located, damaged } = look(eremos, listed);
  const path = decodePath(record.path);
  const visit = eremos.visits.of(record.id);
  const state = damaged ? "damaged" : located ? conditionOf(located, visit !== null) : record.kind === "drive" || isAway(record) ? "away" : "missing";
  const open = state === "open" ? note : null;
  const ways = record.guard === "sealed" ? waysOf(eremos, record) : null;
  const forks = record.guard === "sealed" && located ? forksAt(disk, located.realPath) : [];
  return {
    id: record.id, path: displayPath(path), realPath: displayPath(located?.realPath ?? path), name: nameOf(path), kind: record.kind, guard: record.guard, visibility: record.visibility, cover: record.cover, icon: record.icon, bars: record.bars,
    state, files: record.files, bytes: record.bytes, lastCheck: record.lastCheck, isInsured: record.guard === "sealed" && located !== null && isInsured(disk, located.realPath), forks, waysBack: record.guard === "sealed" ? waysBackOf(eremos, record) : null, protectedAt: record.protectedAt, lockedAt: record.lockedAt, openedAt: record.openedAt,
    isCramped: state === "locked" && record.guard === "sealed" && located !== null && record.files > 0 && !roomForBoth(disk, located.realPath, record),
    locksAt: open ? keeper.locksAt(open) : null, locksWhenIdle: open !== null && open.rules.idleMinutes !== null, waitingFor: keeper.programsHolding(record.id),
    rules: record.rules, hasPassword: ways?.hasPassword ?? false, passwordHint: ways?.hint ?? null, atSignOut: open?.rules.atSignOut ?? null,
    arrivals: located?.inspection.arrivals ?? 0, drops: located?.inspection.drops ?? 0, attention: attentionOf(state, located?.inspection ?? NOTHING_NEW) ?? (forks.length > 0 ? "Another computer locked it at the same time: see its page. Both states are kept." : null) ?? (open ? keeper.whyNotLocked(record.id) : null) ?? (state === "locked" && record.lastCheck?.ok === false ? "Its last check found damage: see its page. What is whole comes out in any case." : null), visit,
  };
}

function waysBackOf(eremos: Eremos, { codeProvenAt, sharesProvenAt }: FolderRecord): NonNullable<FolderView["waysBack"]> {
  const hasKeyholders = eremos.data.owner()?.keyholders !== undefined;
  return { count: hasKeyholders ? 3 : 2, codeProvenAt, sharesProvenAt, hasKeyholders };
}

function look(eremos: Eremos, record: FolderRecord): { record: FolderRecord; located: Located | null; damaged: boolean } {
  try {
    return { ...locateRecord(eremos, record), damaged: false };
  } catch (error) {
    if (isEremosError(error)) return { record, located: null, damaged: error.class === "damage" };
    throw error;
  }
}

function conditionOf(located: Located, isVisited: boolean): FolderCondition {
  const { state, busy } = located.inspection;
  if (busy && !isVisited) return "working";
  if (isLocked(located.inspection)) return "locked";
  if (state === "mixed") return "partly";
  return state === "open" ? "open" : "interrupted";
}

const NOTHING_NEW = { arrivals: 0, drops: 0 };

function attentionOf(state: FolderCondition, { arrivals, drops }: typeof NOTHING_NEW): string | null {
  if (state === "missing") return "It is not at its place: it was moved, renamed or deleted by something else.";
  if (state === "partly") return "A part of it is still readable. Nothing is lost.";
  if (state === "interrupted") return "The last operation was cut off. Nothing is lost.";
  if (state === "damaged") return "Its state record can't be read. Don't change anything in it.";
  if (arrivals > 0) return `${arrivals === 1 ? "One new file was" : `${arrivals} new files were`} put into it while it was locked. It is readable until you open and lock the folder again.`;
  if (drops > 0) return `${drops === 1 ? "A file was" : `${drops} files were`} put in while it was locked, and ${drops === 1 ? "waits" : "wait"} encrypted. Visit it to see ${drops === 1 ? "it and take it" : "them and take them"} in.`;
  return null;
}
