import type { z } from "zod";
import { EremosError, fromSystemError, systemCode } from "../errors/eremos-error";
import { readFileRecord } from "../format/file-record";
import { HIDDEN_NAME } from "../format/ids";
import { type FolderHeader, MAX_HEADER_BYTES, readHeader } from "../format/header";
import { type Generation, type KeyRecord, keyRecordSchema, readGeneration } from "../format/generation";
import { readRecord } from "../format/record-file";
import { type StateRecord, provenState, readState, writeState } from "../format/state";
import type { Dir, Disk, OpenFile, Stat } from "../platform/port";
import { withFile, within } from "./handles";

/** Everything Eremos adds to a folder lives in this one directory inside it. FORMAT.md §1. */
export const VAULT_NAME = Buffer.from(".eremos");
/** The file system's own directory at the top of an ext2, ext3 or ext4 drive, whose top has this inode number. Source: linux/Documentation/filesystems/ext4. */
const LOST_AND_FOUND = Buffer.from("lost+found");
const EXT_ROOT_INODE = 2n;

/** What stands at a folder's top and is not the person's: Eremos' directory, and on a drive what belongs to its file system. */
export function isNotContents(top: Pick<Stat, "ino">, name: Buffer): boolean {
  return name.equals(VAULT_NAME) || (top.ino === EXT_ROOT_INODE && name.equals(LOST_AND_FOUND));
}

/** Whether a drive is mounted at the path: its contents can be protected, but it can't be moved. */
export function isMountPoint(disk: Disk, path: Buffer): boolean {
  const { parent, name } = splitPath(path);
  return within(disk, disk.openRoot(parent), (dir) => {
    const stat = disk.find(dir, name);
    return stat?.type === "dir" && stat.dev !== disk.statOpen(dir).dev;
  });
}

/** Bytes of the longest name that every file system here holds. */
export const LONGEST_NAME = 255;

/** The one readable file in a locked folder that stays in view. */
export const PAGE_NAME = Buffer.from("Locked with Eremos.html");
/** In it, where it is to have another icon: the desktop's own file for that. */
export const ICON_NAME = Buffer.from(".directory");

export const NAMES = {
  lock: Buffer.from("lock"),
  state: Buffer.from("state.json"),
  header: Buffer.from("header.json"),
  headerCopy: Buffer.from("header.copy.json"),
  generations: Buffer.from("generations"),
  keys: Buffer.from("keys"),
  index: Buffer.from("index"),
  packs: Buffer.from("packs"),
  opened: Buffer.from("opened"),
  staging: Buffer.from("staging"),
  links: Buffer.from("links"),
  remains: Buffer.from("remains"),
  page: Buffer.from("page.html"),
  icon: Buffer.from("icon"),
  guard: Buffer.from("guard.json"),
  file: Buffer.from("file.json"),
  contents: Buffer.from("contents"),
  drops: Buffer.from("drops"),
  insurance: Buffer.from("insurance"),
  /** In it: how much. */
  level: Buffer.from("level.json"),
} as const;

/** A folder with its parent and, where there is one, Eremos' directory in it. Close with {@link closeFolder}. */
export interface Folder {
  readonly path: Buffer;
  readonly parent: Dir;
  readonly name: Buffer;
  readonly dir: Dir;
  readonly vault: Dir | null;
}

/** A folder whose lock file this process holds. */
export interface HeldFolder extends Folder {
  readonly vault: Dir;
  /** Null when it was let go of already. */
  held: OpenFile | null;
}

export function splitPath(path: Buffer): { parent: Buffer; name: Buffer } {
  const at = path.lastIndexOf(0x2f);
  if (at < 0 || path.length < 2)
    throw new EremosError("not-found", "That is not a full path of a folder. Nothing was touched.");
  return { parent: at === 0 ? Buffer.from("/") : path.subarray(0, at), name: path.subarray(at + 1) };
}

export function joinPath(parent: Buffer, name: Buffer): Buffer {
  const slash = Buffer.from("/");
  return parent.equals(slash) ? Buffer.concat([slash, name]) : Buffer.concat([parent, slash, name]);
}

