import { wipe } from "../crypto/bytes";
import { EremosError, isEremosError } from "../errors/eremos-error";
import { canonicalJson } from "../format/canonical-json";
import { type Generation, generationDigest, vouchingOf } from "../format/generation";
import { type FolderHeader, openHeader } from "../format/header";
import type { Dir, Disk } from "../platform/port";
import { FolderKeys, type OwnerAccess, devicesOf } from "./keys";
import { loadGeneration, loadHeaders } from "./vault";

/**
 * What the owner is asked about before anything else happens with a sealed folder, each by itself: nobody known stands behind it; it is in an older
 * state than Eremos knows; another state of the same number, or one that does not come from the known one, is in its place.
 */
export const CONSENTS = ["unvouched", "rolled-back", "forked", "costly"] as const;
export type Consent = (typeof CONSENTS)[number];

/** What every verb that opens a sealed folder brings. */
export interface SealedInput {
  /** Where the folder is now. */
  readonly path: Buffer;
  readonly access: OwnerAccess;
  /** The database's copy of the header, used when those in the folder are damaged, or not the owner's. */
  readonly keptHeader: Buffer | null;
  /** The newest generation the database knows, to notice a folder that was put back to an older state. */
  readonly expected: { readonly generation: number; readonly digest: string } | null;
  /** What the owner was told and goes on with. */
  readonly accept: readonly Consent[];
}

/** A sealed folder's header, generation and keys. Whoever opened it wipes the keys. */
export interface SealedFolder {
  readonly header: FolderHeader;
  readonly generation: Generation;
  readonly keys: FolderKeys;
  /** What its owner has to agree to, or has agreed to. */
  readonly questions: readonly EremosError[];
  /** Copies of header and generation record that are missing, damaged or not the owner's. */
  readonly damaged: readonly { readonly path: string; readonly reason: string }[];
}

/**
 * The one way into a sealed folder: header, generation, keys, who stands behind both, whether it is older than known, and whether it comes from what is
 * known. The folder is held, or only read. @throws EremosError `unvouched` | `rolled-back` | `forked` where that was not agreed to | `needs-folder-password` | `wrong-password` | `damaged`
 */
export async function openSealed(disk: Disk, vault: Dir, number: number, input: SealedInput): Promise<SealedFolder> {
  const opened = await lookAtSealed(disk, vault, number, input);
  const asked = opened.questions.find(({ code }) => !(input.accept as readonly string[]).includes(code));
  if (!asked) return opened;
  opened.keys.wipe();
  throw asked;
}

/** The same, with what is to be asked told instead of thrown: for what only looks. */
export async function lookAtSealed(
  disk: Disk,
  vault: Dir,
  number: number,
  { access, keptHeader, expected }: Omit<SealedInput, "path" | "accept">,
): Promise<SealedFolder> {
  const { header, keys, damaged } = await openHeaders(disk, vault, keptHeader, access);
  try {
    const loaded = loadGeneration(disk, vault, number);
    const generation = loaded.record;
    if (generation.folder !== header.folder)
      throw new EremosError("damaged", "The folder's generation record belongs to another folder.", {
        reason: "swapped",
      });
    const questions = [
      whoStandsBehind(generation, keys, access),
      whetherOlder(generation, expected),
      whetherForked(disk, vault, generation, expected),
    ];
    return {
      header,
      generation,
      keys,
      questions: questions.filter((one) => one !== null),
      damaged: [...damaged, ...loaded.damaged],
    };
  } catch (error) {
    keys.wipe();
    throw error;
  }
}

/** Of several headers the one that somebody known stands behind: whoever can write to the folder can put another in its place. */
export async function openHeaders(
  disk: Disk,
  vault: Dir,
  kept: Buffer | null,
  access: OwnerAccess,
): Promise<Pick<SealedFolder, "header" | "keys" | "damaged">> {
  const { records, damaged } = loadHeaders(disk, vault, kept);
  const opened: { readonly header: FolderHeader; readonly keys: FolderKeys; readonly path: string }[] = [];
  let first: unknown = null;
  for (const { record, path } of records) {
    try {
      opened.push({ header: record, keys: await FolderKeys.open(disk, vault, record, access), path });
    } catch (error) {
      if (!isEremosError(error)) throw error;
      first ??= error;
    }
    if (opened.at(-1)?.keys.standing !== "unknown" && opened.length > 0) break;
  }
  const chosen = opened.find(({ keys }) => keys.standing !== "unknown") ?? opened[0];
  for (const { keys } of opened) if (keys !== chosen?.keys) keys.wipe();
  if (!chosen) throw first;
  const others = records
    .slice(
      0,
      records.findIndex(({ record }) => record === chosen.header),
    )
    .map(({ path }) => ({ path, reason: "it is not the header that you or a computer of yours made" }));
  return { header: chosen.header, keys: chosen.keys, damaged: [...damaged, ...others] };
}

