import { EremosError, isEremosError, systemCode } from "../../errors/eremos-error";
import { markedName } from "../../format/marked-name";
import { CHUNK_BYTES } from "../../format/object";
import type { DirEntry, Entry, Extent, FileEntry, LinkEntry, Meta, TreeReader, Xattr } from "../../format/tree";
import type { Dir, Disk, Holding, OpenFile } from "../../platform/port";
import {
  FileIds,
  type Meter,
  NO_PATH,
  fileIdOf,
  holdsAttribute,
  pathInto,
  shownPath,
  withFile,
  within,
} from "../ground";
import type { ObjectReader } from "../records";
import { said, say } from "@eremos/words/core/contents";

/** Packs stay open while their files are being restored; this many at a time. */
const OPEN_PACKS = 8;

/** The packs of one tree, by their numbers in its table. */
export class PackReaders {
  private readonly open = new Map<number, ObjectReader>();

  constructor(private readonly openPack: (number: number) => ObjectReader) {}

  reader(number: number): ObjectReader {
    const known = this.open.get(number);
    if (known) return known;
    if (this.open.size >= OPEN_PACKS) {
      const [oldest] = this.open.keys();
      if (oldest !== undefined) this.close(oldest);
    }
    const reader = this.openPack(number);
    this.open.set(number, reader);
    return reader;
  }

  private close(number: number): void {
    this.open.get(number)?.close();
    this.open.delete(number);
  }

  closeAll(): void {
    for (const number of [...this.open.keys()]) this.close(number);
  }
}

/** The stretches of a file that hold data. */
export function extentsOfEntry(entry: FileEntry): readonly Extent[] {
  return entry.extents ?? (entry.size > 0 ? [{ offset: 0, length: entry.size }] : []);
}

/**
 * Calls `use` with a file's sealed data, piece by piece, and where each belongs in the file. A piece is valid until the
 * next call.
 */
export function readContent(
  packs: PackReaders,
  entry: FileEntry,
  use: (piece: Buffer, position: number) => void,
): void {
  const { content } = entry;
  if (!content) return;
  const reader = packs.reader(content.pack);
  let from = content.offset;
  for (const extent of extentsOfEntry(entry)) {
    let position = extent.offset;
    reader.pieces(from, extent.length, (piece) => {
      use(piece, position);
      position += piece.length;
    });
    from += extent.length;
  }
}

export interface Restored {
  /** What each entry was the moment it was finished, by its number in the tree. */
  readonly identities: FileIds;
  /** The entry numbers of each group of hard links. */
  readonly groups: ReadonlyMap<number, readonly number[]>;
  /** Files that could not be written whole: what is whole of them stands under a name that says so. */
  readonly damaged: readonly string[];
}

interface Restoring {
  readonly disk: Disk;
  readonly tree: TreeReader;
  readonly packs: PackReaders;
  readonly links: Dir;
  readonly meter: Meter;
  readonly holding: Holding;
  readonly identities: FileIds;
  readonly groups: Map<number, number[]>;
  readonly damaged: string[];
  /** Of hard links to a damaged file, whether there was anything whole of it. */
  readonly damagedGroups: Map<number, boolean>;
}

/**
 * Writes the tree's entries into an empty directory. `links` is a scratch directory through which hard links find each
 * other.
 */
export function restoreTree(
  disk: Disk,
  into: Dir,
  tree: TreeReader,
  packs: PackReaders,
  links: Dir,
  meter: Meter,
  holding: Holding,
): Restored {
  const identities = FileIds.none(tree.entries);
  const restoring: Restoring = {
    disk,
    tree,
    packs,
    links,
    meter,
    holding,
    identities,
    groups: new Map(),
    damaged: [],
    damagedGroups: new Map(),
  };
  restoreEntries(restoring, into, tree.root, NO_PATH);
  for (const [group, numbers] of restoring.groups) finishGroup(restoring, group, numbers);
  return { identities, groups: restoring.groups, damaged: restoring.damaged };
}

