import { sha256 } from "../../crypto/bytes";
import { EremosError, fromSystemError, isEremosError } from "../../errors/eremos-error";
import {
  type Generation,
  generationName,
  openFacts,
  ordinaryPlace,
  readGeneration,
  refOf,
  segmentsOf,
  vouchingOf,
  writeGeneration,
} from "../../format/generation";
import { type Head, writeHead, writeHeader } from "../../format/header";
import { newFrame } from "../../format/record-file";
import type { StateBody, StateRecord } from "../../format/state";
import type { PackInfo } from "../../format/tree";
import type { Dir, Disk } from "../../platform/port";
import {
  type HeldFolder,
  ICON_NAME,
  ITEM_NAME,
  NAMES,
  PAGE_NAME,
  commitFile,
  displayPath,
  holdFolder,
  holdsBytes,
  isHiddenName,
  isNotContents,
  letGo,
  readSmallFile,
  splitPath,
  twinOf,
  within,
} from "../ground";
import { HELD_NAME } from "../visibility";
import {
  type FolderKeys,
  believedOf,
  commitHead,
  commitState,
  damagedRecords,
  loadState,
  mendBeginning,
  mendCopies,
  wholeGenerations,
} from "../records";
import { type SealedInput, loadTree, openHeads, openIndex } from "../contents";
import { said, say } from "@eremos/words/core/upkeep";

/** Its records, that were written anew: for people. */
export interface Mended {
  readonly mended: readonly string[];
  /** The header's bytes, for the owner's database. */
  readonly header: Buffer;
}

/**
 * Writes damaged or missing records of a sealed folder anew from what is whole: the header and generation records from
 * their copies (or from the owner's database), a lost state record from what lies there, and the beginnings of
 * encrypted files, which are known from elsewhere. Contents are not touched.
 * @throws EremosError `not-protected` | `busy` | `needs-folder-password` | `wrong-password` | `damaged` (a record and
 * all its copies) | `unsupported` (the state record is lost, and readable files lie in the folder)
 */
export async function mendFolder(
  disk: Disk,
  input: Pick<SealedInput, "path" | "access" | "keptHeader">,
): Promise<Mended> {
  const folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  try {
    const { head, damaged, ...opened } = await openHeads(disk, folder.ownDir, input.keptHeader, input.access);
    ({ keys } = opened);
    if (keys.standing === "unknown")
      throw new EremosError("unvouched", said("nobody-known-stands-behind-any"), { what: "key" });
    const mended: string[] = [];
    if (
      damaged.length > 0 ||
      [NAMES.header, twinOf(NAMES.header)].some((name) => !isHeader(disk, folder.ownDir, name, head))
    ) {
      commitHead(disk, folder.ownDir, head);
      mended.push(say("header"));
    }
    const wholeOnes = mendGenerations(disk, folder.ownDir, mended);
    if (
      hasState(disk, folder.ownDir) &&
      damagedRecords(disk, folder.ownDir).some(({ path }) => path.startsWith("state-"))
    ) {
      const state = loadState(disk, folder.ownDir);
      if (state) commitState(disk, folder.ownDir, state);
      mended.push(say("state-record"));
    }
    if (!hasState(disk, folder.ownDir)) {
      const newest = wholeOnes.find((record) => isUsable(disk, folder.ownDir, record, head, keys, input));
      if (!newest) throw new EremosError("damaged", said("no-state-this-folder-has"));
      commitState(disk, folder.ownDir, rebuiltState(disk, folder, newest, keys));
      mended.push(say("state-record"));
    }
    if (mendCopies(disk, folder.ownDir, "manifests") > 0) mended.push(say("list-its-encrypted-files"));
    if (mendCopies(disk, folder.ownDir, "keys") > 0) mended.push(say("record-key"));
    mendBeginnings(disk, folder.ownDir, head, keys, input, mended);
    return { mended, header: writeHead(head) };
  } catch (error) {
    throw fromSystemError(error, said("mending-folders-records-its-contents"));
  } finally {
    keys?.wipe();
    letGo(disk, folder);
  }
}

/**
 * What the encrypted files of the present state begin with is known twice: from the index, and from the generation's
 * record.
 */
function mendBeginnings(
  disk: Disk,
  ownDir: Dir,
  head: Head,
  keys: FolderKeys,
  input: Pick<SealedInput, "access">,
  mended: string[],
): void {
  const current = loadState(disk, ownDir)?.generation;
  const record = wholeGenerations(disk, ownDir).records.find((one) => refOf(one).digest === current?.digest);
  if (!record || !isUsable(disk, ownDir, record, head, keys, input)) return;
  const isMended = (kind: "index" | "pack", object: string, header: Buffer): boolean => {
    try {
      return mendBeginning(disk, ownDir, kind, object, header);
    } catch (error) {
      if (isEremosError(error)) return false;
      throw error;
    }
  };
  const indexes = segmentsOf(record).filter(({ object, header }) => isMended("index", object, header));
  const packs = packsOf(disk, ownDir, record, keys).filter(({ object, header }) => isMended("pack", object, header));
  for (let i = 0; i < indexes.length + packs.length; i++) mended.push(say("beginning-encrypted-file"));
}

