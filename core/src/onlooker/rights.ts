import { ACCESS_LIST } from "../engine/guards";
import type { Stat } from "../platform/port";

/**
 * What the system's permissions allow somebody, as the system itself decides it. Source: acl(5), path_resolution(7),
 * unlink(2).
 */
export const R = 4;
export const W = 2;
export const X = 1;
const ALL = R | W | X;
const STICKY = 0o1000;

/** Somebody who runs programs here, by number. */
export interface Subject {
  readonly uid: number;
  readonly gids: ReadonlySet<number>;
  /** As they are called, for the reason: "the account lena". Null: anybody else. */
  readonly name: string | null;
  /** An owner may give itself any permission; of this account only what it has now is told. */
  readonly takesRights: boolean;
}

export interface Permitted {
  readonly stat: Stat;
  readonly acl: readonly AclEntry[] | null;
}

interface AclEntry {
  readonly tag: number;
  readonly bits: number;
  readonly id: number;
}

const [USER, GROUP_OBJ, GROUP, MASK] = [0x02, 0x04, 0x08, 0x10];

/**
 * From the bytes of an access list, which are `u32` version, then entries of `u16` tag, `u16` permissions, `u32` id,
 * little-endian. Source: linux/posix_acl_xattr.h.
 */
export function readAcl(bytes: Buffer | undefined): readonly AclEntry[] | null {
  if (!bytes) return null;
  const entries: AclEntry[] = [];
  for (let at = 4; at + 8 <= bytes.length; at += 8)
    entries.push({
      tag: bytes.readUInt16LE(at),
      bits: bytes.readUInt16LE(at + 2) & ALL,
      id: bytes.readUInt32LE(at + 4),
    });
  return entries;
}

export const isAcl = ({ name }: { readonly name: Buffer }): boolean => name.equals(ACCESS_LIST);

/** The accounts and groups that a thing's permissions name. */
export function namedIn({ stat, acl }: Permitted): { readonly uids: number[]; readonly gids: number[] } {
  const ids = (tag: number): number[] => (acl ?? []).filter((entry) => entry.tag === tag).map(({ id }) => id);
  return { uids: [stat.uid, ...ids(USER)], gids: [stat.gid, ...ids(GROUP)] };
}

/**
 * Read 4, write 2, execute or pass through 1. Linux does not look at an access list whose mask, the group's bits of the
 * mode, is empty: those it names are others then.
 */
export function bitsFor(who: Subject, permitted: Permitted): number {
  return bitsBy(who, (permitted.stat.mode & 0o070) === 0 ? { ...permitted, acl: null } : permitted);
}

function bitsBy({ uid, gids, takesRights }: Subject, { stat, acl }: Permitted): number {
  if (uid === 0) return ALL;
  if (uid === stat.uid) return takesRights ? ALL : (stat.mode >> 6) & ALL;
  // With an access list, the group's bits of the mode are its mask.
  const mask = acl?.find(({ tag }) => tag === MASK)?.bits ?? ALL;
  const named = acl?.find(({ tag, id }) => tag === USER && id === uid);
  if (named) return named.bits & mask;
  const groups = groupEntries({ stat, acl }).filter(({ id }) => gids.has(id));
  if (groups.length > 0) return groups.reduce((bits, entry) => bits | entry.bits, 0) & mask;
  return stat.mode & ALL;
}

function groupEntries({ stat, acl }: Permitted): readonly { readonly id: number; readonly bits: number }[] {
  if (!acl) return [{ id: stat.gid, bits: (stat.mode >> 3) & ALL }];
  return acl
    .filter(({ tag }) => tag === GROUP_OBJ || tag === GROUP)
    .map(({ tag, bits, id }) => ({ id: tag === GROUP_OBJ ? stat.gid : id, bits }));
}

/**
 * Whether somebody who may write and pass through a directory may take an entry out of it, rename it, or put another in
 * its place.
 */
export function mayTake({ uid }: Subject, directory: Stat, entry: Stat): boolean {
  if (directory.isFrozen || entry.isFrozen) return false;
  return (directory.mode & STICKY) === 0 || uid === 0 || uid === directory.uid || uid === entry.uid;
}