/** A path for people: UTF-8, with what is not UTF-8 replaced. */
export function displayPath(path: Buffer): string {
  return path.toString("utf8");
}

export function isHiddenName(name: Buffer): boolean {
  return HIDDEN_NAME.test(name.toString("latin1"));
}

/** The record of a folder that stands for a single file, or null. @throws EremosError `damaged` */
export function fileRecordIn(disk: Disk, vault: Dir): { readonly name: Buffer | null } | null {
  const bytes = readSmallFile(disk, vault, NAMES.file, 16 * 1024);
  return bytes ? readFileRecord(bytes) : null;
}

/** The folder that keeps what belongs to a file of this name beside it, while that lies open; null where there is none. */
export function containerOf(disk: Disk, parent: Dir, file: Buffer): Buffer | null {
  return hiddenNamesIn(disk, parent).find((name) => namedIn(disk, parent, name)?.equals(file) ?? false) ?? null;
}

/** None where this account may not list. */
function hiddenNamesIn(disk: Disk, parent: Dir): Buffer[] {
  try {
    return disk.list(parent).filter(isHiddenName);
  } catch (error) {
    if (systemCode(error) === "EACCES") return [];
    throw error;
  }
}

/** Another account's directory is no container: whoever may write beside a file could put one there. Nor is one that this account barred for itself. */
export function isOwnDirectory(disk: Disk, parent: Dir, name: Buffer): boolean {
  const stat = disk.find(parent, name);
  return stat?.type === "dir" && disk.owns(stat) && disk.readable(parent, name, stat);
}

function namedIn(disk: Disk, parent: Dir, container: Buffer): Buffer | null {
  if (!isOwnDirectory(disk, parent, container)) return null;
  try {
    return within(disk, disk.openDir(parent, container), (dir) =>
      within(disk, disk.openDir(dir, VAULT_NAME), (vault) => fileRecordIn(disk, vault)?.name ?? null),
    );
  } catch (error) {
    // Not one, or one that does not tell; where it can't be read now, it must not be taken for none.
    if (error instanceof EremosError || ["ENOENT", "ENOTDIR"].includes(systemCode(error) ?? "")) return null;
    throw error;
  }
}

/** Of a folder, or of the container of a single file that lies open. @throws EremosError `not-found` | `not-a-folder` | `no-permission` */
export function openFolder(disk: Disk, at: Buffer): Folder {
  const { parent: parentPath, name: asked } = splitPath(at);
  let [path, name] = [at, asked];
  let parent: Dir | undefined;
  let dir: Dir | undefined;
  try {
    parent = disk.openRoot(parentPath);
    try {
      dir = openOrEnter(disk, parent, name);
    } catch (error) {
      // A single file that lies open: what is kept of it is in its container.
      const container = ["ENOTDIR", "ENOENT"].includes(systemCode(error) ?? "")
        ? containerOf(disk, parent, name)
        : null;
      if (!container) throw error;
      dir = disk.openDir(parent, container);
      path = joinPath(parentPath, container);
      name = container;
    }
    const vault = disk.find(dir, VAULT_NAME)?.type === "dir" ? disk.openDir(dir, VAULT_NAME) : null;
    return { path, parent, name, dir, vault };
  } catch (error) {
    if (dir) disk.closeDir(dir);
    if (parent) disk.closeDir(parent);
    throw explainOpening(error, path);
  }
}

/** A barred folder may not be listed, and what Eremos keeps in it is still reached by its name. */
function openOrEnter(disk: Disk, parent: Dir, name: Buffer): Dir {
  try {
    return disk.openDir(parent, name);
  } catch (error) {
    if (systemCode(error) !== "EACCES") throw error;
    const dir = disk.enterDir(parent, name);
    if (hasGuardRecord(disk, dir)) return dir;
    disk.closeDir(dir);
    throw error;
  }
}

function hasGuardRecord(disk: Disk, dir: Dir): boolean {
  try {
    return within(disk, disk.openDir(dir, VAULT_NAME), (vault) => disk.find(vault, NAMES.guard) !== null);
  } catch {
    return false;
  }
}

