import * as fs from "node:fs";
import {
  type Located,
  displayPath,
  isEremosError,
  isInPlaces,
  isMountPoint,
  locateFolder,
  splitPath,
} from "@eremos/core";
import type { Eremos } from "../../eremos";
import type { FolderRecord } from "../../registry";
import { decodePath, encodePath } from "../../paths";

/**
 * Where a folder is now: at its place, or under another path at which its drive is mounted; the list follows a drive.
 * Null: it is away, or gone.
 */
export function locateRecord(
  eremos: Eremos,
  record: FolderRecord,
): { readonly record: FolderRecord; readonly located: Located | null } {
  const located = locateFolder(eremos.disk, decodePath(record.path), record.id);
  if (located) return { record, located };
  const found = onAnotherMount(eremos, record);
  if (!found) return { record, located: null };
  const moved = { ...record, path: encodePath(found.path) };
  eremos.registry.put(eremos.requireKeys(), moved, null);
  const note = eremos.data.note(record.id);
  if (note) eremos.data.writeNote({ ...note, path: moved.path });
  return { record: moved, located: found.located };
}

/**
 * Whether a folder that is not found lay on something that is not there: its directory is gone, or is an empty one to
 * mount at.
 */
export function isAway(record: FolderRecord): boolean {
  try {
    return fs.readdirSync(splitPath(decodePath(record.path)).parent).length === 0;
  } catch {
    return true;
  }
}

/** The path within the drive is the same, wherever it is mounted; how much of the old path that is, is tried. */
function onAnotherMount(
  eremos: Eremos,
  record: FolderRecord,
): { readonly path: Buffer; readonly located: Located } | null {
  const parts = displayPath(decodePath(record.path))
    .split("/")
    .filter((part) => part !== "");
  for (const mount of mountsIn(eremos)) {
    for (let from = record.kind === "drive" ? parts.length : parts.length - 1; from >= 0; from--) {
      const path = Buffer.from([mount, ...parts.slice(from)].join("/"));
      const located = locateOrNull(eremos, path, record.id);
      if (located) return { path, located };
    }
  }
  return null;
}

function locateOrNull(eremos: Eremos, path: Buffer, id: string): Located | null {
  try {
    return locateFolder(eremos.disk, path, id);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

export function readTables(tables: readonly string[]): string {
  return tables.map((table) => (fs.existsSync(table) ? fs.readFileSync(table, "utf8") : "")).join("\n");
}

/** Whether a drive is mounted at the path itself. */
export function isDrive(eremos: Eremos, path: Buffer): boolean {
  return isMountPoint(eremos.disk, path) || mountsIn(eremos).includes(displayPath(path));
}

/** Mount points where folders may be protected. A space in one is written as \040. Source: proc_mounts(5). */
function mountsIn({ settings: { mounts, places } }: Eremos): string[] {
  return readTables(mounts)
    .split("\n")
    .flatMap((line) => {
      const mount = (line.split(" ")[1] ?? "").replace(/\\(\d{3})/g, (_all, octal: string) =>
        String.fromCharCode(Number.parseInt(octal, 8)),
      );
      return mount !== "" && isInPlaces(mount, places) ? [mount] : [];
    });
}
