import { EremosError, fromSystemError } from "../errors/eremos-error";
import type { Dir, Disk, Medium, Stat } from "../platform/port";
import {
  type Hooks,
  Meter,
  OWN_DIR_NAME,
  type Overwriting,
  displayPath,
  joinPath,
  overwriteFile,
  removeNameless,
  splitPath,
  within,
} from "../engine/ground";
import { beginOverwriting } from "./begun";
import { said, say } from "@eremos/words/core/overwrite";

export interface OverwriteInput {
  /** Files and folders. */
  readonly paths: readonly Buffer[];
  readonly passes: number;
  /** Files with other names lose their contents under all of them; else they are left. */
  readonly allNames: boolean;
  /** Where what was begun is written down, so that what is cut off is brought to its end. */
  readonly begunIn: Buffer;
}

export interface NotOverwritten {
  readonly path: Buffer;
  readonly reason: string;
}

export interface Overwritten {
  /** So many files are gone. */
  readonly files: number;
  readonly bytes: number;
  readonly left: readonly NotOverwritten[];
  /** Of them other files or snapshots shared blocks, which are not reached. */
  readonly shared: number;
  /** Of each path that was asked for. */
  readonly media: readonly Medium[];
}

/** An entry that is to go, as it was seen. */
interface Going {
  readonly path: Buffer;
  readonly stat: Stat;
}

interface Look {
  readonly disk: Disk;
  readonly allNames: boolean;
  readonly going: Going[];
  readonly left: NotOverwritten[];
  /** Names of each file with several, by device and inode. */
  readonly names: Map<string, number>;
}

const keyOf = ({ dev, ino }: Pick<Stat, "dev" | "ino">): string => `${dev}:${ino}`;

/**
 * Writes over files, and everything in folders, and removes them. What has a name elsewhere, what somebody has open,
 * what is protected itself and what lies on another drive is left, with the reason; a link goes, never what it leads to.
 * Which files go is durable before the first one is touched: {@link finishOverwriting} ends what was cut off. Stops
 * between two files where it is asked to. @throws EremosError `not-found`, `io`
 */
export function overwrite(disk: Disk, input: OverwriteInput, hooks: Hooks): Overwritten {
  const look: Look = { disk, allNames: input.allNames, going: [], left: [], names: new Map() };
  const media = input.paths.map((path) =>
    inParent(disk, path, (dir, name) => {
      const stat = disk.find(dir, name);
      if (!stat) throw new EremosError("not-found", said("nothing-to-overwrite-at", { path: displayPath(path) }));
      lookAt(look, dir, name, stat, path);
      return disk.medium(dir);
    }),
  );
  const going = look.going.filter((one) => mayGo(look, one));
  const files = going.filter(({ stat }) => stat.type === "file");
  const bytes = files.reduce((sum, { stat }) => sum + stat.size, 0);
  const meter = new Meter(hooks, "overwriting", files.length, bytes * input.passes);
  const begun = beginOverwriting(disk, input.begunIn, { ...input, entries: going });
  try {
    const may = new Map(going.map((one) => [one.path.toString("latin1"), one.stat]));
    const { names, left } = look;
    const work: Work = { disk, may, names, left, meter, hooks, how: input, shared: 0, files: 0, bytes: 0 };
    for (const path of input.paths)
      inParent(disk, path, (dir, name) => {
        goThrough(work, dir, name, path);
        disk.syncDir(dir);
      });
    meter.report();
    return { files: work.files, bytes: work.bytes, left, shared: work.shared, media };
  } finally {
    begun.end();
  }
}

function inParent<T>(disk: Disk, path: Buffer, use: (dir: Dir, name: Buffer) => T): T {
  const { parent, name } = splitPath(path);
  try {
    return within(disk, disk.openRoot(parent), (dir) => use(dir, name));
  } catch (error) {
    throw fromSystemError(error, said("overwriting", { path: displayPath(path) }));
  }
}

