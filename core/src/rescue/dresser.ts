import * as fs from "node:fs";
import type { Meta } from "../format/tree";
import { say } from "@eremos/words/core/rescue";

/** What belongs to an entry besides its name and its content. */
export type Dress = Pick<Meta, "mode" | "uid" | "gid" | "atimeNs" | "mtimeNs" | "xattrs">;

/**
 * Gives what was brought out all that belongs to it, as far as the system permits, and never fails for it: what could
 * not be given is returned, in words. By plain Node that is less than where Eremos is installed.
 */
export interface Dresser {
  /** Of an open file or directory. */
  give(descriptor: number, dress: Dress): readonly string[];
  /** Of a link in an open directory; `path` leads to it. */
  giveLink(directory: number, name: Buffer, path: Buffer, dress: Dress): readonly string[];
  /** Of an open file or directory. */
  of(descriptor: number): Dress;
  /** Of a link in an open directory; `path` leads to it. */
  ofLink(directory: number, name: Buffer, path: Buffer): Dress;
}

export const NOT_GIVEN = {
  attributes: say("attributes-and-access-lists-files"),
  owners: say("owners-what-system-lets-nobody"),
  times: say("last-digits-times-they-are"),
  rights: say("special-permissions-set-user-id"),
} as const;

const SPECIAL = 0o7000;

/** What Node alone can't give. */
function missing({ xattrs, uid, mode, atimeNs, mtimeNs }: Dress): string[] {
  const missed: string[] = [];
  if (xattrs.length > 0) missed.push(NOT_GIVEN.attributes);
  if (process.geteuid && uid !== process.geteuid()) missed.push(NOT_GIVEN.owners);
  if ((mode & SPECIAL) !== 0) missed.push(NOT_GIVEN.rights);
  if (atimeNs % 1000n !== 0n || mtimeNs % 1000n !== 0n) missed.push(NOT_GIVEN.times);
  return missed;
}

function dressOf({ mode, uid, gid, atimeNs, mtimeNs }: fs.BigIntStats): Dress {
  return { mode: Number(mode) & 0o7777, uid: Number(uid), gid: Number(gid), atimeNs, mtimeNs, xattrs: [] };
}

/** By plain Node, for readers without Eremos. */
export const plainDresser: Dresser = {
  give: (descriptor, dress) => {
    fs.fchmodSync(descriptor, dress.mode & 0o777);
    fs.futimesSync(descriptor, seconds(dress.atimeNs), seconds(dress.mtimeNs));
    return missing(dress);
  },
  giveLink: (_directory, _name, path, dress) => {
    fs.lutimesSync(path, seconds(dress.atimeNs), seconds(dress.mtimeNs));
    return missing({ ...dress, mode: 0 });
  },
  of: (descriptor) => dressOf(fs.fstatSync(descriptor, { bigint: true })),
  ofLink: (_directory, _name, path) => dressOf(fs.lstatSync(path, { bigint: true })),
};

/** In the middle of the microsecond that the system cuts it to. */
function seconds(ns: bigint): number {
  return (Number(ns / 1000n) + 0.5) / 1_000_000;
}
