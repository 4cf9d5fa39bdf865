import { sha256 } from "../crypto/bytes";
import { EremosError, fromSystemError, systemCode } from "../errors/eremos-error";
import type { Dir, Disk, OpenFile } from "../platform/port";
import { displayPath, holdsBytes, splitPath, takeBack, withFile, within } from "../engine/ground";
import type { TraceLeft } from "./clear";
import { type KeptItem, type KeptList, KeptReader, forgetKept } from "./kept";
import { besideOf, rewriteList, withList } from "./rewrite";
import { said } from "@eremos/words/core/traces";

export interface TracesBackInput {
  readonly directory: Buffer;
  readonly id: string;
  /** The owner's, now and before. */
  readonly privateKeys: readonly Buffer[];
}

export interface TracesBack {
  /** How many lists and files are as they were, or hold again what was taken out of them. */
  readonly back: number;
  readonly left: readonly TraceLeft[];
}

type Plain<K extends KeptItem["as"]> = Extract<KeptItem, { as: K }>;
const bytesOf = (text: string): Buffer => Buffer.from(text, "base64url");

/**
 * Puts what was cleared back where it was. A list that nothing was written into since is byte for byte what it was; in
 * another one it stands again beside its neighbours, or at the end. What stands in the place of a file stays, and that
 * is said: what was cleared is kept then. @throws EremosError `damaged`: everything before the damage is back
 */
export async function putTracesBack(disk: Disk, input: TracesBackInput): Promise<TracesBack> {
  const dir = disk.openRoot(input.directory);
  try {
    const reader = await KeptReader.open(disk, dir, input.id, input.privateKeys);
    const left: TraceLeft[] = [];
    let back = 0;
    /** Their times are given when everything is in them. */
    const dirs: Plain<"dir">[] = [];
    try {
      for (let item = reader.item(); item; item = reader.item()) {
        const where = bytesOf(item.path);
        try {
          const isMade = putBack(disk, item, reader);
          if (item.as === "dir" && isMade) dirs.unshift(item);
          back++;
        } catch (error) {
          const failure = fromSystemError(error, said("putting-a-trace-back"));
          if (failure.code === "damaged" || failure.code === "no-space") throw failure;
          left.push({ where, reason: failure.message });
        }
      }
    } finally {
      reader.close();
    }
    for (const one of dirs)
      at(disk, bytesOf(one.path), (parent, name) =>
        within(disk, disk.openDir(parent, name), (made) => dressDir(disk, made, one)),
      );
    if (left.length === 0) forgetKept(disk, input.directory, input.id);
    return { back, left };
  } finally {
    disk.closeDir(dir);
  }
}

/** Whether something was made that was not there. */
function putBack(disk: Disk, item: KeptItem, reader: KeptReader): boolean {
  switch (item.as) {
    case "list":
      putIntoList(disk, item);
      return true;
    case "file":
      putFile(disk, item, reader);
      return true;
    case "dir":
      return at(disk, bytesOf(item.path), (parent, name) => {
        const isThere = disk.find(parent, name)?.type === "dir";
        if (!isThere) disk.makeDir(parent, name, 0o700);
        return !isThere;
      });
    case "link":
      return at(disk, bytesOf(item.path), (parent, name) => {
        const target = bytesOf(item.target);
        const there = disk.find(parent, name);
        const isThere = there?.type === "link" && disk.readLink(parent, name).equals(target);
        if (isThere) return false;
        disk.makeLink(parent, name, target);
        disk.setLinkTimes(parent, name, BigInt(item.mtimeNs), BigInt(item.mtimeNs));
        return true;
      });
  }
}

/** In a directory that is made, for this account alone, where it is gone. */
function at<T>(disk: Disk, path: Buffer, use: (parent: Dir, name: Buffer) => T): T {
  const { parent, name } = splitPath(path);
  return within(disk, madeAgain(disk, parent), (dir) => use(dir, name));
}

function madeAgain(disk: Disk, path: Buffer): Dir {
  try {
    return disk.openRoot(path);
  } catch (error) {
    if (systemCode(error) !== "ENOENT") throw error;
    return at(disk, path, (parent, name) => {
      disk.makeDir(parent, name, 0o700);
      return disk.openDir(parent, name);
    });
  }
}

function dressDir(disk: Disk, made: Dir, { mode, mtimeNs }: Plain<"dir">): void {
  disk.setOpenMode(made, mode);
  disk.setTimes(made, BigInt(mtimeNs), BigInt(mtimeNs));
}