function packsOf(disk: Disk, ownDir: Dir, record: Generation, keys: FolderKeys): readonly PackInfo[] {
  try {
    return loadTree(disk, ownDir, record, keys).tree.packs();
  } catch (error) {
    if (isEremosError(error)) return [];
    throw error;
  }
}

/** It is the one that somebody known stands behind. */
function isHeader(disk: Disk, ownDir: Dir, name: Buffer, { header }: Head): boolean {
  return holdsBytes(disk, ownDir, name, writeHeader(header));
}

function hasState(disk: Disk, ownDir: Dir): boolean {
  return parses(() => loadState(disk, ownDir));
}

function parses(read: () => unknown): boolean {
  try {
    return read() !== null;
  } catch (error) {
    if (isEremosError(error) && error.code === "damaged") return false;
    throw error;
  }
}

/** Each record from its twin, or the twin from it. Returns those that are whole, the newest first. */
function mendGenerations(disk: Disk, ownDir: Dir, mended: string[]): readonly Generation[] {
  const { records } = wholeGenerations(disk, ownDir);
  within(disk, disk.openDir(ownDir, NAMES.generations), (dir) => {
    for (const record of records) {
      const name = Buffer.from(generationName(refOf(record)));
      for (const one of [name, twinOf(name)]) {
        if (isWhole(disk, dir, one, record)) continue;
        commitFile(disk, dir, one, writeGeneration(record));
        mended.push(say("record-state", { number: record.number }));
      }
    }
  });
  return records;
}

function isWhole(disk: Disk, dir: Dir, name: Buffer, record: Generation): boolean {
  return parses(() => {
    const bytes = readSmallFile(disk, dir, name);
    return bytes && refOf(readGeneration(bytes)).digest === refOf(record).digest ? bytes : null;
  });
}

function isUsable(
  disk: Disk,
  ownDir: Dir,
  record: Generation,
  head: Head,
  keys: FolderKeys | null,
  { access }: Pick<SealedInput, "access">,
): boolean {
  if (!keys) return false;
  try {
    if (vouchingOf(record, believedOf(access), head) === "unknown") return false;
    openIndex(disk, ownDir, record, keys).close();
    return true;
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
}

/**
 * Sealed, and nothing else: where readable files lie in it, they could be the true ones, and nobody can tell any more.
 */
function rebuiltState(disk: Disk, folder: HeldFolder, generation: Generation, keys: FolderKeys): StateBody {
  const top = disk.statOpen(folder.dir);
  const signs = [PAGE_NAME, ITEM_NAME, ICON_NAME];
  const beside = disk
    .list(folder.dir)
    .filter((name) => !isNotContents(top, name) && !signs.some((sign) => sign.equals(name)));
  if (beside.length > 0 || disk.find(folder.ownDir, NAMES.staging)) {
    throw new EremosError(
      "unsupported",
      said("state-record-is-lost-and", {
        path: displayPath(folder.path),
        beside: beside.slice(0, 3).map(displayPath).join(", ") || say("on-their-way-in-or"),
      }),
    );
  }
  const place = ordinaryPlace(openFacts(generation, keys.secret(generation)), disk.system, folder.path);
  return {
    ...newFrame("eremos-state"),
    folder: generation.folder,
    state: "sealed",
    generation: refOf(generation),
    next: null,
    ...whereItHides(folder, place),
    staging: null,
    mixed: false,
    modes: [],
    times: null,
    shows: signs.flatMap((name) => {
      const digest = digestOf(disk, folder, name);
      return digest === null ? [] : [{ name: name.toString("utf8"), digest }];
    }),
  };
}

/** By where it lies: FORMAT.md §7.5. */
function whereItHides({ path }: HeldFolder, place: Buffer): Pick<StateRecord, "visibility" | "lockedName" | "held"> {
  const { parent, name } = splitPath(path);
  const isOwnName = name.equals(splitPath(place).name);
  if (!isHiddenName(name))
    return { visibility: "view", lockedName: isOwnName ? null : name.toString("utf8"), held: null };
  const lockedName = name.toString("latin1");
  if (!splitPath(parent).name.equals(HELD_NAME)) return { visibility: "hidden", lockedName, held: null };
  const depth = (at: Buffer): number => at.filter((byte) => byte === 0x2f).length;
  return {
    visibility: "tucked",
    lockedName,
    held: Math.max(0, depth(splitPath(place).parent) - depth(splitPath(parent).parent)),
  };
}

function digestOf(disk: Disk, folder: HeldFolder, name: Buffer): string | null {
  const bytes = readSmallFile(disk, folder.dir, name);
  return bytes ? sha256(bytes).toString("hex") : null;
}
