import { EremosError } from "../errors/eremos-error";
import type { Generation } from "../format/generation";
import { type FileEntry, type IndexSource, TreeReader, sourceOf } from "../format/tree";
import type { Dir, Disk, OpenFile } from "../platform/port";
import type { FolderKeys } from "./keys";
import { LONGEST_PIECE, ObjectReader } from "./object-io";
import { type PackReaders, readContent } from "./restore-tree";

/** An encrypted index, checked against the digest in its generation's record; listings are read when they are asked for. */
export function openIndex(
  disk: Disk,
  vault: Dir,
  generation: Generation,
  keys: FolderKeys,
  cachedChunks = 1,
): ObjectReader {
  const { index } = generation;
  const reader = new ObjectReader(
    disk,
    vault,
    "index",
    generation.folder,
    (name) => keys.content(name),
    { object: index.object, length: index.length },
    cachedChunks,
  );
  let isCommitted = false;
  try {
    isCommitted = reader.hasDigest(Buffer.from(index.digest, "base64url"));
  } finally {
    if (!isCommitted) reader.close();
  }
  if (isCommitted) return reader;
  throw new EremosError("damaged", "The folder's index is not the one this generation was committed with.", {
    reason: "swapped",
  });
}

export interface LoadedTree {
  readonly tree: TreeReader;
  /** The index's plaintext. */
  readonly bytes: Buffer;
}

/** A generation's whole index in memory. @throws EremosError `damaged` */
export function loadTree(disk: Disk, vault: Dir, generation: Generation, keys: FolderKeys): LoadedTree {
  const reader = openIndex(disk, vault, generation, keys);
  try {
    const bytes = reader.read(0, generation.index.length);
    return { bytes, tree: new TreeReader(sourceOf(bytes), generation.index.record) };
  } finally {
    reader.close();
  }
}

/** The encrypted index as a source: what was read lately stays decrypted. */
export function indexSource(reader: ObjectReader): IndexSource {
  return { length: reader.length, read: (offset, length) => reader.read(offset, length) };
}

/** @throws EremosError `damaged` */
export function packReader(
  disk: Disk,
  vault: Dir,
  folder: string,
  tree: TreeReader,
  keys: FolderKeys,
  number: number,
): ObjectReader {
  return new ObjectReader(disk, vault, "pack", folder, (name) => keys.content(name), tree.pack(number));
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
