import { EremosError } from "../../../errors/eremos-error";
import { type Bars, LEVELS, type Level } from "../../../format/guards";
import { said } from "@eremos/words/core/guards";

/**
 * The rules of a barred folder as permission bits. Bars only take away: what an entry did not allow before, it does not
 * allow now. Pure. FORMAT.md §10.3.
 */
export interface Permissions {
  readonly mode: number;
  /** A POSIX access control list in the kernel's own form, or null. */
  readonly acl: Buffer | null;
}

/** What an entry is to the bars: the folder itself, or what lies in it. */
export type Rank = "root" | "dir" | "file";

function rankOf(level: Level): number {
  return LEVELS.indexOf(level);
}

/** @throws EremosError `usage` */
export function requireSensible({ others, own }: Bars): void {
  if (rankOf(others) > rankOf(own)) throw new EremosError("usage", said("other-accounts-cant-be-allowed"));
}

function isClosed(level: Level): boolean {
  return level === "nothing" || level === "list";
}

/** How far down entries change: the folder itself, also what lies at its top, or everything. */
export function depthOf({ others, own }: Bars): "none" | "root" | "top" | "all" {
  if (others === "everything") return own === "everything" ? "none" : "all";
  if (isClosed(own)) return "top";
  return own === "everything" && isClosed(others) ? "root" : "all";
}

const R = 4;
const X = 1;
const ALL = 7;

/** Other accounts that can't enter the folder reach nothing in it, whatever that allows. */
function othersMay(level: Level, rank: Rank): number {
  if (level === "everything") return ALL;
  if (isClosed(level)) return rank === "root" ? (level === "list" ? R : 0) : ALL;
  return level === "change" && rank === "file" ? ALL : R | X;
}

/**
 * This account must still get to Eremos' own directory in the folder, so the folder stays enterable and what lies in it
 * is closed.
 */
function ownMay(level: Level, rank: Rank): number {
  if (level === "everything") return ALL;
  if (isClosed(level)) return rank === "root" ? (level === "list" ? R | X : X) : 0;
  return level === "change" && rank === "file" ? ALL : R | X;
}

const USER_OBJ = 0x01;

export function bar({ mode, acl }: Permissions, bars: Bars, rank: Rank): Permissions {
  const own = ownMay(bars.own, rank);
  const others = othersMay(bars.others, rank);
  return { mode: mode & (0o7000 | (own << 6) | (others << 3) | others), acl: acl && barList(acl, own, others) };
}

/**
 * `u32` version, then entries of `u16` tag, `u16` permissions, `u32` id, little-endian. Source:
 * linux/posix_acl_xattr.h.
 */
function barList(acl: Buffer, own: number, others: number): Buffer {
  const barred = Buffer.from(acl);
  for (let at = 4; at + 8 <= barred.length; at += 8) {
    const allowed = barred.readUInt16LE(at) === USER_OBJ ? own : others;
    barred.writeUInt16LE(barred.readUInt16LE(at + 2) & allowed, at + 2);
  }
  return barred;
}

/** The whole folder for its account alone, while Eremos works on what lies in it. */
export function closed({ mode }: Permissions): number {
  return (mode & 0o7000) | 0o700;
}

export function samePermissions(a: Permissions, b: Permissions): boolean {
  return a.mode === b.mode && (a.acl === null ? b.acl === null : b.acl !== null && a.acl.equals(b.acl));
}
