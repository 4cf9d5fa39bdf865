import { EremosError, fromSystemError, systemCode } from "../../errors/eremos-error";
import {
  type Content,
  type DirEntry,
  type EncodedTree,
  type Entry,
  type Extent,
  type FileEntry,
  type Listing,
  type Meta,
  type PackInfo,
  type Span,
  type TreeReader,
  TreeWriter,
  contentsOf,
  fileEntry,
  withContents,
} from "../../format/tree";
import type { Dir, Disk, Holding, OpenFile, Stat } from "../../platform/port";
import {
  type FileId,
  type FileIds,
  IdentityWriter,
  type MetaOf,
  type Meter,
  NO_PATH,
  NO_REFUSALS,
  OWN_DIR_NAME,
  type Owners,
  fileIdOf,
  isMovable,
  isNotContents,
  metaOf,
  ownersOf,
  pathInto,
  refuse,
  removingFrom,
  shownPath,
  withFile,
  within,
} from "../ground";
import type { PackWriter } from "./pack-writer";
import { extentsOfEntry } from "./restore-tree";
import { said } from "@eremos/words/core/contents";

const ATTEMPTS = 3;
/** A pack with less than this part still in use is written anew. */
const LEAST_USE = 0.5;
/** What a small file costs besides its bytes: its record in the pack and its entries in two indexes. */
export const BYTES_PER_ENTRY = 512;

/** What is sealed already: files that are still the same keep their sealed data. */
export interface Base {
  readonly tree: TreeReader;
  /** What each plain file was when it was sealed or restored; null when nobody knows. */
  readonly identities: FileIds | null;
  /** File by file: an entry that is not in the plain tree any more is sealed, not deleted. */
  readonly mixed: boolean;
  /** What lies there has names in the form that the disk holds ({@link withHeldNames}). */
  readonly hasHeldNames?: boolean;
}

export interface SealInput {
  readonly base: Base | null;
  readonly writer: PackWriter;
  readonly meter: Meter;
  /** Bytes that may be written this time; files that don't fit are left out and stay plain. */
  readonly room: number;
  /** Makes an entry that this account owns readable, durably noting what it was. */
  readonly widen: (dir: Dir, name: Buffer, stat: Stat, bits: number) => void;
  /** Whether a plain file's content is the sealed one's; null where identities can be trusted. */
  readonly sameContent: ((file: OpenFile, base: FileEntry) => boolean) | null;
  /** The folder's own attributes as they were before anything was touched. */
  readonly rootMeta: Meta;
  readonly rootName: Buffer;
  /** What the disk that the folder lies on holds. */
  readonly holding: Holding;
}

export interface SealedTree {
  readonly encoded: EncodedTree;
  readonly packs: ReadonlyMap<string, PackInfo>;
  /** What each plain entry was when it was taken, by entry number. */
  readonly identities: FileIds;
  readonly files: number;
  readonly bytes: number;
  /** False when every entry is as it was in the base, so no new generation is needed. */
  readonly changed: boolean;
  /** Files left plain for want of room. */
  readonly left: number;
  /** Files with hard links outside the folder: those keep the plain content. Paths for display. */
  readonly outsideLinks: readonly string[];
}

/** One file under several names. */
interface Group {
  readonly number: number;
  readonly nlink: number;
  readonly path: string;
  seen: number;
  sealed: FileEntry | null;
}

interface Sealing extends SealInput {
  readonly disk: Disk;
  readonly owners: Owners;
  readonly dev: bigint;
  /** The folder itself. */
  readonly top: Stat;
  readonly tree: TreeWriter;
  readonly identities: IdentityWriter;
  readonly wasteful: ReadonlySet<number>;
  /** The numbers of the base's packs in the new tree. */
  readonly kept: Map<number, number>;
  /** Hard links: of the plain tree by inode, of the base by group. */
  readonly groups: Map<bigint | number, Group>;
  changed: boolean;
  free: number;
  files: number;
  bytes: number;
  left: number;
}

interface Taken {
  readonly entry: Entry;
  readonly identity: FileId | null;
}

/**
 * Seals every file of a folder that is not the same as in `base`. @throws EremosError `changed-while-locking` |
 * `cancelled` | `special-files`
 */
