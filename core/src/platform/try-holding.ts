import { ODD_NAME } from "../format/held-name";
import { type Dir, type Disk, HOLDS_ALL, type Holding, type OpenFile } from "./port";

const NAME = Buffer.from("holding.new");
const OTHER_CASE = Buffer.from("HOLDING.NEW");
/** Neither is what a file gets by itself on a file system that holds none. */
const MODES = [0o640, 0o604] as const;
/** No two of the steps below make the same of it. */
const TIME_NS = 1_000_000_001_987_654_321n;
/** Of one nanosecond, of NTFS, of a microsecond, of exFAT, of a second, of FAT. */
const STEPS_NS = [1n, 100n, 1_000n, 10_000_000n, 1_000_000_000n, 2_000_000_000n] as const;
const ATTRIBUTE = { name: Buffer.from("user.eremos.holding"), value: Buffer.from("1") };

/** What a file system holds, by what comes of a file to which it is given. */
export function tryHolding(disk: Disk, dir: Dir): Holding {
  const file = attempt(() => {
    if (disk.find(dir, NAME)) disk.unlink(dir, NAME);
    return disk.create(dir, NAME, 0o600);
  });
  if (!file) return HOLDS_ALL;
  try {
    return {
      permissions: MODES.every((mode) => holdsMode(disk, file, mode)),
      attributes: attempt(() => (disk.setXattr(file, ATTRIBUTE), true)) ?? false,
      names: holdsName(disk, dir),
      tellsCase: disk.find(dir, OTHER_CASE) === null,
      timeStepNs: timeStep(disk, file),
    };
  } finally {
    disk.closeFile(file);
    attempt(() => disk.unlink(dir, NAME));
  }
}

function holdsMode(disk: Disk, file: OpenFile, mode: number): boolean {
  attempt(() => disk.setOpenMode(file, mode));
  return disk.statOpen(file).mode === mode;
}

function holdsName(disk: Disk, dir: Dir): boolean {
  attempt(() => disk.unlink(dir, ODD_NAME));
  const made = attempt(() => {
    disk.closeFile(disk.create(dir, ODD_NAME, 0o600));
    return disk.list(dir).some((name) => name.equals(ODD_NAME));
  });
  attempt(() => disk.unlink(dir, ODD_NAME));
  return made ?? false;
}

function timeStep(disk: Disk, file: OpenFile): bigint {
  attempt(() => disk.setTimes(file, TIME_NS, TIME_NS));
  const { mtimeNs } = disk.statOpen(file);
  return STEPS_NS.find((step) => TIME_NS - (TIME_NS % step) === mtimeNs) ?? STEPS_NS.at(-1) ?? 1n;
}

function attempt<T>(use: () => T): T | null {
  try {
    return use();
  } catch (error) {
    if (error instanceof Error && "code" in error) return null;
    throw error;
  }
}
