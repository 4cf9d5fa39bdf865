import { EremosError, systemCode } from "../../errors/eremos-error";
import type { Attribute, Dir, Disk, Holding, Stat } from "../../platform/port";
import type { Meta } from "../../format/tree";
import { withFile, within } from "./handles";
import { carryOver } from "./holding";
import { type Hooks, Meter } from "./hooks";
import { OWN_DIR_NAME, isNotContents } from "./own-dir";
import { said, say } from "@eremos/words/core/ground";

/** What a walk over the real folder found. Nothing is opened for reading; links are not followed. */
export interface Survey {
  readonly root: Stat;
  readonly entries: number;
  readonly files: number;
  /** Bytes of data, each file counted once. */
  readonly bytes: number;
  /** Bytes of the largest file's data. */
  readonly largest: number;
  readonly refusals: Refusals;
  /** Files with hard links outside the folder: those keep the plain content. Paths for display. */
  readonly outsideLinks: readonly string[];
  /** What belongs to other accounts, and is this account's once it was locked and opened. Paths for display. */
  readonly foreign: readonly string[];
}

export interface Refusals {
  readonly special: readonly string[];
  readonly mounts: readonly string[];
  /** Files that another file system gives: they lie in a lower layer, and can't be moved. */
  readonly layered: readonly string[];
  readonly nested: readonly string[];
  readonly unreadable: readonly string[];
  /** What could be read and sealed, and not be removed afterwards. */
  readonly unremovable: readonly string[];
}

export const NO_REFUSALS: Refusals = {
  special: [],
  mounts: [],
  layered: [],
  nested: [],
  unreadable: [],
  unremovable: [],
};

interface Walk {
  readonly disk: Disk;
  readonly dev: bigint;
  readonly top: Stat;
  readonly meter: Meter;
  readonly found: {
    special: string[];
    mounts: string[];
    layered: string[];
    nested: string[];
    unreadable: string[];
    unremovable: string[];
  };
  readonly foreign: string[];
  readonly linked: Map<bigint, { seen: number; readonly nlink: number; readonly path: string }>;
  entries: number;
  files: number;
  bytes: number;
  largest: number;
}

/** Walks an open folder, Eremos' own directory at its top left out. */
export function survey(disk: Disk, dir: Dir, hooks: Hooks): Survey {
  const root = disk.statOpen(dir);
  const walk: Walk = {
    disk,
    dev: root.dev,
    top: root,
    meter: new Meter(hooks, "looking", 0, 0),
    found: { special: [], mounts: [], layered: [], nested: [], unreadable: [], unremovable: [] },
    foreign: [],
    linked: new Map(),
    entries: 0,
    files: 0,
    bytes: 0,
    largest: 0,
  };
  walkDir(walk, dir, root, NO_PATH);
  const outsideLinks = [...walk.linked.values()].filter((file) => file.seen < file.nlink).map((file) => file.path);
  const { entries, files, bytes, largest } = walk;
  return { root, entries, files, bytes, largest, refusals: walk.found, outsideLinks, foreign: walk.foreign };
}

export const NO_PATH = Buffer.alloc(0);
const SLASH = Buffer.from("/");

/** The path of a directory within the folder, as what stands before its entries' names: "" or ending in a slash. */
export function pathInto(path: Buffer, name: Buffer): Buffer {
  return Buffer.concat([path, name, SLASH]);
}

export function shownPath(path: Buffer, name: Buffer): string {
  return Buffer.concat([path, name]).toString("utf8");
}

/** The names of accounts and groups, by their numbers. */
export interface Owners {
  user(uid: number): string;
  group(gid: number): string;
}

/** Of this computer, asked once. */
export function ownersOf(disk: Disk): Owners {
  let known: { readonly users: ReadonlyMap<number, string>; readonly groups: ReadonlyMap<number, string> } | null =
    null;
  const names = (): NonNullable<typeof known> => {
    if (known) return known;
    const { accounts, groupNames } = disk.accounts();
    return (known = { users: new Map(accounts.map(({ uid, name }) => [uid, name])), groups: groupNames });
  };
  return { user: (uid) => names().users.get(uid) ?? "", group: (gid) => names().groups.get(gid) ?? "" };
}

/** What goes into the meta besides what the file system says of the entry. */
export interface MetaOf {
  readonly xattrs: readonly Attribute[];
  readonly owners: Owners;
  /** Of the entry that was sealed last under this name, from which what can't be had or held here is carried. */
  readonly before: Meta | null;
  readonly holding: Holding;
  /** The mode it had before it was widened. */
  readonly mode?: number;
}

export function metaOf(
  { uid, gid, mtimeNs, atimeNs, bornNs, mode: its }: Stat,
  { xattrs, owners, before, holding, mode = its }: MetaOf,
): Meta {
  const now = {
    mode,
    uid,
    gid,
    owner: owners.user(uid),
    group: owners.group(gid),
    mtimeNs,
    atimeNs,
    bornNs: before?.bornNs ?? (bornNs === 0n ? null : bornNs),
    xattrs,
    other: before?.other ?? [],
  };
  return before ? carryOver(now, before, holding) : now;
}

function walkDir(walk: Walk, dir: Dir, its: Stat, path: Buffer): void {
  const removing = removingFrom(walk.disk, dir, its);
  for (const name of walk.disk.list(dir)) walkEntry(walk, dir, removing, name, path);
}

const STICKY = 0o1000;

