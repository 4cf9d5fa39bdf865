import { sha256, toBase64 } from "../crypto/bytes";
import { EremosError, fromSystemError } from "../errors/eremos-error";
import type { TraceKind } from "../format/choices";
import type { Dir, Disk, OpenFile, Stat } from "../platform/port";
import {
  type Hooks,
  Meter,
  displayPath,
  ensureDir,
  joinPath,
  overwriteFile,
  overwriteWhatGoes,
  percentDecoded,
  removeNameless,
  splitPath,
  withFile,
  within,
} from "../engine/ground";
import { type ListEntry, linesIn } from "./entries";
import { type LocatedTrace, type TracesInput, locateTraces } from "./find";
import { type KeepAs, KeptWriter } from "./kept";
import { listAt } from "./reading";
import { besideOf, isUntouched, rewriteList, withList } from "./rewrite";
import { type ListFormat, entryOf } from "./trace";
import { said } from "@eremos/words/core/traces";

export interface ClearInput extends TracesInput {
  /** Of the traces that go; null: those of these kinds. */
  readonly ids: readonly string[] | null;
  /** Null: of every kind. */
  readonly kinds: readonly TraceKind[] | null;
  /** Of these kinds only what surely belongs to the folder. */
  readonly onlySure: boolean;
  /** Where what goes is kept, and for whom; null: it is not. */
  readonly keep: KeepAs | null;
  /** So often what goes is written over before it does; 0: not at all. */
  readonly overwrite?: number;
}

export interface TraceLeft {
  readonly where: Buffer;
  readonly reason: string;
}

export interface Cleared {
  /** Of the traces that went. */
  readonly ids: readonly string[];
  readonly left: readonly TraceLeft[];
  /** Under which what went is kept. */
  readonly kept: string | null;
}

/** What goes together, or not at all. */
type Going = { readonly ids: string[] } & (
  | { readonly as: "list"; readonly path: Buffer; readonly format: ListFormat; readonly parts: ListEntry[] }
  /** Files and whole directories, in the order in which they go. */
  | { readonly as: "files"; readonly paths: readonly Buffer[]; readonly its?: Pick<Stat, "dev" | "ino"> | undefined }
);
type GoingList = Extract<Going, { as: "list" }>;

/** Every entry that may go, as it was when it was kept, by its path. */
type Seen = Map<string, Stat>;
type Keeping = Pick<KeptWriter, "item" | "append">;

/**
 * Takes traces of a folder away, and nothing else: of a list their bytes alone, and the rest of it stays as it is. All
 * that goes is durable among what is kept before anything goes. What can't go is left, and said. @throws EremosError
 * `cancelled`, `no-space` and what else keeps it from being kept: nothing went then
 */
export async function clearTraces(disk: Disk, input: ClearInput, hooks: Hooks): Promise<Cleared> {
  const asked = input.ids && new Set(input.ids);
  const chosen = (await locateTraces(disk, input)).traces.filter(
    ({ id, kind, isSure, spot }) =>
      spot !== null && (asked ? asked.has(id) : (input.kinds?.includes(kind) ?? true) && (isSure || !input.onlySure)),
  );
  const meter = new Meter(hooks, "removing", chosen.length, 0);
  const left: TraceLeft[] = [];
  const may = (one: Going, act: () => void): boolean => {
    try {
      meter.stopIfCancelled();
      act();
      return true;
    } catch (error) {
      const failure = fromSystemError(error, said("clearing-a-trace"));
      if (failure.code === "cancelled" || failure.code === "no-space") throw failure;
      left.push({ where: whereOf(one), reason: failure.message });
      return false;
    }
  };
  const seen: Seen = new Map();
  const able = goingOf(disk, chosen).filter((one) => may(one, () => look(disk, one, null, seen)));
  const { going, kept } = await keepAll(disk, input.keep, able, may, seen).catch((error: unknown) => {
    throw fromSystemError(error, said("keeping-traces"));
  });
  const ids: string[] = [];
  for (const one of going) {
    // What went so far is kept and told of, and the rest stays.
    if (hooks.cancelled()) break;
    try {
      go(disk, one, seen, input.overwrite ?? 0);
      ids.push(...one.ids);
    } catch (error) {
      left.push({ where: whereOf(one), reason: fromSystemError(error, said("clearing-a-trace")).message });
    }
    meter.count(one.ids.length);
  }
  meter.report();
  return { ids, left, kept };
}

