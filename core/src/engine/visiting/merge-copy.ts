import { EremosError, fromSystemError } from "../../errors/eremos-error";
import { markedName } from "../../format/marked-name";
import type { RescueSecret } from "../../rescue/keys-of-folder";
import { type LockedFolder, openLocked } from "../../rescue/locked-folder";
import { directorySource } from "../../rescue/directory-source";
import type { RescuedEntry } from "../../rescue/entry";
import type { Disk } from "../../platform/port";
import { forksAt } from "./forks";
import { type Hooks, Meter, displayPath } from "../ground";
import { stillArriving } from "../records";
import { fittingMode } from "../contents";
import { type Committed, Visit, type VisitInput } from "./visit";
import type { DirNode } from "./visit-tree";
import { said, say } from "@eremos/words/core/visiting";

/** What a second copy of a folder has that the folder has not, or has otherwise. */
interface CopyDifference {
  readonly path: readonly Buffer[];
  /** The folder has nothing at its path; or something of another size or time. */
  readonly kind: "only-here" | "differs";
  readonly size: number;
  readonly mtimeNs: bigint;
}

export interface CopyComparison {
  /** States of both; the one with the higher number was locked more often. Null: its index can't be read. */
  readonly generation: number | null;
  readonly ofOriginal: number | null;
  readonly differences: readonly CopyDifference[];
  readonly problems: readonly string[];
}

export interface CopyInput {
  /** Where the copy lies. */
  readonly copy: Buffer;
  readonly secret: RescueSecret;
  /** Of the copy, the state of another computer whose record has this name; null: its last. */
  readonly fork: string | null;
}

/** @throws EremosError `arriving` | `not-found` */
function requireArrived(disk: Disk, copy: Buffer, fork: string | null): void {
  if (fork === null) return;
  const found = forksAt(disk, copy).find(({ name }) => name === fork);
  if (!found) throw new EremosError("not-found", said("has-no-such-state-any-more", { copy: displayPath(copy) }));
  if (found.arrival.missing > 0) throw stillArriving(say("that-state-folder"), found.arrival);
}

/**
 * Compares files of a second copy with those of the folder, by sizes and times; both are only read. @throws EremosError
 * as {@link openLocked} | `usage` | `arriving`
 */
export async function compareCopy(
  disk: Disk,
  { copy, secret, fork }: CopyInput,
  original: Buffer,
): Promise<CopyComparison> {
  requireArrived(disk, copy, fork);
  const [here, there] = [
    await openLocked(directorySource(copy), secret, fork),
    await openLocked(directorySource(original), secret),
  ];
  try {
    if (here.head.header.folder !== there.head.header.folder)
      throw new EremosError("usage", said("these-are-two-different-folders"));
    const known = new Map(filesOf(there).map((entry) => [keyOf(entry), entry]));
    const differences = filesOf(here).flatMap((entry): CopyDifference[] => {
      const same = known.get(keyOf(entry));
      if (same?.size === entry.size && same.meta.mtimeNs === entry.meta.mtimeNs) return [];
      return [
        { path: entry.path, kind: same ? "differs" : "only-here", size: entry.size, mtimeNs: entry.meta.mtimeNs },
      ];
    });
    return { generation: here.generation, ofOriginal: there.generation, differences, problems: here.problems };
  } finally {
    here.close();
    there.close();
  }
}

function filesOf(folder: LockedFolder): RescuedEntry[] {
  return folder.entries.filter(({ kind }) => kind === "file");
}

function keyOf({ path }: Pick<RescuedEntry, "path">): string {
  return path.map((name) => name.toString("latin1")).join("/");
}

export interface MergeInput extends CopyInput {
  readonly original: VisitInput;
  /** Of the files to take. */
  readonly paths: readonly (readonly Buffer[])[];
}

export interface Merged extends Committed {
  readonly taken: number;
  /** Files that are damaged in the copy, which were left. */
  readonly damaged: readonly string[];
}

/**
 * Takes files of a second copy into the locked folder, encrypted all the way, as one more state of it. Nothing of the
 * folder is replaced: what it has otherwise stands beside as `<name> (from the copy)`. The copy stays as it is. @throws
 * EremosError as {@link Visit.open} and {@link openLocked}
 */
export async function mergeCopy(
  disk: Disk,
  { copy, secret, fork, original, paths }: MergeInput,
  hooks: Hooks,
): Promise<Merged> {
  requireArrived(disk, copy, fork);
  const from = await openLocked(directorySource(copy), secret, fork);
  try {
    const wanted = new Set(paths.map((path) => keyOf({ path })));
    const entries = filesOf(from).filter((entry) => wanted.has(keyOf(entry)));
    const meter = new Meter(
      hooks,
      "sealing",
      entries.length,
      entries.reduce((sum, { size }) => sum + size, 0),
    );
    const visit = await Visit.open(disk, original);
    const damaged: string[] = [];
    try {
      if (from.head.header.folder !== visit.folderId)
        throw new EremosError("usage", said("these-are-two-different-folders"));
      for (const entry of entries) {
        if (!(await take(visit, from, entry, meter))) damaged.push(displayPath(Buffer.from(keyOf(entry), "latin1")));
        meter.add(1, 0);
      }
      visit.commit();
    } finally {
      visit.close();
    }
    return { ...visit.committed, taken: entries.length - damaged.length, damaged };
  } catch (error) {
    throw fromSystemError(error, said("taking-files-from-copy-folder"));
  } finally {
    from.close();
  }
}

/** False where a part of it can't be read. */
async function take(visit: Visit, from: LockedFolder, entry: RescuedEntry, meter: Meter): Promise<boolean> {
  const parents = entry.path.slice(0, -1);
  const dir = directoryAt(visit, parents);
  const upload = visit.write(parents, freeName(visit, dir, entry.path.at(-1) ?? Buffer.alloc(0)), entry.size);
  try {
    let done = 0;
    for await (const { offset, length, bytes } of from.read(entry)) {
      if (!bytes) {
        upload.abort();
        return false;
      }
      zeros(offset - done, (piece) => upload.append(piece));
      upload.append(bytes);
      done = offset + length;
      meter.add(0, length);
    }
    zeros(entry.size - done, (piece) => upload.append(piece));
    const file = upload.finish();
    const isExact = file.meta.uid === entry.meta.uid && file.meta.gid === entry.meta.gid;
    visit.add(dir, {
      ...file,
      meta: {
        ...file.meta,
        mode: fittingMode(entry.meta.mode, isExact),
        mtimeNs: entry.meta.mtimeNs,
        atimeNs: entry.meta.atimeNs,
      },
    });
    return true;
  } catch (error) {
    upload.abort();
    throw error;
  }
}

/** Holes come as zeros. */
function zeros(count: number, use: (piece: Buffer) => void): void {
  for (let left = count; left > 0; left -= 65_536) use(Buffer.alloc(Math.min(left, 65_536)));
}

function directoryAt(visit: Visit, path: readonly Buffer[]): DirNode {
  const root = visit.find([]);
  if (root?.kind !== "dir") throw new TypeError("root: it is a directory");
  return path.reduce<DirNode>((dir, name) => {
    const next = visit.child(dir, name);
    return next?.kind === "dir" ? next : visit.makeDir(dir, next ? freeName(visit, dir, name) : name);
  }, root);
}

function freeName(visit: Visit, dir: DirNode, name: Buffer): Buffer {
  return visit.child(dir, name) ? markedName(name, "from the copy", (one) => visit.child(dir, one) !== null) : name;
}
