import { damage } from "../../errors/eremos-error";
import { type Generation, type Segment, segmentsOf } from "../../format/generation";
import { sealedLength } from "../../format/object";
import { type FileEntry, type IndexSource, type PackInfo, TreeReader, sourceOf } from "../../format/tree";
import type { Dir, Disk, OpenFile } from "../../platform/port";
import { type FolderKeys, LONGEST_PIECE, ObjectReader, isFileWhole, loadManifest } from "../records";
import { type PackReaders, readContent } from "./restore-tree";
import { said } from "@eremos/words/core/contents";

/** An encrypted index: its segments one after the other. Listings are read when they are asked for. */
export class IndexReader implements IndexSource {
  readonly length: number;

  constructor(
    private readonly parts: readonly { readonly reader: ObjectReader; readonly used: number }[],
    private readonly onClose: () => void,
  ) {
    this.length = parts.reduce((sum, { used }) => sum + used, 0);
  }

  read(offset: number, length: number): Buffer {
    const pieces: Buffer[] = [];
    let start = 0;
    for (const { reader, used } of this.parts) {
      const [from, to] = [Math.max(offset, start), Math.min(offset + length, start + used)];
      if (from < to) pieces.push(reader.read(from - start, to - from));
      start += used;
    }
    return pieces.length === 1 && pieces[0] ? pieces[0] : Buffer.concat(pieces);
  }

  close(): void {
    this.onClose();
  }
}

/** Opens one segment of a generation's index. @throws EremosError `damaged` */
export function openSegment(
  disk: Disk,
  ownDir: Dir,
  { folder, manifest }: Generation,
  { object, header, length }: Segment,
  keys: FolderKeys,
  cachedChunks = 1,
): ObjectReader {
  if (keys.isShared) {
    const its = loadManifest(disk, ownDir, manifest).record.get(object);
    if (its?.kind !== "index" || !isFileWhole(disk, ownDir, "index", its))
      throw damage(said("folders-index-is-not-one"), {
        reason: "swapped",
      });
  }
  return segmentReader(disk, ownDir, folder, { object, header, length }, keys, cachedChunks);
}

export function segmentReader(
  disk: Disk,
  ownDir: Dir,
  folder: string,
  { object, header, length }: Omit<Segment, "used">,
  keys: FolderKeys,
  cachedChunks: number,
): ObjectReader {
  return new ObjectReader(
    disk,
    ownDir,
    "index",
    folder,
    (name) => keys.content(name),
    { object, header, length },
    cachedChunks,
  );
}

/** A generation's index. Close it. @throws EremosError `damaged` */
export function openIndex(
  disk: Disk,
  ownDir: Dir,
  generation: Generation,
  keys: FolderKeys,
  cachedChunks = 1,
): IndexReader {
  const parts: { reader: ObjectReader; used: number }[] = [];
  const close = (): void => parts.forEach(({ reader }) => reader.close());
  try {
    for (const segment of segmentsOf(generation))
      parts.push({ reader: openSegment(disk, ownDir, generation, segment, keys, cachedChunks), used: segment.used });
    return new IndexReader(parts, close);
  } catch (error) {
    close();
    throw error;
  }
}

export interface LoadedTree {
  readonly tree: TreeReader;
  /** The index's plaintext. */
  readonly bytes: Buffer;
}

/** A generation's whole index in memory. @throws EremosError `damaged` */
export function loadTree(disk: Disk, ownDir: Dir, generation: Generation, keys: FolderKeys): LoadedTree {
  const reader = openIndex(disk, ownDir, generation, keys);
  try {
    const bytes = reader.read(0, reader.length);
    return { bytes, tree: new TreeReader(sourceOf(bytes), generation.index.record) };
  } finally {
    reader.close();
  }
}

/** @throws EremosError `damaged` */
export function packReader(
  disk: Disk,
  ownDir: Dir,
  folder: string,
  tree: TreeReader,
  keys: FolderKeys,
  number: number,
): ObjectReader {
  return openPack(disk, ownDir, folder, tree.pack(number), keys);
}

/**
 * Where others hold the folder's key, too, a pack that decrypts may be theirs: then its whole file has to be the one
 * that the index names.
 * @throws EremosError `damaged`
 */
export function openPack(disk: Disk, ownDir: Dir, folder: string, pack: PackInfo, keys: FolderKeys): ObjectReader {
  if (keys.isShared && !isFileWhole(disk, ownDir, "pack", { ...pack, length: sealedLength(pack.length) }))
    throw damage(said("encrypted-file-is-not-one"), { reason: "swapped" });
  return new ObjectReader(disk, ownDir, "pack", folder, (name) => keys.content(name), pack);
}

/** Compares a plain file byte for byte with a sealed one of the same size. */
export function contentComparer(disk: Disk, packs: PackReaders): (file: OpenFile, entry: FileEntry) => boolean {
  const plain = Buffer.alloc(LONGEST_PIECE);
  return (file, entry) => {
    let same = true;
    readContent(packs, entry, (piece, position) => {
      same &&=
        disk.read(file, plain, 0, piece.length, position) === piece.length &&
        plain.subarray(0, piece.length).equals(piece);
    });
    return same;
  };
}
