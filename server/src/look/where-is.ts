import {
  type Disk,
  type FolderToLookAt,
  type Located,
  displayPath,
  isEncrypting,
  locateAnywhere,
  locateFolder,
} from "@eremos/core";
import type { FolderRecord } from "../ledger/registry";
import type { Looker } from "./looker";
import { type Mounts, mountsIn } from "./mounts";
import { withoutAnswer } from "./no-answer";
import { decodePath, encodePath } from "../paths";

/** What it takes to look by oneself, and only where that does not wait. */
export interface Looking {
  readonly disk: Disk;
  readonly looker: Pick<Looker, "isSilent">;
  readonly mounts: Mounts;
}

/**
 * Where a folder is now, looked at by this very process: so only where its disk has answered before. Null: it is not
 * there. `path`: its ordinary one, encoded. @throws EremosError `no-answer`, as locating it
 */
export function whereIs(looking: Looking, folder: { readonly id: string; readonly path: string }): Located | null {
  requireNotSilent(looking, folder);
  return locateFolder(looking.disk, decodePath(folder.path), folder.id);
}

/** The same, and under another path at which its drive may be mounted, which the record tells then. */
export function whereverIs(
  looking: Looking,
  record: FolderRecord,
): { readonly record: FolderRecord; readonly located: Located | null } {
  requireNotSilent(looking, record);
  const found = locateAnywhere(looking.disk, toLookAt(record), mountsIn(looking.mounts));
  return found
    ? { record: { ...record, path: encodePath(found.path) }, located: found.located }
    : { record, located: null };
}

function requireNotSilent({ looker }: Looking, { id, path }: { readonly id: string; readonly path: string }): void {
  if (looker.isSilent(id)) throw withoutAnswer(displayPath(decodePath(path)));
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