export function sealTree(disk: Disk, dir: Dir, input: SealInput): SealedTree {
  const { base, writer } = input;
  const top = disk.statOpen(dir);
  const sealing: Sealing = {
    ...input,
    disk,
    owners: ownersOf(disk),
    dev: top.dev,
    top,
    tree: new TreeWriter(),
    identities: new IdentityWriter(),
    wasteful: base ? wastefulPacks(base.tree) : new Set(),
    kept: new Map(),
    groups: new Map(),
    changed: base === null,
    free: input.room,
    files: 0,
    bytes: 0,
    left: 0,
  };
  const before = base?.tree.root ?? null;
  if (before && !sameMeta(input.rootMeta, before.meta)) sealing.changed = true;
  const listing = sealDir(sealing, dir, before, NO_PATH);
  const packs = new Map<string, PackInfo>();
  for (const number of sealing.kept.keys()) {
    const pack = base?.tree.pack(number);
    if (pack) packs.set(pack.object, pack);
  }
  for (const pack of writer.finish()) packs.set(pack.object, pack);
  const { files, bytes, changed, left } = sealing;
  const encoded = sealing.tree.finish(
    { kind: "dir", name: input.rootName, meta: input.rootMeta, listing },
    packs,
    files,
    bytes,
  );
  const outsideLinks = [...sealing.groups.values()]
    .filter((group) => group.seen < group.nlink)
    .map((group) => group.path);
  return { encoded, packs, identities: sealing.identities.finish(), files, bytes, changed, left, outsideLinks };
}

function wastefulPacks(tree: TreeReader): Set<number> {
  const used = new Map<number, number>();
  const groups = new Set<number>();
  const count = (dir: DirEntry): void => {
    for (const entry of tree.list(dir).entries) {
      if (entry.kind === "dir") count(entry);
      if (entry.kind !== "file" || groups.has(entry.linkGroup)) continue;
      if (entry.linkGroup > 0) groups.add(entry.linkGroup);
      for (const { pack, length } of contentsOf(entry)) used.set(pack, (used.get(pack) ?? 0) + length);
    }
  };
  count(tree.root);
  return new Set(
    tree
      .table()
      .flatMap((pack, number) =>
        pack && (used.get(number) ?? 0) < pack.length * LEAST_USE - 64 * 1024 ? [number] : [],
      ),
  );
}

const NOTHING: Listing = { first: 0, entries: [] };

/** Takes a directory's entries in the order of their names, beside those of the base. */
function sealDir(sealing: Sealing, dir: Dir, base: DirEntry | null, path: Buffer): Span {
  const known = base && sealing.base ? sealing.base.tree.list(base) : NOTHING;
  const removing = removingFrom(sealing.disk, dir, sealing.disk.statOpen(dir));
  const taken: Taken[] = [];
  let next = 0;
  const leaveBehind = (): void => {
    const entry = known.entries[next++];
    if (entry && sealing.base?.mixed) taken.push({ entry: carry(sealing, entry), identity: null });
    else sealing.changed = true;
  };
  for (const name of sealing.disk.list(dir).sort(Buffer.compare)) {
    if (path.length === 0 && isNotContents(sealing.top, name)) continue;
    let order = compareAt(known, next, name);
    for (; order < 0; order = compareAt(known, next, name)) leaveBehind();
    const before = order === 0 ? known.entries[next] : undefined;
    const stat = sealing.disk.find(dir, name);
    if (!stat) continue;
    // What can't go afterwards is not sealed: half of it would stay readable.
    if (!removing(stat)) refuse({ ...NO_REFUSALS, unremovable: [shownPath(path, name)] });
    const entry = sealEntry(sealing, dir, name, stat, before ?? null, known.first + next, path);
    if (order === 0) next++;
    if (entry) taken.push(entry);
  }
  while (next < known.entries.length) leaveBehind();
  const listing = sealing.tree.listing(taken.map(({ entry }) => entry));
  for (const { identity } of taken) sealing.identities.add(identity);
  return listing;
}

/** Below 0 while the base's next entry comes before the name, 0 when it has the name. */
function compareAt(known: Listing, next: number, name: Buffer): number {
  const entry = known.entries[next];
  return entry ? Buffer.compare(entry.name, name) : 1;
}

