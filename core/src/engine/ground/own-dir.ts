import { EremosError, fromSystemError, systemCode } from "../../errors/eremos-error";
import { type FileRecord, MAX_FILE_RECORD_BYTES, nameIn, readFileRecord } from "../../format/file-record";
import { HIDDEN_NAME } from "../../format/ids";
import { ICON, ITEM, PAGE, isStateName } from "../../format/state";
import type { Dir, Disk, OpenFile, Stat } from "../../platform/port";
import { keepingTimes, within } from "./handles";
import { takeBack } from "./take-back";
import { hasRecord, readTwins } from "./twins";
import { said, say } from "@eremos/words/core/ground";

/** Everything Eremos adds to a folder lives in this one directory inside it. FORMAT.md §1. */
export const OWN_DIR_NAME = Buffer.from(".eremos");
/**
 * The file system's own directory at the top of an ext2, ext3 or ext4 drive, whose top has this inode number. Source:
 * linux/Documentation/filesystems/ext4.
 */
const LOST_AND_FOUND = Buffer.from("lost+found");
const EXT_ROOT_INODE = 2n;

/**
 * What stands at a folder's top and is not the person's: Eremos' directory, and on a drive what belongs to its file
 * system.
 */
export function isNotContents(top: Pick<Stat, "ino">, name: Buffer): boolean {
  return name.equals(OWN_DIR_NAME) || (top.ino === EXT_ROOT_INODE && name.equals(LOST_AND_FOUND));
}

/** Whether a drive is mounted at the path: its contents can be protected, but it can't be moved. */
export function isMountPoint(disk: Disk, path: Buffer): boolean {
  const { parent, name } = splitPath(path);
  return within(disk, disk.openRoot(parent), (dir) => {
    const stat = disk.find(dir, name);
    return stat?.type === "dir" && stat.dev !== disk.statOpen(dir).dev;
  });
}

/** A single file at the path; null for anything else. */
export function fileAt(disk: Disk, path: Buffer): Stat | null {
  const { parent, name } = splitPath(path);
  return within(disk, disk.openRoot(parent), (dir) => {
    const stat = disk.find(dir, name);
    return stat?.type === "file" ? stat : null;
  });
}

/** Bytes of the longest name that every file system here holds. */
export const LONGEST_NAME = 255;

export const PAGE_NAME = Buffer.from(PAGE);
export const ITEM_NAME = Buffer.from(ITEM);
export const ICON_NAME = Buffer.from(ICON);

export const NAMES = {
  lock: Buffer.from("lock"),
  header: Buffer.from("header.json"),
  slots: Buffer.from("slots"),
  members: Buffer.from("members"),
  generations: Buffer.from("generations"),
  manifests: Buffer.from("manifests"),
  keys: Buffer.from("keys"),
  index: Buffer.from("index"),
  packs: Buffer.from("packs"),
  opened: Buffer.from("opened"),
  staging: Buffer.from("staging"),
  links: Buffer.from("links"),
  /** Files that are sealed, on their way to being written over. */
  going: Buffer.from("going"),
  remains: Buffer.from("remains"),
  page: Buffer.from("page.html"),
  item: Buffer.from("item"),
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
  readonly ownDir: Dir | null;
}

/** A folder whose lock file this process holds. */
export interface HeldFolder extends Folder {
  readonly ownDir: Dir;
  /** Null when it was let go of already. */
  held: OpenFile | null;
}

export function splitPath(path: Buffer): { parent: Buffer; name: Buffer } {
  const at = path.lastIndexOf(0x2f);
  if (at < 0 || path.length < 2) throw new EremosError("not-found", said("that-is-not-full-path"));
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
export function fileRecordIn(disk: Disk, ownDir: Dir): FileRecord | null {
  return readTwins(disk, ownDir, NAMES.file, MAX_FILE_RECORD_BYTES, readFileRecord, say("folders-file-record"));
}

/**
 * The folder that keeps what belongs to a file of this name beside it, while that lies open; null where there is none.
 */
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

/**
 * Another account's directory is no container: whoever may write beside a file could put one there. Nor is one that
 * this account barred for itself.
 */
export function isOwnDirectory(disk: Disk, parent: Dir, name: Buffer): boolean {
  const stat = disk.find(parent, name);
  return stat?.type === "dir" && disk.owns(stat) && disk.readable(parent, name, stat);
}

function namedIn(disk: Disk, parent: Dir, container: Buffer): Buffer | null {
  if (!isOwnDirectory(disk, parent, container)) return null;
  try {
    return within(disk, disk.openDir(parent, container), (dir) =>
      within(disk, disk.openDir(dir, OWN_DIR_NAME), (ownDir) => {
        const record = fileRecordIn(disk, ownDir);
        return record && nameIn(record);
      }),
    );
  } catch (error) {
    // Not one, or one that does not tell; where it can't be read now, it must not be taken for none.
    if (error instanceof EremosError || ["ENOENT", "ENOTDIR"].includes(systemCode(error) ?? "")) return null;
    throw error;
  }
}

/**
 * Of a folder, or of the container of a single file that lies open. @throws EremosError `not-found` | `not-a-folder` |
 * `no-permission`
 */
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
    const ownDir = disk.find(dir, OWN_DIR_NAME)?.type === "dir" ? disk.openDir(dir, OWN_DIR_NAME) : null;
    return { path, parent, name, dir, ownDir };
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
    return within(disk, disk.openDir(dir, OWN_DIR_NAME), (ownDir) => hasRecord(disk, ownDir, NAMES.guard));
  } catch {
    return false;
  }
}

