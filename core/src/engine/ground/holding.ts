import type { Meta, Xattr } from "../../format/tree";
import { HOLDS_ALL, type Holding } from "../../platform/port";

/**
 * What the disk that a folder lies on can't hold is not demanded of it when the folder opens there; it stays in the
 * sealed copy, and a lock there carries it over from what was sealed last, so that it is back where it can be held.
 * FORMAT.md §5.4. Pure.
 */
/** Access lists, and what only the system sets: they go with permissions. */
const WITH_PERMISSIONS = /^(system\.posix_acl_|security\.|trusted\.)/;

export function holdsAttribute({ permissions, attributes }: Holding, { name }: Xattr): boolean {
  return WITH_PERMISSIONS.test(name.toString("latin1")) ? permissions : attributes;
}

export function holdsAll({ permissions, attributes }: Holding): boolean {
  return permissions && attributes;
}

/** Whether a time that was set may be told as the other. */
export function isSameTime({ timeStepNs }: Holding, a: bigint, b: bigint): boolean {
  const difference = a < b ? b - a : a - b;
  return difference < timeStepNs;
}

/** What an entry is, as far as it is held; the rest is what was sealed last under its name. */
export function carryOver(now: Meta, before: Meta, holding: Holding): Meta {
  if (holding === HOLDS_ALL) return now;
  const { mode, uid, gid, owner, group } = holding.permissions ? now : before;
  const mtimeNs = isSameTime(holding, now.mtimeNs, before.mtimeNs) ? before.mtimeNs : now.mtimeNs;
  return {
    ...now,
    mode,
    uid,
    gid,
    owner,
    group,
    mtimeNs,
    xattrs: holdsAll(holding)
      ? now.xattrs
      : [
          ...now.xattrs,
          ...before.xattrs.filter(
            (one) => !holdsAttribute(holding, one) && !now.xattrs.some(({ name }) => name.equals(one.name)),
          ),
        ].sort(byName),
  };
}

function byName(a: Xattr, b: Xattr): number {
  return Buffer.compare(a.name, b.name);
}