function whereOf(going: Going): Buffer {
  return going.as === "list" ? going.path : (going.paths[0] ?? Buffer.alloc(0));
}

function goingOf(disk: Disk, traces: readonly LocatedTrace[]): Going[] {
  const lists = new Map<string, GoingList>();
  const files: Going[] = [];
  const cut = (path: Buffer, format: ListFormat, part: ListEntry, ids: readonly string[]): void => {
    const key = path.toString("latin1");
    const list = lists.get(key) ?? { as: "list", path, format, parts: [], ids: [] };
    list.parts.push(part);
    list.ids.push(...ids);
    lists.set(key, list);
  };
  for (const { id, where, spot } of traces) {
    if (spot?.as === "part") cut(where, spot.format, spot, [id]);
    else if (spot?.as === "file") files.push({ as: "files", paths: [where], its: spot.its, ids: [id] });
    else if (spot?.as === "trashed") {
      files.push({ as: "files", paths: [where, noteOf(spot.trash, spot.name)], ids: [id] });
      const sizes = entryOf(spot.trash, "directorysizes");
      for (const line of linesIn(listAt({ disk, trouble: () => undefined }, sizes)))
        if (percentDecoded(line.bytes.toString("utf8").trimEnd().split(" ")[2] ?? "").equals(spot.name))
          cut(sizes, "lines", line, []);
    }
  }
  // What is written about sizes goes when what it is about is gone.
  return [...files, ...lists.values()];
}

function noteOf(trash: Buffer, name: Buffer): Buffer {
  return joinPath(entryOf(trash, "info"), Buffer.concat([name, Buffer.from(".trashinfo")]));
}

/** Anew without what turns out not to be readable to its end: what was written of it can't be taken back. */
async function keepAll(
  disk: Disk,
  keep: ClearInput["keep"],
  able: readonly Going[],
  may: (one: Going, act: () => void) => boolean,
  seen: Seen,
): Promise<{ readonly going: readonly Going[]; readonly kept: string | null }> {
  if (!keep || able.length === 0) return { going: able, kept: null };
  const { parent, name } = splitPath(keep.directory);
  within(disk, disk.openRoot(parent), (dir) => {
    disk.closeDir(ensureDir(disk, dir, name));
    disk.syncDir(dir);
  });
  const dir = disk.openRoot(keep.directory);
  try {
    requireRoom(disk, dir, able, seen);
    for (let going = able; ;) {
      const writer = await KeptWriter.begin(
        disk,
        dir,
        keep,
        going.reduce((sum, { ids }) => sum + ids.length, 0),
      );
      try {
        const failed = going.find((one) => !may(one, () => look(disk, one, writer, seen)));
        if (!failed) {
          writer.finish();
          return { going, kept: writer.id };
        }
        going = going.filter((one) => one !== failed);
      } finally {
        writer.abandon();
      }
    }
  } finally {
    disk.closeDir(dir);
  }
}

/** A disk that is full stops more than this: some of it stays free. */
const LEFT_FREE_BYTES = 64 * 1024 * 1024;

/** @throws EremosError `no-space` */
function requireRoom(disk: Disk, dir: Dir, able: readonly Going[], seen: Seen): void {
  const ofFiles = [...seen.values()].reduce((sum, { type, size }) => sum + (type === "file" ? size : 0), 0);
  const ofLists = able.reduce(
    (sum, one) => sum + (one.as === "list" ? one.parts.reduce((all, { bytes }) => all + bytes.length, 0) : 0),
    0,
  );
  const needed = ofFiles + 2 * ofLists + LEFT_FREE_BYTES;
  const free = disk.freeBytes(dir);
  if (free < needed) throw new EremosError("no-space", said("no-room-to-keep", { needed, free }));
}