/**
 * Whether this account can take entries out of a directory for good: by the rights it has there, or that it can give
 * itself as its owner; in a sticky directory only its own; never what the system has frozen. `its`: of the directory.
 */
export function removingFrom(disk: Disk, dir: Dir, its: Stat): (entry: Stat) => boolean {
  const isOwn = disk.owns(its);
  const mayAny = !its.isFrozen && (isOwn || disk.writable(dir));
  const isSticky = (its.mode & STICKY) !== 0 && !isOwn;
  return (entry) => mayAny && !entry.isFrozen && (!isSticky || disk.owns(entry));
}

/** Whether a directory at the top can be moved out of the folder, which writes its ".." anew. */
export function isMovable(disk: Disk, inner: Dir, its: Stat): boolean {
  return disk.owns(its) || disk.writable(inner);
}

function walkEntry(walk: Walk, dir: Dir, removing: (entry: Stat) => boolean, name: Buffer, path: Buffer): void {
  const { disk, found } = walk;
  if (path.length === 0 && isNotContents(walk.top, name)) return;
  if (name.equals(OWN_DIR_NAME)) {
    found.nested.push(path.subarray(0, -1).toString("utf8"));
    return;
  }
  const stat = disk.find(dir, name);
  if (!stat) return;
  walk.entries++;
  walk.meter.add(1, 0);
  if (!removing(stat)) found.unremovable.push(shownPath(path, name));
  if (!disk.owns(stat)) walk.foreign.push(shownPath(path, name));
  if (stat.dev !== walk.dev) (stat.type === "dir" ? found.mounts : found.layered).push(shownPath(path, name));
  else if (stat.type === "file") countFile(walk, dir, name, stat, path);
  else if (stat.type === "dir") enter(walk, dir, name, stat, path);
  else if (stat.type !== "link") found.special.push(shownPath(path, name));
}

function countFile(walk: Walk, dir: Dir, name: Buffer, stat: Stat, path: Buffer): void {
  if (!canBeRead(walk.disk, dir, name, stat)) walk.found.unreadable.push(shownPath(path, name));
  walk.files++;
  if (stat.nlink > 1) {
    const known = walk.linked.get(stat.ino) ?? { seen: 0, nlink: stat.nlink, path: shownPath(path, name) };
    known.seen++;
    walk.linked.set(stat.ino, known);
    if (known.seen > 1) return;
  }
  const bytes = dataBytes(walk.disk, dir, name, stat);
  walk.bytes += bytes;
  walk.largest = Math.max(walk.largest, bytes);
}

/** Holes are not stored. */
function dataBytes(disk: Disk, dir: Dir, name: Buffer, stat: Stat): number {
  if (stat.blocks * 512 >= stat.size || !disk.readable(dir, name, stat)) return stat.size;
  return withFile(disk, disk.openRead(dir, name), (file) => {
    return disk.extents(file, stat.size)?.reduce((sum, extent) => sum + extent.length, 0) ?? stat.size;
  });
}

/** What this account owns it may read: a mode that says otherwise is set back afterwards. */
function canBeRead(disk: Disk, dir: Dir, name: Buffer, stat: Stat): boolean {
  return disk.readable(dir, name, stat) || disk.owns(stat);
}

function enter(walk: Walk, dir: Dir, name: Buffer, stat: Stat, path: Buffer): void {
  const { disk } = walk;
  if (!disk.readable(dir, name, stat)) {
    if (!disk.owns(stat)) walk.found.unreadable.push(shownPath(path, name));
    return;
  }
  const inner = openIfThere(disk, dir, name);
  if (inner)
    within(disk, inner, () => {
      if (path.length === 0 && !isMovable(disk, inner, stat)) walk.found.unremovable.push(shownPath(path, name));
      walkDir(walk, inner, stat, pathInto(path, name));
    });
}

function openIfThere(disk: Disk, dir: Dir, name: Buffer): Dir | null {
  try {
    return disk.openDir(dir, name);
  } catch (error) {
    if (systemCode(error) === "ENOENT") return null;
    throw error;
  }
}

const SHOWN = 5;

function list(paths: readonly string[]): string {
  const shown = paths.slice(0, SHOWN).join(", ");
  return paths.length > SHOWN ? say("and-more", { shown, more: paths.length - SHOWN }) : shown;
}

/** @throws EremosError for whatever can't be locked, with its paths; the contents have not been touched. */
export function refuse(refusals: Refusals): void {
  const { special, mounts, layered, nested, unreadable, unremovable } = refusals;
  if (nested.length > 0) {
    throw new EremosError("nested", said("there-is-another-protected-folder", { list: list(nested) }), {
      paths: nested,
    });
  }
  if (mounts.length > 0) {
    throw new EremosError("mount-inside", said("another-drive-is-mounted-inside", { list: list(mounts) }), {
      paths: mounts,
    });
  }
  if (layered.length > 0) {
    throw new EremosError("unsupported", said("some-it-lies-in-lower", { list: list(layered) }), {
      paths: layered,
    });
  }
  if (special.length > 0) {
    throw new EremosError("special-files", said("pipes-sockets-or-devices-cant", { list: list(special) }), {
      paths: special,
    });
  }
  if (unremovable.length > 0) {
    throw new EremosError("no-permission", said("this-account-could-not-remove", { list: list(unremovable) }), {
      paths: unremovable,
    });
  }
  if (unreadable.length > 0) {
    throw new EremosError("no-permission", said("this-account-may-not-read", { list: list(unreadable) }), {
      paths: unreadable,
    });
  }
}
