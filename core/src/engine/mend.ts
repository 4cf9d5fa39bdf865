import { sha256, wipe } from "../crypto/bytes";
import { EremosError, fromSystemError, isEremosError } from "../errors/eremos-error";
import { canonicalJson } from "../format/canonical-json";
import {
  type Generation,
  generationNumbers,
  openPlace,
  readGeneration,
  vouchingOf,
  writeGeneration,
} from "../format/generation";
import { MAX_HEADER_BYTES, readHeader, writeHeader } from "../format/header";
import type { StateRecord } from "../format/state";
import type { Dir, Disk } from "../platform/port";
import { commitHeader } from "./change-owner";
import { within } from "./handles";
import { HELD_NAME } from "./hide";
import { type FolderKeys, devicesOf } from "./keys";
import { openIndex } from "./load-tree";
import { type SealedInput, openHeaders } from "./open-sealed";
import {
  type HeldFolder,
  ICON_NAME,
  NAMES,
  PAGE_NAME,
  commitFile,
  commitState,
  displayPath,
  generationName,
  holdFolder,
  isHiddenName,
  isNotContents,
  letGo,
  loadState,
  readSmallFile,
  splitPath,
} from "./vault";

/** Its records, that were written anew: for people. */
export interface Mended {
  readonly mended: readonly string[];
  /** The header's bytes, for the owner's database. */
  readonly header: Buffer;
}

/**
 * Writes damaged or missing records of a sealed folder anew from what is whole: the header and generation records from their copies (or from the
 * owner's database), a lost state record from what lies there. Contents and indexes are not touched.
 * @throws EremosError `not-protected` | `busy` | `needs-folder-password` | `wrong-password` | `damaged` (a record and all its copies) |
 * `unsupported` (the state record is lost, and readable files lie in the folder)
 */
export async function mendFolder(
  disk: Disk,
  input: Pick<SealedInput, "path" | "access" | "keptHeader">,
): Promise<Mended> {
  const folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  try {
    const { header, ...opened } = await openHeaders(disk, folder.vault, input.keptHeader, input.access);
    ({ keys } = opened);
    if (keys.standing === "unknown")
      throw new EremosError(
        "unvouched",
        "Nobody known stands behind any header of this folder, so none is written anew. Nothing was changed; bring its files out with `eremos rescue`.",
        { what: "key" },
      );
    const bytes = writeHeader(header);
    const mended: string[] = [];
    if ([NAMES.header, NAMES.headerCopy].some((name) => !isHeader(disk, folder.vault, name, bytes))) {
      commitHeader(disk, folder, bytes);
      mended.push("the header");
    }
    const wholeOnes = mendGenerations(disk, folder.vault, mended);
    if (!hasState(disk, folder.vault)) {
      const newest = wholeOnes.find(
        (record) => record.folder === header.folder && isUsable(disk, folder.vault, record, keys, input),
      );
      if (!newest)
        throw new EremosError(
          "damaged",
          "No state of this folder has a whole record and index, so it can't be mended in place. Nothing more was changed; bring its files out with `eremos rescue`.",
        );
      commitState(disk, folder.vault, rebuiltState(disk, folder, newest, keys));
      mended.push("the state record");
    }
    return { mended, header: bytes };
  } catch (error) {
    throw fromSystemError(error, "mending the folder's records; its contents are as they were");
  } finally {
    keys?.wipe();
    letGo(disk, folder);
  }
}

/** It is whole, and the one that somebody known stands behind, perhaps with another record of the owner's. */
function isHeader(disk: Disk, vault: Dir, name: Buffer, known: Buffer): boolean {
  return parses(() => {
    const { owner: _owner, ...body } = readHeader(
      readSmallFile(disk, vault, name, MAX_HEADER_BYTES) ?? Buffer.alloc(0),
    );
    const { owner: _own, ...own } = readHeader(known);
    return canonicalJson(body).equals(canonicalJson(own)) ? body : null;
  });
}

function hasState(disk: Disk, vault: Dir): boolean {
  return parses(() => loadState(disk, vault));
}

function parses(read: () => unknown): boolean {
  try {
    return read() !== null;
  } catch (error) {
    if (isEremosError(error) && error.code === "damaged") return false;
    throw error;
  }
}

/** Each record from its copy, or the copy from it. Returns those that are whole, the newest first. */
function mendGenerations(disk: Disk, vault: Dir, mended: string[]): Generation[] {
  return within(disk, disk.openDir(vault, NAMES.generations), (dir) => {
    const numbers = generationNumbers(disk.list(dir).map((name) => name.toString("latin1"))).sort((a, b) => b - a);
    return numbers.flatMap((number) => {
      const names = [false, true].map((copy) => generationName(number, copy));
      const records = names.map((name) => generationIn(disk, dir, name, number));
      const whole = records.find((record) => record !== null);
      if (!whole) return [];
      names.forEach((name, i) => {
        if (records[i]) return;
        commitFile(disk, dir, name, writeGeneration(whole));
        mended.push(`the record of state ${number}`);
      });
      return [whole];
    });
  });
}

function generationIn(disk: Disk, dir: Dir, name: Buffer, number: number): Generation | null {
  try {
    const bytes = readSmallFile(disk, dir, name);
    const record = bytes ? readGeneration(bytes) : null;
    return record?.generation === number ? record : null;
  } catch (error) {
    if (isEremosError(error) && error.code === "damaged") return null;
    throw error;
  }
}

function isUsable(
  disk: Disk,
  vault: Dir,
  record: Generation,
  keys: FolderKeys | null,
  { access }: Pick<SealedInput, "access">,
): boolean {
  if (!keys) return false;
  try {
    if (vouchingOf(record, keys.folderKey, devicesOf(access)) === "unvouched") return false;
    openIndex(disk, vault, record, keys).close();
    return true;
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
}

/** Sealed, and nothing else: where readable files lie in it, they could be the true ones, and nobody can tell any more. */
function rebuiltState(disk: Disk, folder: HeldFolder, generation: Generation, keys: FolderKeys): StateRecord {
  const top = disk.statOpen(folder.dir);
  const signs = [PAGE_NAME, ICON_NAME];
  const beside = disk
    .list(folder.dir)
    .filter((name) => !isNotContents(top, name) && !signs.some((sign) => sign.equals(name)));
  if (beside.length > 0 || disk.find(folder.vault, NAMES.staging)) {
    throw new EremosError(
      "unsupported",
      `The state record of ${displayPath(folder.path)} is lost, and readable files lie in it (${beside.slice(0, 3).map(displayPath).join(", ") || "on their way in or out"}). Eremos can't tell whether they are newer than the encrypted ones, so it leaves both. Bring everything out with \`eremos rescue\`.`,
    );
  }
  const secret = Buffer.from(keys.secret(generation.key));
  const place = openPlace(generation, secret);
  wipe(secret);
  return {
    format: "eremos-state",
    version: 1,
    folder: generation.folder,
    state: "sealed",
    generation: generation.generation,
    next: null,
    ...whereItHides(folder, place),
    staging: null,
    mixed: false,
    modes: [],
    times: null,
    page: digestOf(disk, folder, PAGE_NAME),
    icon: digestOf(disk, folder, ICON_NAME),
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