function restoreEntries(restoring: Restoring, dir: Dir, of: DirEntry, path: Buffer): void {
  const { first, entries } = restoring.tree.list(of);
  entries.forEach((entry, i) => {
    try {
      restoreEntry(restoring, dir, entry, first + i, path);
    } catch (error) {
      throw explainHolding(error, entry, path);
    }
    restoring.meter.add(entry.kind === "file" ? 1 : 0, 0);
  });
}

function restoreEntry(restoring: Restoring, dir: Dir, entry: Entry, number: number, path: Buffer): void {
  const { disk, holding } = restoring;
  if (entry.kind === "file") return restoreFile(restoring, dir, entry, number, path);
  if (entry.kind === "link") return restoreLink(disk, dir, entry, holding);
  disk.makeDir(dir, entry.name, OWNER_ONLY_DIR);
  within(disk, disk.openDir(dir, entry.name), (inner) => {
    restoreEntries(restoring, inner, entry, pathInto(path, entry.name));
    if (applyMeta(disk, inner, entry.meta, holding)) restoring.meter.withheld++;
  });
}

const OWNER_ONLY_DIR = 0o700;
const OWNER_ONLY_FILE = 0o600;

/** Says which entry the file system here can't hold, and why. */
function explainHolding(error: unknown, entry: Entry, path: Buffer): unknown {
  const code = systemCode(error);
  const cannot = (what: string): EremosError =>
    new EremosError("unsupported", said("disk-this-folder-lies-on", { what, name: shownPath(path, entry.name) }), {
      path: shownPath(path, entry.name),
    });
  if (error instanceof EremosError) return error;
  if (entry.kind === "link" && (code === "EPERM" || code === "ENOSYS" || code === "EOPNOTSUPP"))
    return cannot(say("symbolic-links"));
  if (
    entry.kind === "file" &&
    entry.linkGroup > 0 &&
    (code === "EPERM" || code === "ENOSYS" || code === "EOPNOTSUPP" || code === "EMLINK")
  )
    return cannot(say("one-file-under-two-names"));
  if (code === "ENAMETOOLONG") return cannot(say("name-this-length"));
  if (code === "EEXIST") return wouldLose(say("two-names-that-differ-only", { name: shownPath(path, entry.name) }));
  if (code === "EINVAL" || code === "EILSEQ" || code === "ENOENT")
    return wouldLose(say("this-name", { name: shownPath(path, entry.name) }));
  if (code === "EFBIG") return cannot(say("file-this-size"));
  if (code === "EOPNOTSUPP" || code === "ENOTSUP")
    return wouldLose(say("attributes-this-entry", { name: shownPath(path, entry.name) }));
  return error;
}

export function groupName(group: number): Buffer {
  return Buffer.from(String(group));
}

export function restoreLink(disk: Disk, dir: Dir, entry: LinkEntry, holding: Holding): void {
  disk.makeLink(dir, entry.name, entry.target);
  applyLinkMeta(disk, dir, entry, holding);
}

export function applyLinkMeta(disk: Disk, dir: Dir, { name, meta }: LinkEntry, holding: Holding): void {
  const now = disk.stat(dir, name);
  if (holding.permissions && (now.uid !== meta.uid || now.gid !== meta.gid))
    wherePermitted(() => disk.setLinkOwner(dir, name, meta.uid, meta.gid));
  for (const xattr of meta.xattrs)
    if (holdsAttribute(holding, xattr)) setAttribute(xattr, () => disk.setLinkXattr(dir, name, xattr));
  disk.setLinkTimes(dir, name, meta.atimeNs, meta.mtimeNs);
}

function restoreFile(restoring: Restoring, dir: Dir, entry: FileEntry, number: number, path: Buffer): void {
  const { disk, links, groups } = restoring;
  if (restoring.damagedGroups.has(entry.linkGroup)) return restoreDamaged(restoring, dir, entry, path);
  const group = groups.get(entry.linkGroup);
  if (group) {
    disk.makeHardLink(links, groupName(entry.linkGroup), dir, entry.name);
    group.push(number);
    restoring.meter.add(0, entry.size);
    return;
  }
  try {
    withFile(disk, writeWhole(disk, dir, entry.name, entry, restoring), (file) => {
      restoring.identities.set(number, fileIdOf(disk.statOpen(file)));
    });
  } catch (error) {
    if (!isEremosError(error) || error.code !== "damaged") throw error;
    disk.unlink(dir, entry.name);
    return restoreDamaged(restoring, dir, entry, path);
  }
  if (entry.linkGroup === 0) return;
  groups.set(entry.linkGroup, [number]);
  disk.makeHardLink(dir, entry.name, links, groupName(entry.linkGroup));
}