/**
 * The header that is to be written anew, without opening the folder: of several the one that somebody known stands behind. Where that can't be told (a
 * password of the folder's own is not at hand), they have to agree but for the owner's record. @throws EremosError `unvouched` | `damaged`
 */
export async function headerToRenew(
  disk: Disk,
  vault: Dir,
  { access, keptHeader }: Pick<SealedInput, "access" | "keptHeader">,
): Promise<FolderHeader> {
  const { records } = loadHeaders(disk, vault, keptHeader);
  for (const { record } of records.length > 1 ? records : []) if (await isKnown(record, access)) return record;
  const [first] = records;
  if (first && records.every(({ record }) => bodyOf(record).equals(bodyOf(first.record)))) return first.record;
  throw new EremosError(
    "unvouched",
    "The copies of this folder's header differ, and Eremos can't tell without the folder's own password which of them is yours. Nothing was changed; open the folder, which repairs them.",
    { what: "key" },
  );
}

function bodyOf({ owner: _owner, ...body }: FolderHeader): Buffer {
  return canonicalJson(body);
}

async function isKnown(header: FolderHeader, access: OwnerAccess): Promise<boolean> {
  try {
    const { folderKey, standing } = await openHeader(header, { ...access, devices: devicesOf(access) });
    wipe(folderKey);
    return standing !== "unknown";
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
}

/**
 * A folder key that was only sealed to the owner, or a generation that was only sealed to the folder, may be anybody's: only the owner's root key, or one
 * of the owner's computers, vouches. @throws EremosError `damaged` where a voucher is false
 */
function whoStandsBehind(generation: Generation, keys: FolderKeys, access: OwnerAccess): EremosError | null {
  if (keys.standing === "unknown") {
    return new EremosError(
      "unvouched",
      "This folder was locked by somebody unknown: neither you nor a computer of yours that Eremos knows stands behind its key. Nothing was changed. Open it only if you know who locked it; nothing of yours is ever encrypted to that key.",
      { what: "key" },
    );
  }
  if (vouchingOf(generation, keys.folderKey, devicesOf(access)) !== "unvouched") return null;
  return new EremosError(
    "unvouched",
    "The last lock of this folder was not made by you or by a computer of yours that Eremos knows. Nothing was changed; go on only if you know who locked it.",
    { what: "lock" },
  );
}

function whetherOlder({ generation }: Generation, expected: SealedInput["expected"]): EremosError | null {
  if (!expected || generation >= expected.generation) return null;
  return new EremosError(
    "rolled-back",
    `This folder is in an older state than Eremos last locked (state ${generation}, expected ${expected.generation}), as after restoring a backup. Nothing was changed; go on if you know why.`,
    { found: generation, expected: expected.generation },
  );
}

/** As far as the records between the known state and this one are still there. */
function whetherForked(
  disk: Disk,
  vault: Dir,
  record: Generation,
  expected: SealedInput["expected"],
): EremosError | null {
  if (!expected || record.generation < expected.generation) return null;
  for (let at = record; ;) {
    const digest =
      at.generation === expected.generation
        ? generationDigest(at)
        : at.parent?.generation === expected.generation
          ? at.parent.digest
          : null;
    if (digest !== null) return digest === expected.digest ? null : forked(expected.generation);
    const { parent } = at;
    if (!parent || parent.generation < expected.generation) return forked(expected.generation);
    const before = recordOrNull(disk, vault, parent.generation);
    if (!before) return null;
    if (generationDigest(before) !== parent.digest) return forked(parent.generation);
    at = before;
  }
}

function recordOrNull(disk: Disk, vault: Dir, number: number): Generation | null {
  try {
    return loadGeneration(disk, vault, number).record;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

function forked(generation: number): EremosError {
  return new EremosError(
    "forked",
    `Another state ${generation} of this folder is in the place of the one Eremos knows, as when two copies of it were locked apart. Nothing was changed; go on if you know why.`,
    { generation },
  );
}
