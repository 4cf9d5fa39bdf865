import { randomFillSync } from "node:crypto";
import { EremosError, fromSystemError, systemCode } from "../errors/eremos-error";
import { newId } from "../format/ids";
import type { Dir, Disk, Medium, OpenFile } from "../platform/port";
import { type Hooks, Meter, displayPath, within } from "../engine/ground";
import { said } from "@eremos/words/core/overwrite";

export interface FreeSpaceInput {
  /** Any directory of the file system that this account may write to. */
  readonly place: Buffer;
  /** So many bytes stay free meanwhile, for what other programs write; null: by how much there is. */
  readonly leave: number | null;
}

export interface FreeSpaceFilled {
  /** So much was written. */
  readonly bytes: number;
  /** Why it ended; `room`: all but the margin is written over. */
  readonly ended: "room" | "needed-by-others" | "cancelled";
  readonly medium: Medium;
}

const MARGIN_SHARE = 0.01;
const [LEAST_MARGIN, MOST_MARGIN] = [16 * 1024 * 1024, 1024 * 1024 * 1024];
const PIECE_BYTES = 4 * 1024 * 1024;
/** Some file systems hold no larger file. Source: FAT32, 4 GiB less one byte. */
const MOST_FILE_BYTES = 3 * 1024 * 1024 * 1024;
const SYNC_EVERY_BYTES = 256 * 1024 * 1024;

/**
 * Writes random bytes into all that is free, but for a margin, makes it durable, and removes it again: what lay there
 * before is written over, where the file system writes in place. Ends early where another program takes the room, or
 * where it is asked to; nothing that was written stays. @throws EremosError `no-permission`, `io`
 */
export function overwriteFreeSpace(disk: Disk, { place, leave }: FreeSpaceInput, hooks: Hooks): FreeSpaceFilled {
  try {
    return within(disk, disk.openRoot(place), (dir) => fill(disk, dir, leave, hooks));
  } catch (error) {
    if (systemCode(error) === "ENOENT" || systemCode(error) === "ENOTDIR")
      throw new EremosError("not-found", said("free-space-is-not-there", { path: displayPath(place) }));
    throw fromSystemError(error, said("filling-free-space", { path: displayPath(place) }));
  }
}

function fill(disk: Disk, dir: Dir, leave: number | null, hooks: Hooks): FreeSpaceFilled {
  const free = disk.freeBytes(dir);
  const margin = leave ?? Math.min(MOST_MARGIN, Math.max(LEAST_MARGIN, free * MARGIN_SHARE));
  const goal = Math.max(0, free - margin);
  const meter = new Meter(hooks, "overwriting", 0, goal);
  const open: OpenFile[] = [];
  let bytes = 0;
  let ended: FreeSpaceFilled["ended"] = "room";
  try {
    while (ended === "room" && bytes < goal) {
      const file = nameless(disk, dir);
      open.push(file);
      const done = fillFile({ disk, dir, hooks, meter, margin }, file, goal - bytes);
      bytes += done.bytes;
      ended = done.ended;
      if (done.bytes === 0) break;
    }
    return { bytes, ended, medium: disk.medium(dir) };
  } finally {
    for (const file of open) disk.closeFile(file);
    disk.syncDir(dir);
  }
}

/** A file that is gone as soon as nobody has it open: a kill leaves nothing of it. */
function nameless(disk: Disk, dir: Dir): OpenFile {
  const name = Buffer.from(`.eremos-fill-${newId()}`);
  const file = disk.create(dir, name, 0o600);
  try {
    disk.unlink(dir, name);
    return file;
  } catch (error) {
    disk.closeFile(file);
    throw error;
  }
}

interface Filling {
  readonly disk: Disk;
  readonly dir: Dir;
  readonly hooks: Hooks;
  readonly meter: Meter;
  readonly margin: number;
}

function fillFile(
  { disk, dir, hooks, meter, margin }: Filling,
  file: OpenFile,
  most: number,
): Pick<FreeSpaceFilled, "bytes" | "ended"> {
  const piece = Buffer.allocUnsafe(PIECE_BYTES);
  let [bytes, synced] = [0, 0];
  const stop = (ended: FreeSpaceFilled["ended"]): Pick<FreeSpaceFilled, "bytes" | "ended"> => {
    disk.syncFile(file);
    return { bytes, ended };
  };
  while (bytes < Math.min(most, MOST_FILE_BYTES)) {
    if (hooks.cancelled()) return stop("cancelled");
    // Less than the margin: another program wrote, and it needs the room more than this does.
    if (disk.freeBytes(dir) < margin / 2) return stop("needed-by-others");
    const count = Math.min(piece.length, most - bytes);
    randomFillSync(piece, 0, count);
    try {
      disk.write(file, piece, 0, count, bytes);
    } catch (error) {
      if (systemCode(error) === "ENOSPC" || systemCode(error) === "EDQUOT") return stop("needed-by-others");
      throw error;
    }
    bytes += count;
    meter.countBytes(count);
    if (bytes - synced < SYNC_EVERY_BYTES) continue;
    disk.syncFile(file);
    synced = bytes;
  }
  return stop("room");
}
