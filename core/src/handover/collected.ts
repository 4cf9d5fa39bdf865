import { EremosError, damage, fromSystemError } from "../errors/eremos-error";
import { OWN_DIR_NAME, displayPath, joinPath, splitPath, within } from "../engine/ground";
import type { DirNode, FileNode, Node, Visit } from "../engine/visiting";
import { printable } from "../errors/printable";
import type { Dir, Disk, Stat } from "../platform/port";
import { said, say } from "@eremos/words/core/handover";

/** A file or an empty directory that goes into a package, under its name there: parts joined by slashes. */
export interface Handed {
  readonly name: string;
  readonly kind: "file" | "dir";
  readonly size: number;
  /** Milliseconds since 1970. */
  readonly modifiedAt: number;
  /** Its contents, piece by piece; each is used again for the next. */
  readonly pieces: () => Iterable<Buffer>;
}

/** What stays out, and why. */
export interface StayedOut {
  readonly path: string;
  readonly reason: string;
}

export interface Collected {
  readonly handed: readonly Handed[];
  readonly left: readonly StayedOut[];
  readonly bytes: number;
}

const PIECE_BYTES = 1024 * 1024;

interface Collecting {
  readonly disk: Disk;
  readonly isOpen: boolean;
  readonly handed: Handed[];
  readonly left: StayedOut[];
  readonly names: Set<string>;
}

/**
 * What readable files and folders have to hand over. Links, what is no file, what is protected itself and what lies on
 * another drive stay out, and are told. `isOpen`: they are protected folders that lie open now, of which what is
 * Eremos' own stays out. @throws EremosError `not-found` | `io`
 */
export function collect(disk: Disk, paths: readonly Buffer[], isOpen = false): Collected {
  const collecting: Collecting = { disk, isOpen, handed: [], left: [], names: new Set() };
  for (const path of paths) {
    const { parent, name } = splitPath(path);
    try {
      within(disk, disk.openRoot(parent), (dir) => {
        const stat = disk.find(dir, name);
        if (!stat) throw new EremosError("not-found", said("nothing-to-hand-over-at", { path: displayPath(path) }));
        add(collecting, dir, name, stat, path, "");
      });
    } catch (error) {
      throw fromSystemError(error, said("looking-at-what-goes-in"));
    }
  }
  const { handed, left } = collecting;
  return { handed, left, bytes: handed.reduce((sum, { size }) => sum + size, 0) };
}

function add(of: Collecting, dir: Dir, entry: Buffer, stat: Stat, path: Buffer, above: string): void {
  const { disk } = of;
  const stays = (reason: string): void => void of.left.push({ path: displayPath(path), reason });
  const modifiedAt = Number(stat.mtimeNs / 1_000_000n);
  if (stat.type === "file") {
    if (!disk.readable(dir, entry, stat)) return stays(say("may-not-be-read"));
    const name = free(of.names, above + nameIn(entry));
    of.handed.push({ name, kind: "file", size: stat.size, modifiedAt, pieces: () => piecesOf(disk, path, stat) });
    return;
  }
  if (stat.type !== "dir") return stays(stat.type === "link" ? say("is-a-link") : say("is-no-file"));
  if (stat.dev !== disk.statOpen(dir).dev && above !== "") return stays(say("is-another-drive"));
  if (!disk.readable(dir, entry, stat)) return stays(say("may-not-be-read"));
  within(disk, disk.openDir(dir, entry), (inner) => {
    const isProtected = disk.find(inner, OWN_DIR_NAME) !== null;
    if (isProtected && (above !== "" || !of.isOpen)) return stays(say("is-protected-itself"));
    const name = free(of.names, above + nameIn(entry));
    const children = disk
      .list(inner)
      .filter((child) => !child.equals(OWN_DIR_NAME))
      .sort((a, b) => a.compare(b));
    if (children.length === 0) of.handed.push({ name, kind: "dir", size: 0, modifiedAt, pieces: () => [] });
    for (const child of children) {
      const found = disk.find(inner, child);
      if (found) add(of, inner, child, found, joinPath(path, child), `${name}/`);
    }
  });
}

