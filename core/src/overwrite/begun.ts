import * as z from "zod";
import { fromBase64, toBase64 } from "../crypto/bytes";
import { isEremosError, systemCode } from "../errors/eremos-error";
import { newId } from "../format/ids";
import type { Dir, Disk, OpenFile, Stat } from "../platform/port";
import { MOST_PASSES, overwriteFile, overwriteOpen, splitPath, takeBack, withFile, within } from "../engine/ground";

/**
 * What is being written over, in Eremos' own data: after a crash the files are neither what they were nor gone, and the
 * next start ends it. FORMAT.md §15. Each file is told by what no other can have at once: device, inode and birth.
 */
const NAME = /^overwriting-[0-9a-f]{32}\.json$/;
const MOST_BYTES = 256 * 1024 * 1024;

const begunSchema = z.strictObject({
  passes: z.int().min(1).max(MOST_PASSES),
  /** Files with other names lose their contents under all of them. */
  allNames: z.boolean(),
  /** A directory after what is in it. */
  entries: z.array(z.strictObject({ path: z.string(), dev: z.string(), ino: z.string(), born: z.string() })),
});
type BegunEntry = z.output<typeof begunSchema>["entries"][number];

export interface Begun {
  /** It came to its end: nothing is left to do after the next start. */
  end(): void;
}

/** Durable when it returns, and held as long as the work is under way. @throws system errors */
export function beginOverwriting(
  disk: Disk,
  directory: Buffer,
  {
    passes,
    allNames,
    entries,
  }: Pick<z.output<typeof begunSchema>, "passes" | "allNames"> & {
    readonly entries: readonly { readonly path: Buffer; readonly stat: Stat }[];
  },
): Begun {
  const name = Buffer.from(`overwriting-${newId()}.json`);
  const dir = disk.openRoot(directory);
  const held = lockOrClose(disk, dir, name);
  try {
    const bytes = Buffer.from(
      JSON.stringify({
        passes,
        allNames,
        entries: entries.map(({ path, stat: { dev, ino, bornNs } }) => ({
          path: toBase64(path),
          dev: String(dev),
          ino: String(ino),
          born: String(bornNs),
        })),
      }),
    );
    disk.write(held, bytes, 0, bytes.length, 0);
    disk.syncFile(held);
    disk.syncDir(dir);
  } catch (error) {
    takeBack(() => disk.unlink(dir, name));
    disk.closeFile(held);
    disk.closeDir(dir);
    throw error;
  }
  return {
    end: () => within(disk, dir, () => endRecord(disk, dir, name, held)),
  };
}

function lockOrClose(disk: Disk, dir: Dir, name: Buffer): OpenFile {
  try {
    const held = disk.tryLock(dir, name);
    if (held) return held;
    throw new Error("a new name is taken");
  } catch (error) {
    disk.closeDir(dir);
    throw error;
  }
}

/** The names in it go as the files do. */
function endRecord(disk: Disk, dir: Dir, name: Buffer, held: OpenFile): void {
  withFile(disk, held, () => {
    overwriteOpen(disk, held, { passes: 1, allNames: false });
    disk.unlink(dir, name);
    disk.syncDir(dir);
  });
}

/**
 * Ends what a crash cut off, of what nobody is at: each file that is still the one that was begun with, and for certain,
 * since an inode number is given again. What can't go now is tried the next time. Returns how many went.
 */
export function finishOverwriting(disk: Disk, directory: Buffer): number {
  return within(disk, disk.openRoot(directory), (dir) =>
    disk
      .list(dir)
      .filter((name) => NAME.test(name.toString("latin1")))
      .reduce((sum, name) => sum + finishOne(disk, dir, name), 0),
  );
}

function finishOne(disk: Disk, dir: Dir, name: Buffer): number {
  const held = disk.tryLock(dir, name);
  if (!held) return 0;
  const bytes = Buffer.alloc(Math.min(disk.statOpen(held).size, MOST_BYTES));
  disk.read(held, bytes, 0, bytes.length, 0);
  const begun = begunIn(bytes);
  const outcomes = (begun?.entries ?? []).map((entry) => goesOn(disk, entry, begun));
  if (outcomes.includes("left")) disk.closeFile(held);
  else endRecord(disk, dir, name, held);
  return outcomes.filter((outcome) => outcome === "gone").length;
}

/** Null: it was cut off itself, before anything was touched. */
function begunIn(bytes: Buffer): z.output<typeof begunSchema> | null {
  try {
    return begunSchema.parse(JSON.parse(bytes.toString("utf8")));
  } catch {
    return null;
  }
}

type Outcome = "gone" | "left" | "another";

function goesOn(disk: Disk, entry: BegunEntry, begun: z.output<typeof begunSchema> | null): Outcome {
  const { parent, name } = splitPath(fromBase64(entry.path));
  try {
    return within(disk, disk.openRoot(parent), (dir) => {
      const at = nameOf(disk, dir, name, entry);
      const stat = at && disk.find(dir, at);
      if (!stat) return "another";
      if (stat.type === "dir") disk.removeDir(dir, at);
      else if (stat.type !== "file") disk.unlink(dir, at);
      else if (stat.nlink > 1 && !begun?.allNames) {
        // All of its names were in what went, or somebody gave it one since: its contents stay with that.
        disk.unlink(dir, at);
      } else overwriteFile(disk, dir, at, stat, { passes: begun?.passes ?? 1, allNames: true });
      disk.syncDir(dir);
      return "gone";
    });
  } catch (error) {
    const code = systemCode(error);
    // What came into a directory since keeps it.
    if (code === "ENOENT" || code === "ENOTEMPTY") return "another";
    if (isEremosError(error) || code !== undefined) return "left";
    throw error;
  }
}

/** The one that was begun with, under its name or the one that says nothing; null: it is not there any more. */
function nameOf(disk: Disk, dir: Dir, name: Buffer, { dev, ino, born }: BegunEntry): Buffer | null {
  const isIt = (one: Buffer): boolean => {
    const stat = disk.find(dir, one);
    return (
      stat !== null &&
      stat.bornNs !== 0n &&
      String(stat.dev) === dev &&
      String(stat.ino) === ino &&
      String(stat.bornNs) === born
    );
  };
  return [name, ...disk.list(dir).filter((one) => /^[0-9a-f]{12,32}$/.test(one.toString("latin1")))].find(isIt) ?? null;
}