function explainOpening(error: unknown, path: Buffer): EremosError {
  const shown = displayPath(path);
  switch (systemCode(error)) {
    case "ENOENT":
      return new EremosError("not-found", said("there-is-nothing-at-now", { shown }));
    case "ENOTDIR":
    case "ELOOP":
      return new EremosError("not-a-folder", said("is-not-folder-its-own", { shown }));
    case "EACCES":
    case "EPERM":
      return new EremosError("no-permission", said("system-does-not-let-this", { shown }));
    default:
      return fromSystemError(error, said("looking-at-nothing-was-touched", { shown }));
  }
}

export function closeFolder(disk: Disk, folder: Folder): void {
  if (folder.ownDir) disk.closeDir(folder.ownDir);
  disk.closeDir(folder.dir);
  disk.closeDir(folder.parent);
}

/**
 * Opens the folder and takes its lock, making Eremos' directory when `create` is set.
 * @throws EremosError `busy` when another operation of any process holds it | `not-protected`
 */
export function holdFolder(disk: Disk, path: Buffer, options: { readonly create: boolean }): HeldFolder {
  const folder = openFolder(disk, path);
  let ownDir = folder.ownDir;
  let before: Stat | null = null;
  try {
    if (!ownDir) {
      if (!options.create)
        throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(path) }));
      if (disk.find(folder.dir, OWN_DIR_NAME))
        throw new EremosError("path-taken", said("there-is-something-called-eremos", { path: displayPath(path) }), {
          path: displayPath(path),
        });
      before = disk.statOpen(folder.dir);
      keepingTimes(disk, folder.dir, () => disk.makeDir(folder.dir, OWN_DIR_NAME, 0o700));
      ownDir = disk.openDir(folder.dir, OWN_DIR_NAME);
      disk.clearAccessLists(ownDir);
      // What the records in it say must not get lost while a change they announce survives.
      disk.syncDir(folder.dir);
    }
    requireOurs(disk, path, ownDir);
    const held = takeLock(disk, ownDir);
    if (!held) throw busyWith(disk, path);
    return { ...folder, ownDir, held };
  } catch (error) {
    if (before) unmakeOwnDir(disk, folder.dir, before);
    closeFolder(disk, { ...folder, ownDir });
    throw fromSystemError(error, said("beginning-with-nothing-was-touched", { path: displayPath(path) }));
  }
}

/** It was made for nothing: it goes again, unless somebody else is at work in it. */
function unmakeOwnDir(disk: Disk, dir: Dir, before: Stat): void {
  takeBack(() => {
    disk.removeDir(dir, OWN_DIR_NAME);
    if (disk.owns(before)) disk.setTimes(dir, before.atimeNs, before.mtimeNs);
  });
}

/** What to say where somebody holds the folder's lock: who it is, as far as that can be seen. */
export function busyWith(disk: Disk, path: Buffer): EremosError {
  const [holder] = disk.holders(joinPath(joinPath(path, OWN_DIR_NAME), NAMES.lock));
  return new EremosError(
    "busy",
    said("something-is-already-being-done", {
      path: displayPath(path),
      hasHolder: holder !== undefined,
      isStopped: holder?.isStopped ?? false,
      program: holder?.program ?? "",
      pid: holder?.pid ?? 0,
    }),
  );
}

const LOCK_TRIES = 15;
const LOCK_WAIT_MS = 20;

/** A mere look at the folder may hold the lock for a moment; an operation holds it for longer than this waits. */
function takeLock(disk: Disk, ownDir: Dir): OpenFile | null {
  for (let attempt = 1; ; attempt++) {
    const held = disk.tryLock(ownDir, NAMES.lock);
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

/** What a first lock that was cut off before its first record leaves, or a release after its last one. */
const LEFT_WITHOUT_RECORD =
  /^(?:lock|(?:state-[0-9a-f]{32}|guard|file)(?:\.twin)?\.json\.new|originals-[0-9a-f]{64}(?:\.new)?)$/;

/** Where one of these is, the directory is Eremos'. */
const OWN_DIRECTORIES = [NAMES.generations, NAMES.staging, NAMES.packs, NAMES.index];

/**
 * A directory of this name that holds no record of Eremos', and anything that Eremos does not leave without one, is
 * somebody's own: it is neither used nor removed. @throws EremosError `path-taken`
 */
function requireOurs(disk: Disk, path: Buffer, ownDir: Dir): void {
  if (
    disk.list(ownDir).some(isStateName) ||
    [NAMES.guard, NAMES.file, NAMES.header].some((name) => hasRecord(disk, ownDir, name)) ||
    OWN_DIRECTORIES.some((name) => disk.find(ownDir, name))
  )
    return;
  const others = disk.list(ownDir).filter((name) => !LEFT_WITHOUT_RECORD.test(name.toString("latin1")));
  if (others.length === 0) return;
  throw new EremosError(
    "path-taken",
    said("there-is-directory-called-eremos", {
      path: displayPath(path),
      others: others.slice(0, 3).map(displayPath).join(", "),
    }),
    { path: displayPath(path) },
  );
}
