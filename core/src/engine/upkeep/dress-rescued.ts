import { systemCode } from "../../errors/eremos-error";
import type { Disk, Stat } from "../../platform/port";
import { type Dress, type Dresser, NOT_GIVEN } from "../../rescue/dresser";
import { fittingMode, isPutOnByAnybody } from "../contents";

/**
 * What a rescue brings out gets everything that an opening gives back: owner where that is permitted, attributes and
 * access lists, all of the mode, times to the nanosecond.
 */
export function wholeDresser(disk: Disk): Dresser {
  return {
    give: (descriptor, dress) => {
      const of = { handle: descriptor };
      const missed = new Set<string>();
      const attempt = attempting(missed);
      const own = (): boolean => isOwnedAs(disk.statOpen(of), dress);
      if (!own()) attempt(NOT_GIVEN.owners, () => disk.setOwner(of, dress.uid, dress.gid));
      const isExact = own();
      for (const one of dress.xattrs)
        if (isExact || isPutOnByAnybody(one)) attempt(NOT_GIVEN.attributes, () => disk.setXattr(of, one));
      const mode = fittingMode(dress.mode, isExact);
      attempt(NOT_GIVEN.rights, () => disk.setOpenMode(of, mode));
      attempt(NOT_GIVEN.times, () => disk.setTimes(of, dress.atimeNs, dress.mtimeNs));
      if (!isExact) missed.add(NOT_GIVEN.owners);
      if (disk.statOpen(of).mode !== dress.mode) missed.add(NOT_GIVEN.rights);
      return [...missed];
    },
    giveLink: (directory, name, _path, dress) => {
      const dir = { handle: directory };
      const missed = new Set<string>();
      const attempt = attempting(missed);
      if (!isOwnedAs(disk.stat(dir, name), dress))
        attempt(NOT_GIVEN.owners, () => disk.setLinkOwner(dir, name, dress.uid, dress.gid));
      for (const one of dress.xattrs) attempt(NOT_GIVEN.attributes, () => disk.setLinkXattr(dir, name, one));
      attempt(NOT_GIVEN.times, () => disk.setLinkTimes(dir, name, dress.atimeNs, dress.mtimeNs));
      return [...missed];
    },
    of: (descriptor) => dressOf(disk.statOpen({ handle: descriptor }), disk.xattrs({ handle: descriptor })),
    ofLink: (directory, name) =>
      dressOf(disk.stat({ handle: directory }, name), disk.linkXattrs({ handle: directory }, name)),
  };
}

function dressOf({ mode, uid, gid, atimeNs, mtimeNs }: Stat, xattrs: Dress["xattrs"]): Dress {
  return { mode, uid, gid, atimeNs, mtimeNs, xattrs };
}

function isOwnedAs(now: Pick<Dress, "uid" | "gid">, { uid, gid }: Dress): boolean {
  return now.uid === uid && now.gid === gid;
}

/** What the system, or the disk, refuses is said; content comes out all the same. */
function attempting(missed: Set<string>): (what: string, set: () => void) => void {
  return (what, set) => {
    try {
      set();
    } catch (error) {
      if (systemCode(error) === undefined) throw error;
      missed.add(what);
    }
  };
}