/**
 * What a locked folder has to hand over, read from its sealed copy: nothing is decrypted on the disk. `name`: the
 * folder's own; `only`: of what is in it these alone, each under its own name. @throws EremosError `not-found` where
 * one of them is not there any more
 */
export async function collectSealed(
  visit: Visit,
  name: Buffer,
  only: readonly (readonly Buffer[])[] | null = null,
): Promise<Collected> {
  const handed: Handed[] = [];
  const left: StayedOut[] = [];
  const names = new Set<string>();
  const walk = (dir: DirNode, below: string): void => {
    const children = [...visit.list(dir)].sort((a, b) => a.name.compare(b.name));
    if (children.length === 0)
      handed.push({ name: below, kind: "dir", size: 0, modifiedAt: timeOf(dir), pieces: () => [] });
    for (const node of children) take(node, `${below}/${nameIn(node.name)}`);
  };
  const take = (node: Node, called: string): void => {
    const inside = free(names, called);
    if (node.kind === "dir") walk(node, inside);
    else if (node.kind === "link") left.push({ path: inside, reason: say("is-a-link") });
    else
      handed.push({
        name: inside,
        kind: "file",
        size: node.size,
        modifiedAt: timeOf(node),
        pieces: () => sealedPieces(visit, node),
      });
  };
  if (only === null) {
    walk(visit.root, nameIn(name));
    // Whoever may write to the folder may have put it in: its owner looks at it first.
    for (const drop of await visit.arrivals()) {
      left.push({ path: drop.path.map(nameIn).join("/"), reason: say("waits-to-be-taken-in") });
      drop.close();
    }
  }
  for (const path of only ?? []) {
    const node = visit.find(path);
    if (!node) throw new EremosError("not-found", said("is-not-in-it-any-more"));
    take(node, nameIn(node.name));
  }
  return { handed, left, bytes: handed.reduce((sum, { size }) => sum + size, 0) };
}

function timeOf({ meta }: Pick<DirNode, "meta">): number {
  return Number(meta.mtimeNs / 1_000_000n);
}

function* sealedPieces(visit: Visit, file: FileNode): Generator<Buffer> {
  const piece = Buffer.alloc(Math.min(PIECE_BYTES, Math.max(1, file.size)));
  for (let at = 0; at < file.size;) {
    const count = visit.read(file, at, piece.subarray(0, Math.min(piece.length, file.size - at)));
    if (count === 0) throw damage(said("ends-before-its-size"));
    yield piece.subarray(0, count);
    at += count;
  }
}

/** As every system can have it: what parts directories elsewhere, and what tells a terminal something, is replaced. */
function nameIn(entry: Buffer): string {
  return printable(entry.toString("utf8"))
    .replaceAll(/[\\/]/g, "_")
    .replace(/^([A-Za-z]):/, "$1_");
}

function free(names: Set<string>, name: string): string {
  let one = name;
  for (let n = 2; names.has(one); n++) one = `${name} (${n})`;
  names.add(one);
  return one;
}

/** @throws EremosError `changed-while-locking` where it is not the file that was looked at, or changes meanwhile */
function* piecesOf(disk: Disk, path: Buffer, looked: Stat): Generator<Buffer> {
  const { parent, name } = splitPath(path);
  const changed = (): EremosError =>
    new EremosError("changed-while-locking", said("changed-while-it-was-handed-over", { path: displayPath(path) }));
  const dir = disk.openRoot(parent);
  try {
    const file = disk.openRead(dir, name);
    try {
      const isSame = (): boolean => {
        const now = disk.statOpen(file);
        return now.ino === looked.ino && now.size === looked.size && now.mtimeNs === looked.mtimeNs;
      };
      if (!isSame()) throw changed();
      const piece = Buffer.alloc(Math.min(PIECE_BYTES, Math.max(1, looked.size)));
      for (let at = 0; at < looked.size;) {
        const count = disk.read(file, piece, 0, Math.min(piece.length, looked.size - at), at);
        if (count === 0) throw changed();
        yield piece.subarray(0, count);
        at += count;
      }
      if (!isSame()) throw changed();
    } finally {
      disk.closeFile(file);
    }
  } finally {
    disk.closeDir(dir);
  }
}
