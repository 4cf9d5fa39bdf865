import { type Located, disk, displayPath, isEremosError, locateFolder } from "@eremos/core";
import type { FolderCondition, FolderView } from "../contract";
import type { Eremos } from "../eremos";
import type { FolderRecord } from "../registry";
import { decodePath, nameOf } from "./paths";

/** The protected folders, each as the disk says it is now. */
export function listFolders(eremos: Eremos): FolderView[] {
  const records = eremos.registry.list(eremos.requireKeys());
  return records.map(viewOf).sort((a, b) => a.name.localeCompare(b.name) || a.path.localeCompare(b.path));
}

export function viewOf(record: FolderRecord): FolderView {
  const path = decodePath(record.path);
  const { located, damaged } = look(path, record.id);
  const state = damaged ? "damaged" : conditionOf(located);
  return {
    id: record.id, path: displayPath(path), realPath: displayPath(located?.realPath ?? path), name: nameOf(path), guard: record.guard, visibility: record.visibility,
    state, files: record.files, bytes: record.bytes, protectedAt: record.protectedAt, lockedAt: record.lockedAt, openedAt: record.openedAt,
    arrivals: located?.inspection.arrivals ?? 0, attention: attentionOf(state, located?.inspection.arrivals ?? 0),
  };
}

function look(path: Buffer, id: string): { located: Located | null; damaged: boolean } {
  try {
    return { located: locateFolder(disk, path, id), damaged: false };
  } catch (error) {
    if (isEremosError(error)) return { located: null, damaged: error.class === "damage" };
    throw error;
  }
}

function conditionOf(located: Located | null): FolderCondition {
  if (!located) return "missing";
  const { state, busy } = located.inspection;
  if (busy) return "working";
  if (state === "sealed") return "locked";
  return state === "open" ? "open" : "interrupted";
}

function attentionOf(state: FolderCondition, arrivals: number): string | null {
  if (state === "missing") return "It is not at its place. The drive may be away, or it was moved.";
  if (state === "interrupted") return "The last operation was cut off. Nothing is lost.";
  if (state === "damaged") return "Its state record can't be read. Don't change anything in it.";
  if (arrivals > 0) return `${arrivals === 1 ? "One new file was" : `${arrivals} new files were`} put into it while it was locked. It is readable until you open and lock the folder again.`;
  return null;
}
