import type { StateRecord } from "../../format/state";
import type { Dir, Disk, Stat } from "../../platform/port";
import { within } from "./handles";
import { OWN_DIR_NAME } from "./own-dir";

/** What the modes of directories were, by device and inode, before Eremos had to change them to do its work. */
export type Modes = StateRecord["modes"];

const OWNER_WRITE = 0o200;
export const OWNER_ALL = 0o700;

export function modeOf(modes: Modes, stat: Stat): number | undefined {
  return modes.find((mode) => mode.dev === String(stat.dev) && mode.ino === String(stat.ino))?.mode;
}

/** The permission bits of everybody but the owner. */
export const FOR_OTHERS = 0o077;

/**
 * The folder's own mode among these, as the only entry, or none. Where there is one, the folder lies open for its
 * account alone, and stays so until it is locked or released: a failure on the way lets nobody else in.
 */
export function topModes(disk: Disk, dir: Dir, modes: Modes): Modes {
  const stat = disk.statOpen(dir);
  return modes.filter(({ dev, ino }) => dev === String(stat.dev) && ino === String(stat.ino));
}

/** The same, to be noted. */
export function topModeOf(disk: Disk, dir: Dir, mode: number): Modes[number] {
  const { dev, ino } = disk.statOpen(dir);
  return { dev: String(dev), ino: String(ino), mode };
}

/** Closed to others, where these modes say that it is to be. */
export function closeTop(disk: Disk, dir: Dir, modes: Modes): void {
  const [own] = topModes(disk, dir, modes);
  if (own && disk.statOpen(dir).mode !== (own.mode & ~FOR_OTHERS)) disk.setOpenMode(dir, own.mode & ~FOR_OTHERS);
}

/** The folder's own mode, where it was closed to others until now. */
export function restoreTopMode(disk: Disk, dir: Dir, modes: Modes): void {
  const [own] = topModes(disk, dir, modes);
  if (own && own.mode !== disk.statOpen(dir).mode) disk.setOpenMode(dir, own.mode);
}

/**
 * Gives every entry whose mode was changed its own mode again, wherever in the folder it is; the folder itself stays as
 * it is.
 */
export function restoreModes(disk: Disk, dir: Dir, modes: Modes): void {
  const pending = new Map(modes.map((mode) => [`${mode.dev}:${mode.ino}`, mode.mode]));
  const visit = (at: Dir): void => {
    const found: { name: Buffer; stat: Stat; mode: number | undefined }[] = [];
    for (const name of disk.list(at)) {
      const stat = pending.size === 0 || name.equals(OWN_DIR_NAME) ? null : disk.find(at, name);
      if (!stat) continue;
      const key = `${stat.dev}:${stat.ino}`;
      found.push({ name, stat, mode: pending.get(key) });
      pending.delete(key);
    }
    for (const { name, stat } of found) {
      if (pending.size === 0) break;
      if (stat.type !== "dir" || !disk.readable(at, name, stat)) continue;
      within(disk, disk.openDir(at, name), (inner) => visit(inner));
    }
    for (const { name, stat, mode } of found)
      if (mode !== undefined && mode !== stat.mode) disk.setMode(at, name, mode);
  };
  visit(dir);
}

export function widen(disk: Disk, dir: Dir, name: Buffer): number | undefined {
  const stat = disk.stat(dir, name);
  if (stat.type !== "dir" || (stat.mode & OWNER_WRITE) !== 0) return undefined;
  disk.setMode(dir, name, stat.mode | OWNER_ALL);
  return stat.mode;
}
