import { EremosError, fromSystemError } from "../../errors/eremos-error";
import { nameIn } from "../../format/file-record";
import type { DirEntry, Entry, TreeReader } from "../../format/tree";
import type { Dir, Disk, Holding, Stat } from "../../platform/port";
import { type Difference, type SealedInput, loadTree, openSealed } from "../contents";
import {
  type Hooks,
  Meter,
  closeFolder,
  displayPath,
  fileRecordIn,
  holdsNames,
  isNotContents,
  isSameTime,
  openFolder,
  withHeldNames,
  within,
} from "../ground";
import { type FolderKeys, loadState } from "../records";
import { keyOf } from "./visit-tree";
import { said } from "@eremos/words/core/visiting";

export interface ChangesInput extends SealedInput {
  /** So many are listed. */
  readonly most: number;
}

/** What lies open is this much another than what was locked last. */
export interface Change extends Pick<Difference, "path" | "kind"> {
  readonly type: Entry["kind"];
  readonly size: number;
  readonly mtimeNs: bigint;
}

export interface ChangesOutcome {
  readonly generation: number;
  /** In what was locked last. */
  readonly files: number;
  readonly changes: readonly Change[];
  readonly isCut: boolean;
}

/**
 * Compares a folder or a single file that lies open with what was locked last, by names, sizes and times. Changes
 * nothing, reads no contents. @throws EremosError `not-open` | `needs-folder-password` | `damaged`
 */
export async function changesSinceLock(disk: Disk, input: ChangesInput, hooks: Hooks): Promise<ChangesOutcome> {
  const folder = openFolder(disk, input.path);
  const { dir, parent, ownDir } = folder;
  let keys: FolderKeys | null = null;
  try {
    const state = ownDir && loadState(disk, ownDir);
    if (!ownDir || state?.state !== "open")
      throw new EremosError("not-open", said("does-not-lie-open-so", { path: displayPath(input.path) }));
    const opened = await openSealed(disk, ownDir, state, input);
    ({ keys } = opened);
    const { tree } = loadTree(disk, ownDir, opened.generation, keys);
    const holding = disk.holds(ownDir);
    const of: Comparing = {
      disk: holdsNames(holding) ? disk : withHeldNames(disk, { dir, ownDir }, tree),
      holding,
      tree,
      most: input.most + 1,
      meter: new Meter(hooks, "looking", tree.files, 0),
      changes: [],
    };
    const single = fileRecordIn(disk, ownDir);
    const file = single && nameIn(single);
    if (file) compare(of, parent, [file], tree.root, []);
    else compare(of, dir, contentsOf(of.disk, dir), tree.root, []);
    return {
      generation: opened.generation.number,
      files: tree.files,
      changes: of.changes.slice(0, input.most),
      isCut: of.changes.length > input.most,
    };
  } catch (error) {
    throw fromSystemError(error, said("comparing-folder-with-its-last"));
  } finally {
    keys?.wipe();
    closeFolder(disk, folder);
  }
}

/** What Eremos keeps in it is not among them. */
function contentsOf(disk: Disk, dir: Dir): Buffer[] {
  const top = disk.statOpen(dir);
  return disk.list(dir).filter((name) => !isNotContents(top, name));
}

interface Comparing {
  readonly disk: Disk;
  readonly holding: Holding;
  readonly tree: TreeReader;
  readonly most: number;
  readonly meter: Meter;
  readonly changes: Change[];
}

function compare(of: Comparing, dir: Dir, names: readonly Buffer[], before: DirEntry, path: readonly Buffer[]): void {
  const { disk, tree, meter, changes } = of;
  const known = new Map(tree.list(before).entries.map((entry) => [keyOf(entry.name), entry]));
  for (const name of [...names].sort(Buffer.compare)) {
    if (changes.length >= of.most) return;
    const stat = disk.find(dir, name);
    if (!stat) continue;
    meter.add(stat.type === "file" ? 1 : 0, 0);
    const was = known.get(keyOf(name));
    known.delete(keyOf(name));
    const here = [...path, name];
    if (was?.kind === "dir" && stat.type === "dir")
      within(disk, disk.openDir(dir, name), (inner) => compare(of, inner, disk.list(inner), was, here));
    else if (!was) changes.push(changeOf(here, "added", stat));
    else if (!isStill(of, dir, name, was, stat)) changes.push(changeOf(here, "changed", stat));
  }
  for (const was of known.values())
    changes.push({
      path: [...path, was.name],
      kind: "removed",
      type: was.kind,
      size: was.kind === "file" ? was.size : 0,
      mtimeNs: was.meta.mtimeNs,
    });
}

function changeOf(path: readonly Buffer[], kind: Change["kind"], { type, size, mtimeNs }: Stat): Change {
  const isFile = type !== "dir" && type !== "link";
  return { path, kind, type: isFile ? "file" : type, size: isFile ? size : 0, mtimeNs };
}

function isStill({ disk, holding }: Comparing, dir: Dir, name: Buffer, was: Entry, now: Stat): boolean {
  if (was.kind === "link") return now.type === "link" && disk.readLink(dir, name).equals(was.target);
  return (
    was.kind === "file" &&
    now.type === "file" &&
    now.size === was.size &&
    isSameTime(holding, now.mtimeNs, was.meta.mtimeNs)
  );
}
