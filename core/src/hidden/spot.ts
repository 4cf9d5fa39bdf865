import { displayPath, splitPath, within } from "../engine/ground";
import { EremosError } from "../errors/eremos-error";
import type { Dir, Disk, Stat } from "../platform/port";
import { said } from "@eremos/words/core/hidden";

/**
 * Where something was found, and what has to be the same when it is acted on later, at every step and at every undoing:
 * by device, inode and owner, its directory and itself. A path is only where to look.
 */
export interface Spot {
  /** Base64 of its bytes. */
  readonly path: string;
  readonly directory: string;
  readonly entry: string;
}

/** An inode number is given out again; when it was made is not. */
function mark({ dev, ino, uid, bornNs }: Stat): string {
  return `${dev}:${ino}:${bornNs}:${uid}`;
}

/** As it is now. @throws ENOENT */
export function spotAt(disk: Disk, path: Buffer): Spot {
  return within(disk, disk.openRoot(splitPath(path).parent), (dir) => spotIn(disk, dir, path));
}

export function pathOf({ path }: Spot): Buffer {
  return Buffer.from(path, "base64");
}

/** The spot of an entry in a directory that is held. */
export function spotIn(disk: Disk, dir: Dir, path: Buffer): Spot {
  return {
    path: path.toString("base64"),
    directory: mark(disk.statOpen(dir)),
    entry: mark(disk.stat(dir, splitPath(path).name)),
  };
}

/**
 * Holds the directory of what was found, and looks whether both are still the same and the entry this account's own.
 * @throws EremosError `not-found` (something else is in its place) | `no-permission` (it is another account's)
 */
export function atSpot<T>(disk: Disk, spot: Spot, use: (dir: Dir, name: Buffer, stat: Stat) => T): T {
  return atPlace(disk, spot, (dir, name) => {
    const stat = disk.find(dir, name);
    if (!stat || mark(stat) !== spot.entry) throw exchanged(spot);
    if (!disk.owns(stat))
      throw new EremosError(
        "no-permission",
        said("is-another-accounts-nothing-was", { pathOf: displayPath(pathOf(spot)) }),
      );
    return use(dir, name, stat);
  });
}

/** As {@link atSpot}, where the entry itself has gone and is put back. */
export function atPlace<T>(disk: Disk, spot: Spot, use: (dir: Dir, name: Buffer) => T): T {
  const { parent, name } = splitPath(pathOf(spot));
  return within(disk, disk.openRoot(parent), (dir) => {
    if (mark(disk.statOpen(dir)) !== spot.directory) throw exchanged(spot);
    return use(dir, name);
  });
}

function exchanged(spot: Spot): EremosError {
  return new EremosError("not-found", said("is-not-same-any-more", { pathOf: displayPath(pathOf(spot)) }));
}