/** Whether it can go; with a writer, all of it is kept. */
function look(disk: Disk, going: Going, keeping: Keeping | null, seen: Seen): void {
  if (going.as === "list") return withList(disk, going.path, ({ bytes }) => keepList(going, bytes, keeping));
  for (const path of going.paths) {
    const { parent, name } = splitPath(path);
    within(disk, disk.openRoot(parent), (dir) => {
      const stat = disk.find(dir, name);
      // Of what a clearing that was cut off began with, the rest goes.
      if (!stat) return;
      if (going.its && (going.its.dev !== stat.dev || going.its.ino !== stat.ino))
        throw new EremosError("busy", said("changed-meanwhile", { path: displayPath(path) }));
      lookAtEntry({ disk, keeping, seen }, dir, name, path);
    });
  }
}

function keepList({ path, format, parts }: GoingList, bytes: Buffer, keeping: Keeping | null): void {
  const after = withoutParts(bytes, parts, path);
  let gone = 0;
  keeping?.item({
    as: "list",
    path: toBase64(path),
    format,
    before: digest(bytes),
    after: digest(after),
    parts: joined(parts).map(({ start, bytes: part }) => {
      const at = start - gone;
      gone += part.length;
      return {
        start,
        bytes: toBase64(part),
        ahead: toBase64(after.subarray(Math.max(0, at - AROUND), at)),
        behind: toBase64(after.subarray(at, at + AROUND)),
      };
    }),
  });
}

function inOrder(parts: readonly ListEntry[]): ListEntry[] {
  return [...parts].sort((a, b) => a.start - b.start);
}

/** Parts that touch are one: between them nothing stays by which to tell their order. */
function joined(parts: readonly ListEntry[]): ListEntry[] {
  const all: ListEntry[] = [];
  for (const { start, bytes } of inOrder(parts)) {
    const last = all.at(-1);
    if (last && last.start + last.bytes.length === start)
      all.splice(-1, 1, { start: last.start, bytes: Buffer.concat([last.bytes, bytes]) });
    else all.push({ start, bytes });
  }
  return all;
}

/** @throws EremosError `busy` where the parts don't stand there any more */
function withoutParts(bytes: Buffer, parts: readonly ListEntry[], path: Buffer): Buffer {
  const stay: Buffer[] = [];
  let at = 0;
  for (const { start, bytes: part } of inOrder(parts)) {
    const end = start + part.length;
    if (start < at || !bytes.subarray(start, end).equals(part))
      throw new EremosError("busy", said("changed-meanwhile", { path: displayPath(path) }));
    stay.push(bytes.subarray(at, start));
    at = end;
  }
  return Buffer.concat([...stay, bytes.subarray(at)]);
}

/** So much of what stands around a part tells where it stood. */
const AROUND = 256;
const READ_AT_ONCE = 1024 * 1024;

interface Looking {
  readonly disk: Disk;
  readonly keeping: Keeping | null;
  readonly seen: Seen;
}

/** An entry with everything in it. @throws EremosError `busy` | `unsupported`, system errors */
function lookAtEntry(looking: Looking, dir: Dir, name: Buffer, path: Buffer): void {
  const { disk, keeping, seen } = looking;
  const stat = disk.stat(dir, name);
  seen.set(path.toString("latin1"), stat);
  const of = { path: toBase64(path), mode: stat.mode, mtimeNs: String(stat.mtimeNs) };
  if (stat.type === "dir") {
    keeping?.item({ as: "dir", ...of });
    within(disk, disk.openDir(dir, name), (inner) => {
      for (const child of disk.list(inner)) lookAtEntry(looking, inner, child, joinPath(path, child));
    });
  } else if (stat.type === "link") keeping?.item({ as: "link", ...of, target: toBase64(disk.readLink(dir, name)) });
  else if (stat.type === "file")
    withFile(disk, disk.openRead(dir, name), (file) => {
      if (disk.isWritten(dir, name) === true)
        throw new EremosError("busy", said("is-being-written", { path: displayPath(path) }));
      if (keeping) keepFile({ disk, keeping, seen }, file, of);
    });
  else throw new EremosError("unsupported", said("is-no-file-to-keep", { path: displayPath(path) }));
}