function sealEntry(
  sealing: Sealing,
  dir: Dir,
  name: Buffer,
  stat: Stat,
  before: Entry | null,
  number: number,
  path: Buffer,
): Taken | null {
  if (stat.dev !== sealing.dev)
    refuse({ ...NO_REFUSALS, [stat.type === "dir" ? "mounts" : "layered"]: [shownPath(path, name)] });
  if (path.length > 0 && name.equals(OWN_DIR_NAME))
    refuse({ ...NO_REFUSALS, nested: [path.subarray(0, -1).toString("utf8")] });
  switch (stat.type) {
    case "file":
      return sealFile(sealing, dir, name, stat, before?.kind === "file" ? before : null, number, path);
    case "dir":
      return sealSubdir(sealing, dir, name, stat, before?.kind === "dir" ? before : null, path);
    case "link":
      return sealLink(sealing, dir, name, stat, before, path);
    default:
      return (refuse({ ...NO_REFUSALS, special: [shownPath(path, name)] }), null);
  }
}

function carriedFrom(
  { owners, holding }: Sealing,
  before: Entry | null,
): Pick<MetaOf, "owners" | "holding" | "before"> {
  return { owners, holding, before: before?.meta ?? null };
}

function sealLink(sealing: Sealing, dir: Dir, name: Buffer, stat: Stat, before: Entry | null, path: Buffer): Taken {
  const { disk } = sealing;
  const [target, xattrs] = openOrStop(
    () => [disk.readLink(dir, name), disk.linkXattrs(dir, name)] as const,
    path,
    name,
  );
  const meta = metaOf(stat, { ...carriedFrom(sealing, before), xattrs });
  if (before?.kind !== "link" || !sameMeta(meta, before.meta) || !target.equals(before.target)) sealing.changed = true;
  return { entry: { kind: "link", name, meta, target }, identity: fileIdOf(stat) };
}

const OWNER_READ = 0o400;
const OWNER_WRITE = 0o200;
const OWNER_ALL = 0o700;

function sealSubdir(
  sealing: Sealing,
  dir: Dir,
  name: Buffer,
  stat: Stat,
  before: DirEntry | null,
  path: Buffer,
): Taken {
  const { disk } = sealing;
  // A directory at the top is moved later, which rewrites its "..": it must be writable, too.
  const mustWiden = !disk.readable(dir, name, stat) || (path.length === 0 && (stat.mode & OWNER_WRITE) === 0);
  if (mustWiden) sealing.widen(dir, name, stat, OWNER_ALL);
  return within(
    disk,
    openOrStop(() => disk.openDir(dir, name), path, name),
    (inner) => {
      const now = mustWiden ? disk.statOpen(inner) : stat;
      if (path.length === 0 && !isMovable(disk, inner, now))
        refuse({ ...NO_REFUSALS, unremovable: [shownPath(path, name)] });
      const meta = metaOf(now, { ...carriedFrom(sealing, before), xattrs: disk.xattrs(inner), mode: stat.mode });
      const kept = sealing.base?.mixed && before ? before.meta : meta;
      if (!before || !sameMeta(kept, before.meta)) sealing.changed = true;
      const listing = sealDir(sealing, inner, before, pathInto(path, name));
      return { entry: { kind: "dir", name, meta: kept, listing }, identity: fileIdOf(now) };
    },
  );
}

function openOrStop<T>(open: () => T, path: Buffer, name: Buffer): T {
  try {
    return open();
  } catch (error) {
    const code = systemCode(error);
    if (code === "ENOENT" || code === "ELOOP" || code === "ENOTDIR" || code === "EINVAL")
      throw changedWhileLocking(shownPath(path, name));
    throw fromSystemError(error, said("reading", { name: shownPath(path, name) }));
  }
}

export function changedWhileLocking(shown: string): EremosError {
  return new EremosError("changed-while-locking", said("kept-changing-while-it-was", { shown }), { path: shown });
}

