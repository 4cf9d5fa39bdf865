import * as fs from "node:fs";
import { sha256 } from "../../crypto/bytes";
import { isEremosError } from "../../errors/eremos-error";
import { type Original, readOriginals } from "../../format/guard-record";
import type { GuardName } from "../../format/guards";
import { PAGE, SIGN_NAMES, type StateRecord, isPlainTrue } from "../../format/state";
import { directorySource } from "../directory-source";
import { readGuardIn } from "../find-locked";
import { readWhole } from "../source";
import { findState } from "../state-record";

export const OWN_DIR = Buffer.from(".eremos");

/** Plain contents, as far as what Eremos keeps beside them tells of them. */
export interface Plain {
  /** Permissions there were before, by names from the folder down, or by device and inode. */
  readonly permissions: ReadonlyMap<string, { readonly mode: number; readonly acl?: Buffer | null }>;
  /** Whether a file at the top is Eremos' own. */
  readonly isOurs: (name: Buffer, content: () => Buffer) => boolean;
}

export interface ReadableFolder extends Plain {
  readonly guard: GuardName;
  /** Where the contents lie, in the folder: names from it down. */
  readonly plain: readonly (readonly Buffer[])[];
  readonly problems: readonly string[];
}

/**
 * A folder that is barred or out of sight. The guard record governs unless the folder has been sealed since. FORMAT.md
 * §10.
 */
export async function readableUnencrypted(folder: Buffer): Promise<ReadableFolder | null> {
  const source = directorySource(folder);
  const known = await readGuardIn(source);
  if (!known) return null;
  const { guard, state, originals } = known;
  const { record, isThere } = await findState(source);
  // A guard record beside that of a sealed folder whose sealed copy is the true one may be anybody's.
  if (isThere && (state === "open" || !record || !isPlainTrue(record))) return null;
  const problems: string[] = [];
  let before: readonly Original[] = [];
  try {
    if (originals !== null)
      before = readOriginals(await readWhole(source, `.eremos/originals-${originals}`), originals);
  } catch (error) {
    if (!isEremosError(error)) throw error;
    problems.push(error.message);
  }
  const permissions = new Map(before.map(({ path: names, mode, acl }) => [pathKey(names), { mode, acl }]));
  return { guard, plain: [[OWN_DIR, Buffer.from("contents")], []], permissions, isOurs: () => false, problems };
}

/** Whether a file at the top is a sign that a state record knows of; without a record, the page. */
function oursBy(state: StateRecord | null): Plain["isOurs"] {
  return (name, content) => {
    const text = name.toString("latin1");
    if (!SIGN_NAMES.has(text)) return false;
    const digest = sha256(content()).toString("hex");
    return state === null ? text === PAGE : state.shows.some((shown) => shown.name === text && shown.digest === digest);
  };
}

export function plainBy(state: StateRecord | null): Plain {
  return {
    permissions: new Map(state?.modes.map(({ dev, ino, mode }) => [`${dev}:${ino}`, { mode }]) ?? []),
    isOurs: oursBy(state),
  };
}

export const STAGING = Buffer.from("staging");

/**
 * A folder whose readable contents are the true ones, all of them: it was open, on its way in or out, or its first lock
 * had not come far. FORMAT.md §7.2.
 */
export async function readableUnsealed(folder: Buffer): Promise<ReadableFolder | null> {
  const source = directorySource(folder);
  const { record, isThere, isElsewhere } = await findState(source);
  if (!isThere) {
    const isBegun = (await source.list(".eremos")).every((name) => name === "lock" || name.endsWith(".new"));
    return isBegun && fs.existsSync(Buffer.concat([folder, Buffer.from("/.eremos")]))
      ? { guard: "sealed", plain: [[]], ...plainBy(null), problems: [] }
      : null;
  }
  if (!record || !isPlainTrue(record)) return null;
  // A copy of a folder that lay open lies open; what was under way elsewhere is not under way here.
  if (isElsewhere && record.state !== "open") return null;
  return { guard: "sealed", plain: [[OWN_DIR, STAGING], []], ...plainBy(record), problems: [] };
}

export function pathKey(names: readonly Buffer[]): string {
  return names.map((name) => name.toString("latin1")).join("/");
}
