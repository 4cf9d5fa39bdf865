import { EremosError } from "../../../errors/eremos-error";
import {
  type GuardRecord,
  MAX_GUARD_BYTES,
  type Original,
  provenGuard,
  readGuard,
  readOriginals,
  writeGuard,
  writeOriginals,
} from "../../../format/guard-record";
import type { Dir, Disk } from "../../../platform/port";
import type { Permissions } from "./bars";
import { permissionsOf } from "./permissions";
import {
  type Folder,
  type HeldFolder,
  NAMES,
  commitFile,
  commitRecord,
  isRecordName,
  readSmallFile,
  readTwins,
  topModes,
} from "../../ground";
import { hasState, loadState } from "../../records";
import { said, say } from "@eremos/words/core/guards";

/** The record of a barred folder, or of one out of sight, and the permissions that it had before. FORMAT.md §10.1. */
const MOST_ORIGINALS_BYTES = 1024 * 1024 * 1024;

/**
 * The guard record where it governs the folder: not where the folder was open under it and has been sealed since, and
 * not where it was put beside the record of a sealed folder by somebody else. @throws EremosError `damaged`
 */
export function loadGuard(disk: Disk, ownDir: Dir): GuardRecord | null {
  const record = readTwins(disk, ownDir, NAMES.guard, MAX_GUARD_BYTES, readGuard, say("folders-guard-record"));
  if (record && record.system !== disk.system) throw new EremosError("unsupported", said("this-folder-was-barred-or"));
  if (!record || !hasState(disk, ownDir)) return record;
  return record.state !== "open" && isOwnGuard(disk, record) && loadState(disk, ownDir)?.folder === record.folder
    ? record
    : null;
}

/**
 * Whether this computer wrote the record: nothing else makes it move a folder, or change what others may do in it, by
 * itself.
 */
export function isOwnGuard(disk: Disk, record: GuardRecord): boolean {
  return record.proof !== undefined && disk.identity.isOwn(provenGuard(record), record.proof);
}

export function loadOriginals(
  disk: Disk,
  folder: Folder & { readonly ownDir: Dir },
  { originals }: GuardRecord,
): { readonly root: Original | null; readonly rest: readonly Original[] } {
  if (originals === null) return { root: null, rest: [] };
  const all = readOriginals(
    readSmallFile(disk, folder.ownDir, originalsName(originals), MOST_ORIGINALS_BYTES),
    originals,
  );
  return { root: all.find(({ path }) => path.length === 0) ?? null, rest: all.filter(({ path }) => path.length > 0) };
}

/** The folder's own permissions where it lies open for its account alone, under either kind of record; else null. */
export function closedRoot(disk: Disk, folder: HeldFolder): Original | null {
  const guard = loadGuard(disk, folder.ownDir);
  if (guard) return guard.state === "open" && guard.closed ? loadOriginals(disk, folder, guard).root : null;
  const [own] = topModes(disk, folder.dir, loadState(disk, folder.ownDir)?.modes ?? []);
  return own ? { ...rootOriginal(disk, folder), mode: own.mode } : null;
}

export function permissionsOfRoot(disk: Disk, folder: Folder): Permissions {
  return permissionsOf(disk, folder.parent, folder.name, disk.stat(folder.parent, folder.name));
}

export function rootOriginal(disk: Disk, folder: Folder): Original {
  return { path: [], ...permissionsOfRoot(disk, folder) };
}

const ORIGINALS = "originals-";

function originalsName(digest: string): Buffer {
  return Buffer.from(`${ORIGINALS}${digest}`);
}

/** The guard record, and the permissions it names. */
export function isOfGuard(name: Buffer): boolean {
  return isRecordName(name, NAMES.guard) || name.toString("latin1").startsWith(ORIGINALS);
}

/** Durable before any record names it. Null when nothing changes. */
export function saveOriginals(disk: Disk, ownDir: Dir, originals: readonly Original[]): string | null {
  if (originals.length === 0) return null;
  const { bytes, digest } = writeOriginals(originals);
  commitFile(disk, ownDir, originalsName(digest), bytes);
  return digest;
}

/** The one place where the record changes; permissions that no record names any more go with it. */
export function commitGuard(disk: Disk, ownDir: Dir, made: GuardRecord): GuardRecord {
  const record = { ...made, proof: disk.identity.prove(provenGuard(made)) };
  commitRecord(disk, ownDir, NAMES.guard, writeGuard(record));
  const kept = record.originals === null ? null : originalsName(record.originals);
  for (const name of disk.list(ownDir)) {
    if (name.toString("latin1").startsWith(ORIGINALS) && !(kept?.equals(name) ?? false)) disk.unlink(ownDir, name);
  }
  return record;
}