/** Access times are not compared: looking at a file changes them. */
function sameMeta(x: Meta, y: Meta): boolean {
  return (
    x.mode === y.mode &&
    x.uid === y.uid &&
    x.gid === y.gid &&
    x.mtimeNs === y.mtimeNs &&
    x.xattrs.length === y.xattrs.length &&
    x.xattrs.every(
      (xattr, i) =>
        xattr.name.equals(y.xattrs[i]?.name ?? NO_PATH) && xattr.value.equals(y.xattrs[i]?.value ?? NO_PATH),
    )
  );
}

/** An entry that is sealed and no longer in the plain tree, with everything below it. */
function carry(sealing: Sealing, entry: Entry): Entry {
  const { base } = sealing;
  if (!base || entry.kind === "link") return entry;
  if (entry.kind === "file") {
    count(sealing, entry);
    const group = entry.linkGroup > 0 ? groupOf(sealing, entry.linkGroup, 0, () => "").number : 0;
    return withContents(entry, (content) => keep(sealing, content), group);
  }
  const children = base.tree.list(entry).entries.map((child) => carry(sealing, child));
  const listing = sealing.tree.listing(children);
  for (const _ of children) sealing.identities.add(null);
  return { ...entry, listing };
}

function count(sealing: Sealing, entry: FileEntry): void {
  sealing.files++;
  sealing.bytes += entry.size;
}

function groupOf(sealing: Sealing, key: bigint | number, nlink: number, path: () => string): Group {
  const known = sealing.groups.get(key) ?? {
    number: sealing.groups.size + 1,
    nlink,
    path: path(),
    seen: 0,
    sealed: null,
  };
  known.seen++;
  sealing.groups.set(key, known);
  return known;
}

/** Where data that stays in a pack of the base lies in the new tree. */
function keep(sealing: Sealing, content: Content | null): Content | null {
  if (!content || !sealing.base) return null;
  let pack = sealing.kept.get(content.pack);
  if (pack === undefined) {
    pack = sealing.tree.packNumber(sealing.base.tree.pack(content.pack).object);
    sealing.kept.set(content.pack, pack);
  }
  const { offset, length, fingerprint } = content;
  return { pack, offset, length, fingerprint };
}

function sealFile(
  sealing: Sealing,
  dir: Dir,
  name: Buffer,
  stat: Stat,
  before: FileEntry | null,
  number: number,
  path: Buffer,
): Taken | null {
  const group = stat.nlink > 1 ? groupOf(sealing, stat.ino, stat.nlink, () => shownPath(path, name)) : null;
  const linkGroup = group?.number ?? 0;
  const stays = before && !(before.content && sealing.wasteful.has(before.content.pack));
  if (stays && isUnchanged(sealing, stat, before, number)) {
    // The status time says that owner, mode and attributes are the same, too.
    if (linkGroup !== before.linkGroup) sealing.changed = true;
    const entry = withContents(before, (content) => keep(sealing, content), linkGroup);
    count(sealing, entry);
    sealing.meter.add(1, stat.size);
    return { entry, identity: fileIdOf(stat) };
  }
  sealing.changed = true;
  const taken = takeFile(
    sealing,
    dir,
    name,
    stat,
    { linkGroup, twin: group?.sealed ?? null, before: stays ? before : null, last: before },
    path,
  );
  if (!taken) {
    sealing.left++;
    return null;
  }
  if (group && taken.entry.kind === "file") group.sealed = taken.entry;
  sealing.meter.add(1, 0);
  return taken;
}

/** Same device, inode, size, and times of content and status: the sealed data is still this file's. */
function isUnchanged(sealing: Sealing, stat: Stat, before: FileEntry, number: number): boolean {
  if (sealing.sameContent) return false;
  return (
    stat.size === before.size &&
    stat.mtimeNs === before.meta.mtimeNs &&
    (sealing.base?.identities?.has(number, stat) ?? false)
  );
}

interface Known {
  readonly linkGroup: number;
  /** Another name of the same file, sealed already. */
  readonly twin: FileEntry | null;
  /** The file of the same name in the base, if its data may be kept. */
  readonly before: FileEntry | null;
  /** The same, whether its data may be kept or not. */
  readonly last: FileEntry | null;
}

/**
 * Reads a file until it held still from before the first byte to after the last. Null when it has to be written and
 * there is no room.
 */
