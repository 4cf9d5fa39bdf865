import { systemCode } from "../errors/eremos-error";
import type { StateRecord } from "../format/state";
import type { DirNode, TreeNode } from "../format/tree";
import type { Dir, Disk, Stat } from "../platform/port";
import { changedWhileLocking } from "./seal-tree";

/**
 * Plain entries leave and enter the folder only by rename, through a directory beside the state record. FORMAT.md §7.
 * Nothing is ever replaced: where two entries want one name, the newcomer gets a name of its own.
 */
type Modes = StateRecord["modes"];

const OWNER_WRITE = 0o200;
const OWNER_ALL = 0o700;

/** Directories at the top that this account can't move without widening their mode first (moving rewrites their ".."). */
export function modesToWiden(root: DirNode): Modes {
  return root.children.flatMap((child) =>
    child.kind === "dir" && (child.meta.mode & OWNER_WRITE) === 0 && child.identity
      ? [{ dev: String(child.identity.dev), ino: String(child.identity.ino), mode: child.meta.mode }]
      : [],
  );
}

function modeOf(modes: Modes, stat: Stat): number | undefined {
  return modes.find((mode) => mode.dev === String(stat.dev) && mode.ino === String(stat.ino))?.mode;
}

/** Status times after our own moves, by inode: moving an entry changes the time of all its hard links. */
export type MovedTimes = ReadonlyMap<string, bigint>;

function inodeOf(of: { readonly dev: bigint; readonly ino: bigint }): string {
  return `${of.dev}:${of.ino}`;
}

/**
 * Moves the surveyed top-level entries out; returns the status time of each right after its move.
 * @throws EremosError `changed-while-locking` when one is no longer what was sealed.
 */
export function moveOut(disk: Disk, from: Dir, staging: Dir, root: DirNode, modes: Modes): MovedTimes {
  const moved = new Map<string, bigint>();
  for (const node of root.children) {
    const before = disk.find(from, node.name);
    if (!before || !isSame(before, node, moved)) throw changedWhileLocking(node.name);
    if (modeOf(modes, before) !== undefined) disk.setMode(from, node.name, before.mode | OWNER_ALL);
    disk.renameExclusive(from, node.name, staging, node.name);
    const after = disk.stat(staging, node.name);
    moved.set(inodeOf(after), after.ctimeNs);
  }
  return moved;
}

function isSame(stat: Stat, node: TreeNode, moved: MovedTimes): boolean {
  const { identity } = node;
  return identity !== null && stat.dev === identity.dev && stat.ino === identity.ino && stat.ctimeNs === (moved.get(inodeOf(stat)) ?? identity.ctimeNs) &&
    stat.mtimeNs === node.meta.mtimeNs && (node.kind !== "file" || stat.size === node.size);
}

/** Looks once more at everything that is about to be removed. @throws EremosError `changed-while-locking` */
export function verifyStaged(disk: Disk, dir: Dir, node: DirNode, moved: MovedTimes, path: Buffer = Buffer.alloc(0)): void {
  const names = disk.list(dir);
  if (names.length !== node.children.length) throw changedWhileLocking(path.length > 0 ? path : Buffer.from("The folder"));
  for (const child of node.children) {
    const childPath = path.length === 0 ? child.name : Buffer.concat([path, Buffer.from("/"), child.name]);
    const stat = disk.find(dir, child.name);
    if (!stat || !isSame(stat, child, moved)) throw changedWhileLocking(childPath);
    if (child.kind !== "dir") continue;
    const inner = disk.openDir(dir, child.name);
    try {
      verifyStaged(disk, inner, child, moved, childPath);
    } finally {
      disk.closeDir(inner);
    }
  }
}

/** Moves whatever is in staging into the folder. What appeared there meanwhile under the same name is kept beside it. */
export function moveIn(disk: Disk, staging: Dir, into: Dir, modes: Modes): void {
  for (const name of disk.list(staging)) {
    if (disk.find(into, name)) moveAside(disk, into, name);
    const mode = widen(disk, staging, name);
    disk.renameExclusive(staging, name, into, name);
    const stat = disk.stat(into, name);
    const recorded = modeOf(modes, stat) ?? mode;
    if (recorded !== undefined && stat.mode !== recorded) disk.setMode(into, name, recorded);
  }
  for (const name of disk.list(into)) {
    const stat = modes.length > 0 ? disk.stat(into, name) : null;
    const recorded = stat ? modeOf(modes, stat) : undefined;
    if (stat && recorded !== undefined && stat.mode !== recorded) disk.setMode(into, name, recorded);
  }
}

function widen(disk: Disk, dir: Dir, name: Buffer): number | undefined {
  const stat = disk.stat(dir, name);
  if (stat.type !== "dir" || (stat.mode & OWNER_WRITE) !== 0) return undefined;
  disk.setMode(dir, name, stat.mode | OWNER_ALL);
  return stat.mode;
}

/** A newcomer in the way of a restored entry keeps its content under a name that says what it is. */
function moveAside(disk: Disk, dir: Dir, name: Buffer): void {
  for (let number = 1; ; number++) {
    const suffix = number === 1 ? " (arrived while locked)" : ` (arrived while locked ${number})`;
    const aside = Buffer.concat([name.subarray(0, 255 - suffix.length), Buffer.from(suffix)]);
    try {
      disk.renameExclusive(dir, name, dir, aside);
      return;
    } catch (error) {
      if (systemCode(error) !== "EEXIST") throw error;
    }
  }
}

/** Removes everything in a directory. Links are removed, never followed. */
export function emptyDir(disk: Disk, dir: Dir, keep: (name: Buffer) => boolean = () => false): void {
  for (const name of disk.list(dir)) {
    if (!keep(name)) removeEntry(disk, dir, name);
  }
}

export function removeEntry(disk: Disk, dir: Dir, name: Buffer): void {
  const stat = disk.find(dir, name);
  if (!stat) return;
  if (stat.type !== "dir") {
    disk.unlink(dir, name);
    return;
  }
  if ((stat.mode & OWNER_ALL) !== OWNER_ALL) disk.setMode(dir, name, OWNER_ALL);
  const inner = disk.openDir(dir, name);
  try {
    emptyDir(disk, inner);
  } finally {
    disk.closeDir(inner);
  }
  disk.removeDir(dir, name);
}