function explainOpening(error: unknown, path: Buffer): EremosError {
  const shown = displayPath(path);
  switch (systemCode(error)) {
    case "ENOENT":
      return new EremosError("not-found", `There is nothing at ${shown} now. Nothing was touched; check the path.`);
    case "ENOTDIR":
    case "ELOOP":
      return new EremosError(
        "not-a-folder",
        `${shown} is not a folder of its own (it is a file or a link). Nothing was touched; give the folder itself.`,
      );
    case "EACCES":
    case "EPERM":
      return new EremosError(
        "no-permission",
        `The system does not let this account into ${shown}. Nothing was touched.`,
      );
    default:
      return fromSystemError(error, `looking at ${shown}; nothing was touched`);
  }
}

export function closeFolder(disk: Disk, folder: Folder): void {
  if (folder.vault) disk.closeDir(folder.vault);
  disk.closeDir(folder.dir);
  disk.closeDir(folder.parent);
}

/**
 * Opens the folder and takes its lock, making Eremos' directory when `create` is set.
 * @throws EremosError `busy` when another operation of any process holds it | `not-protected`
 */
export function holdFolder(disk: Disk, path: Buffer, options: { readonly create: boolean }): HeldFolder {
  const folder = openFolder(disk, path);
  let vault = folder.vault;
  try {
    if (!vault) {
      if (!options.create) throw new EremosError("not-protected", `${displayPath(path)} is not protected by Eremos.`);
      if (disk.find(folder.dir, VAULT_NAME))
        throw new EremosError(
          "path-taken",
          `There is something called .eremos in ${displayPath(path)} that is not Eremos' own directory. Nothing was touched; give it another name, then lock the folder.`,
          { path: displayPath(path) },
        );
      disk.makeDir(folder.dir, VAULT_NAME, 0o700);
      vault = disk.openDir(folder.dir, VAULT_NAME);
      disk.clearAccessLists(vault);
      // What the records in it say must not get lost while a change they announce survives.
      disk.syncDir(folder.dir);
    }
    requireOurs(disk, path, vault);
    const held = takeLock(disk, vault);
    if (!held)
      throw new EremosError(
        "busy",
        `Something is already being done with ${displayPath(path)}. Nothing was touched; wait for it to end.`,
      );
    return { ...folder, vault, held };
  } catch (error) {
    closeFolder(disk, { ...folder, vault });
    throw fromSystemError(error, `beginning with ${displayPath(path)}; nothing was touched`);
  }
}

const LOCK_TRIES = 15;
const LOCK_WAIT_MS = 20;

/** A mere look at the folder may hold the lock for a moment; an operation holds it for longer than this waits. */
function takeLock(disk: Disk, vault: Dir): OpenFile | null {
  for (let attempt = 1; ; attempt++) {
    const held = disk.tryLock(vault, NAMES.lock);
    if (held || attempt === LOCK_TRIES) return held;
    disk.wait(LOCK_WAIT_MS);
  }
}

export function letGo(disk: Disk, folder: HeldFolder): void {
  dropLock(disk, folder);
  closeFolder(disk, folder);
}

/** Before Eremos' directory goes: some file systems keep an open file's name until it is closed. */
export function dropLock(disk: Disk, folder: HeldFolder): void {
  if (folder.held) disk.closeFile(folder.held);
  folder.held = null;
}

/** The whole of a small file, or null when there is none. */
export function readSmallFile(disk: Disk, dir: Dir, name: Buffer, maxBytes = 64 * 1024 * 1024): Buffer | null {
  let file: OpenFile;
  try {
    file = disk.openRead(dir, name);
  } catch (error) {
    if (systemCode(error) === "ENOENT") return null;
    throw error;
  }
  try {
    const { type, size: whole } = disk.statOpen(file);
    if (type !== "file")
      throw new EremosError(
        "damaged",
        `${displayPath(name)} is no file, so it is not read: somebody has put something else in its place.`,
      );
    const size = Math.min(whole, maxBytes + 1);
    const bytes = Buffer.alloc(size);
    return bytes.subarray(0, disk.read(file, bytes, 0, size, 0));
  } finally {
    disk.closeFile(file);
  }
}