function takeFile(sealing: Sealing, dir: Dir, name: Buffer, seen: Stat, known: Known, path: Buffer): Taken | null {
  const { disk } = sealing;
  const mustWiden = !disk.readable(dir, name, seen);
  if (mustWiden) sealing.widen(dir, name, seen, OWNER_READ);
  let shownBytes = 0;
  for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
    const taken = withFile(
      disk,
      openOrStop(() => disk.openRead(dir, name), path, name),
      (file): Taken | "no-room" | null => {
        const before = disk.statOpen(file);
        if (before.type !== "file") throw changedWhileLocking(shownPath(path, name));
        const { last } = known;
        const entry = fileEntry({
          name,
          meta: metaOf(before, {
            ...carriedFrom(sealing, last),
            xattrs: disk.xattrs(file),
            ...(mustWiden ? { mode: seen.mode } : {}),
          }),
          size: before.size,
          linkGroup: known.linkGroup,
          extents: extentsOf(disk, file, before),
          ...(last && last.streams.length > 0
            ? { streams: last.streams.map((stream) => ({ ...stream, content: keep(sealing, stream.content) })) }
            : {}),
        });
        const content = contentOf(sealing, file, before, entry, known, path, (bytes) => {
          sealing.meter.add(0, Math.max(0, Math.min(bytes, seen.size) - shownBytes));
          shownBytes = Math.max(shownBytes, bytes);
        });
        if (content === "no-room") return content;
        if (content !== undefined && sameStat(before, disk.statOpen(file))) {
          if (!known.twin) sealing.free -= dataLength(entry) + BYTES_PER_ENTRY;
          count(sealing, entry);
          return { entry: { ...entry, content }, identity: fileIdOf(before) };
        }
        return null;
      },
    );
    if (taken) return taken === "no-room" ? null : taken;
  }
  throw changedWhileLocking(shownPath(path, name));
}

function sameStat(a: Stat, b: Stat): boolean {
  return a.size === b.size && a.mtimeNs === b.mtimeNs && a.ctimeNs === b.ctimeNs;
}

/** Only a file that uses fewer blocks than its size can have holes. */
function extentsOf(disk: Disk, file: OpenFile, stat: Stat): readonly Extent[] | null {
  return stat.blocks * 512 < stat.size ? disk.extents(file, stat.size) : null;
}

/** Where the file's data lies: null for a file without data, undefined when it ended early. */
function contentOf(
  sealing: Sealing,
  file: OpenFile,
  stat: Stat,
  entry: FileEntry,
  known: Known,
  path: Buffer,
  onBytes: (done: number) => void,
): Content | "no-room" | null | undefined {
  if (known.twin) return known.twin.content;
  const { before } = known;
  if (
    before &&
    sealing.base &&
    before.size === stat.size &&
    !entry.extents &&
    !before.extents &&
    sealing.sameContent?.(file, before)
  ) {
    return keep(sealing, before.content);
  }
  if (dataLength(entry) + BYTES_PER_ENTRY > sealing.free) return "no-room";
  return copyIn(sealing, file, entry, path, onBytes);
}

/** Holes are not stored. */
function dataLength(entry: FileEntry): number {
  return extentsOfEntry(entry).reduce((sum, extent) => sum + extent.length, 0);
}

function copyIn(
  sealing: Sealing,
  file: OpenFile,
  entry: FileEntry,
  path: Buffer,
  onBytes: (done: number) => void,
): Content | null | undefined {
  const extents = extentsOfEntry(entry);
  const length = dataLength(entry);
  if (length === 0) return null;
  let extentNumber = 0;
  let inExtent = 0;
  const written = sealing.writer.addFile(path, entry, length, (into, offset, room, done) => {
    const extent = extents[extentNumber];
    if (!extent) return 0;
    const count = sealing.disk.read(
      file,
      into,
      offset,
      Math.min(room, extent.length - inExtent),
      extent.offset + inExtent,
    );
    inExtent += count;
    if (inExtent === extent.length) {
      extentNumber++;
      inExtent = 0;
    }
    onBytes(done + count);
    return count;
  });
  return written
    ? {
        pack: sealing.tree.packNumber(written.object),
        offset: written.offset,
        length,
        fingerprint: written.fingerprint,
      }
    : undefined;
}