function keepFile(
  { disk, keeping }: { readonly disk: Disk; readonly keeping: Keeping; readonly seen: Seen },
  file: OpenFile,
  of: { readonly path: string; readonly mode: number; readonly mtimeNs: string },
): void {
  const before = disk.statOpen(file);
  const attributes = disk.xattrs(file).map(({ name, value }) => [toBase64(name), toBase64(value)] as [string, string]);
  keeping.item({ as: "file", size: before.size, attributes, ...of });
  const piece = Buffer.allocUnsafe(READ_AT_ONCE);
  for (let at = 0; at < before.size;) {
    const count = disk.read(file, piece, 0, Math.min(piece.length, before.size - at), at);
    if (count === 0) break;
    keeping.append(piece.subarray(0, count));
    at += count;
  }
  if (!isUntouched(disk.statOpen(file), before))
    throw new EremosError("busy", said("changed-meanwhile", { path: displayPath(Buffer.from(of.path, "base64url")) }));
}

function go(disk: Disk, going: Going, seen: Seen, passes: number): void {
  if (going.as === "list") return cutOut(disk, going, passes);
  for (const path of going.paths) {
    const { parent, name } = splitPath(path);
    within(disk, disk.openRoot(parent), (dir) => {
      removeSeen({ disk, seen, passes }, dir, name, path);
      disk.syncDir(dir);
    });
  }
}

/** The list as it was is written over when the new one has its place. */
function cutOut(disk: Disk, { path, parts }: GoingList, passes: number): void {
  const { parent } = splitPath(path);
  const spare = passes > 0 ? within(disk, disk.openRoot(parent), (dir) => besideOf(disk, dir)) : null;
  withList(disk, path, (list) => rewriteList(disk, list, (bytes) => withoutParts(bytes, parts, path), spare));
  if (!spare) return;
  within(disk, disk.openRoot(parent), (dir) => {
    overwriteWhatGoes(disk, dir, spare, { passes });
    if (disk.find(dir, spare)) disk.unlink(dir, spare);
    disk.syncDir(dir);
  });
}

interface Removing {
  readonly disk: Disk;
  readonly seen: Seen;
  readonly passes: number;
}

/** Removes what is still what it was; links are removed, never followed. @throws EremosError `busy`, system errors */
function removeSeen(of: Removing, dir: Dir, name: Buffer, path: Buffer): void {
  const { disk, seen, passes } = of;
  const stat = disk.find(dir, name);
  if (!stat) return;
  const before = seen.get(path.toString("latin1"));
  if (stat.type === "dir" && before?.ino === stat.ino && before.dev === stat.dev) {
    within(disk, disk.openDir(dir, name), (inner) => {
      for (const child of disk.list(inner)) removeSeen(of, inner, child, joinPath(path, child));
    });
    return passes > 0
      ? removeNameless(disk, dir, name, (unnamed) => disk.removeDir(dir, unnamed))
      : disk.removeDir(dir, name);
  }
  if (!before || !isUntouched(before, stat))
    throw new EremosError("busy", said("changed-meanwhile", { path: displayPath(path) }));
  if (passes > 0 && stat.type === "file") overwriteFile(disk, dir, name, stat, { passes, allNames: false });
  else disk.unlink(dir, name);
}

const digest = (bytes: Buffer): string => sha256(bytes).toString("hex");