function lookAt(look: Look, dir: Dir, name: Buffer, stat: Stat, path: Buffer): void {
  const { disk, going, left, names } = look;
  const stays = (reason: string): void => void left.push({ path, reason });
  if (stat.type === "file") names.set(keyOf(stat), (names.get(keyOf(stat)) ?? 0) + 1);
  if (stat.type === "dir") {
    if (stat.dev !== disk.statOpen(dir).dev) return stays(say("is-another-drive"));
    if (!disk.readable(dir, name, stat)) return stays(say("may-not-be-looked-into"));
    const isProtected = within(disk, disk.openDir(dir, name), (inner) => {
      if (disk.find(inner, OWN_DIR_NAME)) return true;
      for (const child of disk.list(inner)) {
        const found = disk.find(inner, child);
        if (found) lookAt(look, inner, child, found, joinPath(path, child));
      }
      return false;
    });
    if (isProtected) return stays(say("is-protected-itself"));
  }
  // A directory after what is in it.
  going.push({ path, stat });
}

/** All of whose names are here, or all of whose names may lose it. */
function mayGo({ left, names, allNames }: Look, { path, stat }: Going): boolean {
  if (stat.type !== "file" || stat.nlink <= (names.get(keyOf(stat)) ?? 1) || allNames) return true;
  left.push({ path, reason: say("has-names-elsewhere") });
  return false;
}

interface Work {
  readonly disk: Disk;
  /** What may go, by its path. */
  readonly may: ReadonlyMap<string, Stat>;
  /** How many names each of them still has here. */
  readonly names: Map<string, number>;
  readonly left: NotOverwritten[];
  readonly meter: Meter;
  readonly hooks: Hooks;
  readonly how: Pick<Overwriting, "passes" | "allNames">;
  shared: number;
  files: number;
  bytes: number;
}

/** What was in a directory goes before it; one in which something is left stays. What came since stays, too. */
function goThrough(work: Work, dir: Dir, name: Buffer, path: Buffer): void {
  const { disk, left, may, hooks } = work;
  const stat = disk.find(dir, name);
  const seen = may.get(path.toString("latin1"));
  if (!stat || hooks.cancelled()) return;
  try {
    if (stat.type === "dir") return directoryGoes(work, dir, name, path, seen);
    if (seen?.type !== stat.type || keyOf(seen) !== keyOf(stat)) return;
    if (stat.type === "file") fileGoes(work, dir, name, seen);
    else removeNameless(disk, dir, name, (unnamed) => disk.unlink(dir, unnamed));
  } catch (error) {
    left.push({ path, reason: fromSystemError(error, said("overwriting-it")).message });
  }
}

/** One that may not go itself may hold what may. */
function directoryGoes(work: Work, dir: Dir, name: Buffer, path: Buffer, seen: Stat | undefined): void {
  const { disk, hooks } = work;
  const isEmpty = within(disk, disk.openDir(dir, name), (inner) => {
    const now = disk.statOpen(inner);
    if (now.dev !== disk.statOpen(dir).dev || disk.find(inner, OWN_DIR_NAME)) return false;
    for (const child of disk.list(inner)) goThrough(work, inner, child, joinPath(path, child));
    disk.syncDir(inner);
    return seen !== undefined && keyOf(seen) === keyOf(now) && disk.list(inner).length === 0;
  });
  if (isEmpty && !hooks.cancelled()) removeNameless(disk, dir, name, (unnamed) => disk.removeDir(dir, unnamed));
}

function fileGoes(work: Work, dir: Dir, name: Buffer, seen: Stat): void {
  const { disk, names, meter, how } = work;
  const here = names.get(keyOf(seen)) ?? 1;
  names.set(keyOf(seen), here - 1);
  // Of a file with several names here, the last one takes the contents with it.
  if (here > 1) removeNameless(disk, dir, name, (unnamed) => disk.unlink(dir, unnamed));
  else {
    const wrote = (bytes: number): void => meter.countBytes(bytes);
    if (overwriteFile(disk, dir, name, seen, { passes: how.passes, allNames: how.allNames, wrote })) work.shared++;
    work.bytes += seen.size;
  }
  work.files++;
  meter.count(1);
}