/** The only way a record reaches the disk: written beside, made durable, renamed over, directory made durable. */
export function commitFile(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer): void {
  const beside = Buffer.concat([name, Buffer.from(".new")]);
  if (disk.find(dir, beside)) disk.unlink(dir, beside);
  withFile(disk, disk.create(dir, beside, 0o600), (file) => {
    disk.write(file, bytes, 0, bytes.length, 0);
    disk.syncFile(file);
  });
  disk.rename(dir, beside, dir, name);
  disk.syncDir(dir);
}

export function commitState(disk: Disk, vault: Dir, state: StateRecord): StateRecord {
  const proven = { ...state, proof: disk.identity.prove(provenState(state)) };
  commitFile(disk, vault, NAMES.state, writeState(proven));
  return proven;
}

/** Whether this computer wrote the record: what another one wrote, or somebody who forged it, never makes this one remove anything. */
export function isOwnState(disk: Disk, state: StateRecord): boolean {
  return state.proof !== undefined && disk.identity.isOwn(provenState(state), state.proof);
}

/** Where one of these is, there was a state record before them: without it nothing may be written or removed. */
const NEVER_WITHOUT_STATE = [
  NAMES.header,
  NAMES.headerCopy,
  NAMES.generations,
  NAMES.staging,
  NAMES.packs,
  NAMES.index,
];

/** What a first lock that was cut off before its first record leaves, or a release after its last one. */
const LEFT_WITHOUT_RECORD = /^(?:lock|(?:state|guard|file)\.json\.new|originals-[0-9a-f]{64}(?:\.new)?)$/;

/**
 * A directory of this name that holds no record of Eremos', and anything that Eremos does not leave without one, is somebody's own: it is neither used nor
 * removed. @throws EremosError `path-taken`
 */
function requireOurs(disk: Disk, path: Buffer, vault: Dir): void {
  if ([NAMES.state, NAMES.guard, NAMES.file, ...NEVER_WITHOUT_STATE].some((name) => disk.find(vault, name))) return;
  const others = disk.list(vault).filter((name) => !LEFT_WITHOUT_RECORD.test(name.toString("latin1")));
  if (others.length === 0) return;
  throw new EremosError(
    "path-taken",
    `There is a directory called .eremos in ${displayPath(path)} that is not Eremos' own (it holds ${others.slice(0, 3).map(displayPath).join(", ")}). Nothing was touched; give that directory another name, then lock the folder.`,
    { path: displayPath(path) },
  );
}

/** The state record, or null when nothing was ever locked here. @throws EremosError `damaged` */
export function loadState(disk: Disk, vault: Dir): StateRecord | null {
  const bytes = readSmallFile(disk, vault, NAMES.state);
  if (bytes) return readState(bytes);
  if (NEVER_WITHOUT_STATE.some((name) => disk.find(vault, name))) {
    throw new EremosError(
      "damaged",
      "The folder's state record is missing. Nothing was touched; don't change anything in the folder.",
    );
  }
  return null;
}

export function generationName(generation: number, copy: boolean): Buffer {
  return Buffer.from(`${String(generation).padStart(10, "0")}${copy ? ".copy" : ""}.json`);
}

export interface Loaded<T> {
  readonly record: T;
  /** Copies that were missing or damaged, by their path inside Eremos' directory. */
  readonly damaged: readonly { readonly path: string; readonly reason: string }[];
}

/** The header from the first whole copy, whosever it is: {@link loadHeaders} for opening. @throws EremosError `damaged` */
export function loadHeader(disk: Disk, vault: Dir, kept?: Uint8Array | null): Loaded<FolderHeader> {
  const {
    records: [first],
    damaged,
  } = loadHeaders(disk, vault, kept);
  if (!first) throw new RangeError("there was none");
  return { record: first.record, damaged };
}