function putFile(disk: Disk, item: Plain<"file">, reader: KeptReader): void {
  const path = bytesOf(item.path);
  at(disk, path, (parent, name) => {
    if (disk.find(parent, name)) {
      if (isThere(disk, parent, name, item, reader)) return;
      throw new EremosError("path-taken", said("something-else-stands-there", { path: displayPath(path) }));
    }
    const beside = besideOf(disk, parent);
    try {
      withFile(disk, disk.create(parent, beside, 0o600), (file) => fill(disk, file, item, reader));
      disk.renameExclusive(parent, beside, parent, name);
      disk.syncDir(parent);
    } catch (error) {
      takeBack(() => disk.unlink(parent, beside));
      throw error;
    }
  });
}

/** A large one is known by its length and time. */
function isThere(disk: Disk, parent: Dir, name: Buffer, item: Plain<"file">, reader: KeptReader): boolean {
  if (item.size > SMALL) {
    const stat = disk.find(parent, name);
    return stat?.type === "file" && stat.size === item.size && String(stat.mtimeNs) === item.mtimeNs;
  }
  const pieces: Buffer[] = [];
  for (let piece = reader.contents(); piece; piece = reader.contents()) pieces.push(Buffer.from(piece));
  return holdsBytes(disk, parent, name, Buffer.concat(pieces));
}

function fill(disk: Disk, file: OpenFile, item: Plain<"file">, reader: KeptReader): void {
  let written = 0;
  for (let piece = reader.contents(); piece; piece = reader.contents()) {
    disk.write(file, piece, 0, piece.length, written);
    written += piece.length;
  }
  for (const [name, value] of item.attributes)
    takeBack(() => disk.setXattr(file, { name: bytesOf(name), value: bytesOf(value) }));
  disk.setOpenMode(file, item.mode & RIGHTS);
  disk.setTimes(file, BigInt(item.mtimeNs), BigInt(item.mtimeNs));
  disk.syncFile(file);
}

/** What a program may do that runs as somebody else is not given back. */
const RIGHTS = 0o777;
/** A file up to this size is compared byte for byte with what stands in its place. */
const SMALL = 16 * 1024 * 1024;

function putIntoList(disk: Disk, item: KeptList): void {
  const path = bytesOf(item.path);
  at(disk, path, (parent, name) => {
    if (disk.find(parent, name)) return;
    // A list that is gone has nothing in it: what was taken out of it is put into an empty one.
    if (item.format === "elements")
      throw new EremosError("not-found", said("list-is-gone", { path: displayPath(path) }));
    disk.closeFile(disk.create(parent, name, 0o600));
  });
  withList(disk, path, (list) => {
    if (digest(list.bytes) === item.before) return;
    rewriteList(disk, list, (bytes) => withParts(bytes, item));
  });
}

function withParts(bytes: Buffer, item: KeptList): Buffer {
  const parts = item.parts.map(({ start, bytes: part, ahead, behind }) => ({
    start,
    part: bytesOf(part),
    ahead: bytesOf(ahead),
    behind: bytesOf(behind),
  }));
  // In their order each stands at its old place once those before it do.
  if (digest(bytes) === item.after) return parts.reduce((all, { start, part }) => inserted(all, start, part), bytes);
  return parts.reduce((all, one) => {
    const place = placeOf(all, one, item.format);
    const { length } = one.part;
    const isThere = [place - length, place].some(
      (from) => from >= 0 && all.subarray(from, from + length).equals(one.part),
    );
    return isThere ? all : inserted(all, place, one.part);
  }, bytes);
}

function inserted(bytes: Buffer, at: number, part: Buffer): Buffer {
  return Buffer.concat([bytes.subarray(0, at), part, bytes.subarray(at)]);
}

interface Standing {
  readonly part: Buffer;
  readonly ahead: Buffer;
  readonly behind: Buffer;
}

/** Between its neighbours, behind the one or before the other, or at the end of the list. */
function placeOf(bytes: Buffer, { part, ahead, behind }: Standing, format: KeptList["format"]): number {
  const both = onlyPlace(bytes, Buffer.concat([ahead, behind]));
  if (both !== null) return both + ahead.length;
  const first = ahead.length > 0 ? onlyPlace(bytes, ahead) : null;
  if (first !== null) return first + ahead.length;
  const second = behind.length > 0 ? onlyPlace(bytes, behind) : null;
  if (second !== null) return second;
  if (format === "elements") {
    const closing = bytes.lastIndexOf("</");
    if (closing < 0) throw new EremosError("unsupported", said("is-no-list-to-put-into"));
    return closing;
  }
  // A line without an end would run into the next one.
  return bytes.length === 0 || bytes.at(-1) === 0x0a || part.at(-1) !== 0x0a ? bytes.length : 0;
}

function onlyPlace(bytes: Buffer, of: Buffer): number | null {
  const found = of.length === 0 ? -1 : bytes.indexOf(of);
  return found < 0 || bytes.indexOf(of, found + 1) >= 0 ? null : found;
}

const digest = (bytes: Buffer): string => sha256(bytes).toString("hex");