/**
 * What is whole of a damaged file, under a name that says so; zeros stand where it is not. Nothing where nothing is.
 */
function restoreDamaged(restoring: Restoring, dir: Dir, entry: FileEntry, path: Buffer): void {
  const { disk, links, damagedGroups } = restoring;
  const { linkGroup } = entry;
  restoring.damaged.push(shownPath(path, entry.name));
  const name = markedName(entry.name, "damaged", (one) => disk.find(dir, one) !== null);
  const known = damagedGroups.get(linkGroup);
  if (known === false) return;
  if (known) return disk.makeHardLink(links, groupName(linkGroup), dir, name);
  const isAny = writeDamaged(restoring, dir, name, entry);
  if (linkGroup === 0) return;
  damagedGroups.set(linkGroup, isAny);
  if (!isAny) return;
  disk.makeHardLink(dir, name, links, groupName(linkGroup));
  // None of its names is the file that was locked.
  restoring.groups.set(linkGroup, []);
}

function writeDamaged({ disk, packs, meter, holding }: Restoring, dir: Dir, name: Buffer, entry: FileEntry): boolean {
  const isAny = withFile(disk, disk.create(dir, name, OWNER_ONLY_FILE), (file) => {
    disk.truncate(file, entry.size);
    let any = false;
    readWhatIsWhole(packs, entry, (piece, position) => {
      any = true;
      disk.write(file, piece, 0, piece.length, position);
    });
    if (any && applyMeta(disk, file, entry.meta, holding)) meter.withheld++;
    return any;
  });
  if (!isAny) disk.unlink(dir, name);
  return isAny;
}

/** {@link readContent}, chunk by chunk, without those that are damaged. */
function readWhatIsWhole(packs: PackReaders, entry: FileEntry, use: (piece: Buffer, position: number) => void): void {
  forEachChunk(entry, (from, length, position) => {
    unlessDamaged(() => packs.reader(entry.content?.pack ?? 0).pieces(from, length, (piece) => use(piece, position)));
  });
}

/** A file's data, by the chunks of its pack that it lies in: where in the pack, how long, and where in the file. */
export function forEachChunk(entry: FileEntry, use: (from: number, length: number, position: number) => void): void {
  let from = entry.content?.offset ?? 0;
  for (const { offset, length } of entry.content ? extentsOfEntry(entry) : []) {
    for (let done = 0; done < length;) {
      const step = Math.min(length - done, CHUNK_BYTES - ((from + done) % CHUNK_BYTES));
      use(from + done, step, offset + done);
      done += step;
    }
    from += length;
  }
}

/** False where what it reads is damaged. */
export function unlessDamaged(read: () => void): boolean {
  try {
    read();
    return true;
  } catch (error) {
    if (isEremosError(error) && error.code === "damaged") return false;
    throw error;
  }
}

/** Writes a file with everything that belongs to it, under a name that must be free; returns it open. */
export function writeWhole(
  disk: Disk,
  dir: Dir,
  name: Buffer,
  entry: FileEntry,
  { packs, meter, holding }: Pick<Restoring, "packs" | "meter" | "holding">,
): OpenFile {
  const file = disk.create(dir, name, OWNER_ONLY_FILE);
  try {
    if (entry.extents) disk.truncate(file, entry.size);
    readContent(packs, entry, (piece, position) => {
      disk.write(file, piece, 0, piece.length, position);
      meter.add(0, piece.length);
    });
    if (applyMeta(disk, file, entry.meta, holding)) meter.withheld++;
    return file;
  } catch (error) {
    disk.closeFile(file);
    throw error;
  }
}

/**
 * Linking and unlinking changed the status time of the group's file; it is read again once its scratch name is gone.
 */