/** Every different whole header: the two in the folder, that of its insurance, the one the database kept. At least one. @throws EremosError `damaged` */
export function loadHeaders(
  disk: Disk,
  vault: Dir,
  kept?: Uint8Array | null,
): {
  readonly records: readonly { readonly record: FolderHeader; readonly path: string }[];
  readonly damaged: Loaded<FolderHeader>["damaged"];
} {
  const candidates = [NAMES.header, NAMES.headerCopy].map((name) => ({
    path: name.toString(),
    read: () => readSmallFile(disk, vault, name, MAX_HEADER_BYTES),
  }));
  candidates.push(...insured(disk, vault, NAMES.header));
  if (kept) candidates.push({ path: "the copy in the database", read: () => Buffer.from(kept) });
  const { whole, damaged } = allWhole(candidates, readHeader, "folder's header");
  const seen = new Set<string>();
  return {
    damaged,
    records: whole.filter(({ record }) => !seen.has(JSON.stringify(record)) && seen.add(JSON.stringify(record))),
  };
}

export function loadGeneration(disk: Disk, vault: Dir, generation: number): Loaded<Generation> {
  return within(disk, disk.openDir(vault, NAMES.generations), (dir) => {
    const candidates = [false, true].map((copy) => {
      const name = generationName(generation, copy);
      return { path: `generations/${name.toString()}`, read: () => readSmallFile(disk, dir, name) };
    });
    candidates.push(...insured(disk, vault, generationName(generation, false)));
    return firstWhole(candidates, readGeneration, "folder's generation record");
  });
}

/** A further copy of a small record, where the folder is insured. */
function insured(disk: Disk, vault: Dir, name: Buffer): { path: string; read: () => Buffer | null }[] {
  if (!disk.find(vault, NAMES.insurance)) return [];
  return [
    {
      path: `insurance/${name.toString()}`,
      read: () => within(disk, disk.openDir(vault, NAMES.insurance), (dir) => readSmallFile(disk, dir, name)),
    },
  ];
}

function firstWhole<T>(
  candidates: readonly { path: string; read: () => Buffer | null }[],
  parse: (bytes: Buffer) => T,
  what: string,
): Loaded<T> {
  const {
    whole: [first],
    damaged,
  } = allWhole(candidates, parse, what);
  if (!first) throw new RangeError("there was none");
  return { record: first.record, damaged };
}

/** At least one. @throws EremosError `damaged` | `unknown-version` */
function allWhole<T>(
  candidates: readonly { path: string; read: () => Buffer | null }[],
  parse: (bytes: Buffer) => T,
  what: string,
): {
  readonly whole: readonly { readonly record: T; readonly path: string }[];
  readonly damaged: Loaded<T>["damaged"];
} {
  const damaged: { path: string; reason: string }[] = [];
  const whole: { record: T; path: string }[] = [];
  let newer: EremosError | null = null;
  for (const candidate of candidates) {
    try {
      const bytes = candidate.read();
      if (!bytes) {
        damaged.push({ path: candidate.path, reason: "missing" });
        continue;
      }
      whole.push({ record: parse(bytes), path: candidate.path });
    } catch (error) {
      if (error instanceof EremosError && error.code === "unknown-version") newer = error;
      damaged.push({ path: candidate.path, reason: error instanceof Error ? error.message : "unreadable" });
    }
  }
  if (whole.length > 0) return { whole, damaged };
  throw (
    newer ??
    new EremosError(
      "damaged",
      `Every copy of the ${what} is damaged or missing. Don't change anything in the folder; Eremos keeps what it can still read.`,
    )
  );
}

export function loadKeyRecords(disk: Disk, vault: Dir): KeyRecord[] {
  if (!disk.find(vault, NAMES.keys)) return [];
  return within(disk, disk.openDir(vault, NAMES.keys), (dir) => {
    return disk
      .list(dir)
      .flatMap((name) => {
        const bytes = name.toString("latin1").endsWith(".json") ? readSmallFile(disk, dir, name) : null;
        return bytes ? [parseOrSkip(bytes, keyRecordSchema)] : [];
      })
      .filter((record) => record !== null);
  });
}

/** A damaged key record shows itself when an object needs its key. */
function parseOrSkip<S extends z.ZodType>(bytes: Buffer, schema: S): z.output<S> | null {
  try {
    return readRecord(bytes, schema, "folder's key record");
  } catch {
    return null;
  }
}

export function ensureDir(disk: Disk, dir: Dir, name: Buffer): Dir {
  if (!disk.find(dir, name)) disk.makeDir(dir, name, 0o700);
  return disk.openDir(dir, name);
}
