import * as fs from "node:fs";
import {
  type FolderToLookAt,
  type Located,
  displayPath,
  isEncrypting,
  isInPlaces,
  isMountPoint,
  locateAnywhere,
} from "@eremos/core";
import type { Eremos } from "../../eremos";
import type { FolderRecord } from "../../ledger/registry";
import { decodePath, encodePath } from "../../paths";

/**
 * Where a folder is now: at its place, or under another path at which its drive is mounted; the list follows a drive.
 * Null: it is away, or gone. @throws EremosError
 */
export function locateRecord(
  eremos: Eremos,
  record: FolderRecord,
): { readonly record: FolderRecord; readonly located: Located | null } {
  const found = locateAnywhere(eremos.disk, toLookAt(record), mountsIn(eremos));
  return found ? { record: followed(eremos, record, found.path), located: found.located } : { record, located: null };
}

/** What a look at it needs to know. */
export function toLookAt(record: FolderRecord): FolderToLookAt {
  return {
    id: record.id,
    path: decodePath(record.path),
    isDrive: record.kind === "drive",
    isEncrypting: isEncrypting(record),
    files: record.files,
    bytes: record.bytes,
  };
}

/** The list knows where its drive is mounted now. */
export function followed(eremos: Eremos, record: FolderRecord, path: Buffer): FolderRecord {
  return encodePath(path) === record.path ? record : eremos.ledger.moved(eremos.requireKeys(), record, path);
}

export function readTables(tables: readonly string[]): string {
  return tables.map((table) => (fs.existsSync(table) ? fs.readFileSync(table, "utf8") : "")).join("\n");
}

/** Whether a drive is mounted at the path itself. */
export function isDrive(eremos: Eremos, path: Buffer): boolean {
  return isMountPoint(eremos.disk, path) || mountsIn(eremos).includes(displayPath(path));
}

/** Mount points where folders may be protected. A space in one is written as \040. Source: proc_mounts(5). */
export function mountsIn({ settings: { mounts, places } }: Eremos): string[] {
  return readTables(mounts)
    .split("\n")
    .flatMap((line) => {
      const mount = (line.split(" ")[1] ?? "").replace(/\\(\d{3})/g, (_all, octal: string) =>
        String.fromCharCode(Number.parseInt(octal, 8)),
      );
      return mount !== "" && isInPlaces(mount, places) ? [mount] : [];
    });
}