function finishGroup({ disk, links, identities }: Restoring, group: number, numbers: readonly number[]): void {
  const name = groupName(group);
  const file = openWherePermitted(disk, links, name);
  if (!file) return disk.unlink(links, name);
  withFile(disk, file, () => {
    disk.unlink(links, name);
    const identity = fileIdOf(disk.statOpen(file));
    for (const number of numbers) identities.set(number, identity);
  });
}

function openWherePermitted(disk: Disk, dir: Dir, name: Buffer): OpenFile | null {
  try {
    return disk.openRead(dir, name);
  } catch (error) {
    if (systemCode(error) === "EACCES") return null;
    throw error;
  }
}

/**
 * Owner before mode (changing the owner clears set-id bits), attributes before mode (they need write access), times
 * last. Returns whether special rights were withheld.
 */
export function applyMeta(disk: Disk, of: Dir | OpenFile, meta: Meta, holding: Holding): boolean {
  const now = disk.statOpen(of);
  if (holding.permissions && (now.uid !== meta.uid || now.gid !== meta.gid))
    wherePermitted(() => disk.setOwner(of, meta.uid, meta.gid));
  const given = disk.statOpen(of);
  const isExact = given.uid === meta.uid && given.gid === meta.gid;
  for (const xattr of meta.xattrs)
    if (holdsAttribute(holding, xattr) && (isExact || isPutOnByAnybody(xattr)))
      setAttribute(xattr, () => disk.setXattr(of, xattr));
  const mode = fittingMode(meta.mode, isExact);
  if (holding.permissions && disk.statOpen(of).mode !== mode) setModeOrRefuse(disk, of, mode);
  disk.setTimes(of, meta.atimeNs, meta.mtimeNs);
  return holding.permissions && !isExact && hasSpecialRights(meta);
}

/** Set-user-id and set-group-id. */
const SPECIAL_RIGHTS = 0o6000;
/** What a program may do beyond its user. Source: capabilities(7). */
const CAPABILITIES = Buffer.from("security.capability");

/**
 * Somebody else's program with special rights would become this account's with this account's rights: it gets them only
 * where owner and group are exactly those it had.
 */
export function fittingMode(mode: number, isExact: boolean): number {
  return isExact ? mode : mode & ~SPECIAL_RIGHTS;
}

/** Whether the attribute lends nobody's rights to whoever owns the file now. */
export function isPutOnByAnybody({ name }: Pick<Xattr, "name">): boolean {
  return !name.equals(CAPABILITIES);
}

/** Whether an entry has special rights that another owner's file would lend to this account. */
function hasSpecialRights({ mode, xattrs }: Pick<Meta, "mode" | "xattrs">): boolean {
  return (mode & SPECIAL_RIGHTS) !== 0 || xattrs.some(({ name }) => name.equals(CAPABILITIES));
}

/** What an opening leaves in the sealed copy is demanded where none stays. */
function wouldLose(what: string): EremosError {
  return new EremosError("unsupported", said("disk-this-folder-lies-on-cant", { what }));
}

function setModeOrRefuse(disk: Disk, of: Dir | OpenFile, mode: number): void {
  wherePermitted(() => disk.setOpenMode(of, mode));
  const now = disk.statOpen(of).mode;
  // The system takes the set-id bits away where the owner or group could not be given back; that is not the disk's
  // doing.
  if ((now & 0o1777) === (mode & 0o1777)) return;
  throw wouldLose(say("permissions-became", { mode: mode.toString(8), now: now.toString(8) }));
}

/**
 * The system's own attributes (`security.*`, `trusted.*`) can be set only by those it permits; everybody else gets the
 * system's default.
 */
function setAttribute(xattr: Xattr, set: () => void): void {
  try {
    set();
  } catch (error) {
    const isSystems = /^(security|trusted)\./.test(xattr.name.toString("latin1"));
    if (!isSystems || (systemCode(error) !== "EPERM" && systemCode(error) !== "EACCES")) throw error;
  }
}

function wherePermitted(set: () => void): void {
  try {
    set();
  } catch (error) {
    const code = systemCode(error);
    if (code !== "EPERM" && code !== "EINVAL" && code !== "EOPNOTSUPP" && code !== "ENOSYS") throw error;
  }
}
