import { EremosError } from "../../errors/eremos-error";
import type { Dir, Disk } from "../../platform/port";
import { type Survey, within } from "../ground";
import { BYTES_PER_ENTRY, type Base } from "./seal-tree";
import type { DirEntry, FileEntry } from "../../format/tree";
import { said } from "@eremos/words/core/contents";

/**
 * How the space on the disk decides what is done. `whole`: the second copy is complete before the first one goes.
 * `file-by-file`: when that doesn't fit, each file is complete in one of the two at every instant, and the sealed copy
 * does not stay beside the open one.
 */
export type Strategy = "whole" | "file-by-file";

export interface Room {
  readonly strategy: Strategy;
  readonly free: number;
}

/** Bytes to be written, and the largest single file among them. */
export interface Amount {
  readonly bytes: number;
  readonly largest: number;
  readonly entries: number;
}

/** For state records, a directory's own blocks, and what others write meanwhile. */
const SPACE_MARGIN = 4 * 1024 * 1024;

/** Index, records in packs, tags. */
function overhead(amount: Amount, bytes: number): number {
  return Math.ceil(bytes / 2048) + amount.entries * BYTES_PER_ENTRY + SPACE_MARGIN;
}

export function bytesForWhole(amount: Amount): number {
  return amount.bytes + overhead(amount, amount.bytes);
}

function leastBytes(amount: Amount): number {
  return amount.largest + overhead(amount, amount.largest);
}

/** Bytes one round may write when it goes file by file. */
export function roomForRound(amount: Amount, free: number): number {
  return Math.max(0, Math.floor((free - overhead(amount, 0)) * (1 - 1 / 1024)));
}

/**
 * @throws EremosError `no-space` with the numbers, when not even the largest file fits. `doing` begins the sentence.
 */
export function chooseStrategy(amount: Amount, free: number, doing: "Locking" | "Opening"): Room {
  if (free >= bytesForWhole(amount)) return { strategy: "whole", free };
  const needed = leastBytes(amount);
  if (free >= needed) return { strategy: "file-by-file", free };
  throw new EremosError(
    "no-space",
    said("needs-at-least-free-on", {
      doing,
      megabytes: megabytes(needed),
      better: megabytes(bytesForWhole(amount)),
      free: megabytes(free),
    }),
    { needed, better: bytesForWhole(amount), free },
  );
}

function megabytes(bytes: number): string {
  return `${Math.ceil(bytes / 1e6).toLocaleString("en")} MB`;
}

/** What of an open folder would be written at a lock: the files that are not what was sealed. */
export function changedSince(disk: Disk, dir: Dir, base: Base, found: Survey): Amount {
  let [bytes, largest] = [0, 0];
  const visit = (at: Dir, before: DirEntry | null): void => {
    const known = before ? base.tree.list(before) : { first: 0, entries: [] };
    const numbers = new Map(known.entries.map((entry, i) => [entry.name.toString("latin1"), i]));
    for (const name of disk.list(at)) {
      const stat = disk.find(at, name);
      const number = numbers.get(name.toString("latin1"));
      const entry = number === undefined ? undefined : known.entries[number];
      if (
        stat?.type === "file" &&
        !(
          entry?.kind === "file" &&
          isSealed(entry, stat.mtimeNs) &&
          base.identities?.has(known.first + (number ?? 0), stat)
        )
      ) {
        bytes += stat.size;
        largest = Math.max(largest, stat.size);
      }
      if (stat?.type !== "dir" || !disk.readable(at, name, stat)) continue;
      within(disk, disk.openDir(at, name), (inner) => visit(inner, entry?.kind === "dir" ? entry : null));
    }
  };
  visit(dir, base.tree.root);
  return { bytes: Math.min(bytes, found.bytes), largest, entries: found.entries };
}

function isSealed(entry: FileEntry, mtimeNs: bigint): boolean {
  return entry.meta.mtimeNs === mtimeNs;
}

/** Whether a locked folder of this size has room for its sealed copy and the readable one side by side. */
export function roomForBoth(
  disk: Disk,
  path: Buffer,
  { files, bytes }: { readonly files: number; readonly bytes: number },
): boolean {
  return within(disk, disk.openRoot(path), (dir) => {
    return disk.freeBytes(dir) >= bytesForWhole({ bytes, entries: files, largest: 0 });
  });
}
