import { EremosError } from "../errors/eremos-error";
import { type DirEntry, type Entry, type FileEntry, type Listing, TreeReader } from "../format/tree";
import type { Disk } from "../platform/port";
import type { CheckInput } from "./check";
import { FolderKeys, requireVouched } from "./keys";
import { indexSource, openIndex, packReader } from "./load-tree";
import type { ObjectReader } from "./object-io";
import { PackReaders, extentsOfEntry } from "./restore-tree";
import { type HeldFolder, displayPath, holdFolder, letGo, loadGeneration, loadHeader, loadState } from "./vault";

/** Of the index, so much stays decrypted: 64 chunks of 64 KiB. */
const CACHED_INDEX_CHUNKS = 64;

/**
 * A sealed folder opened for reading, with nothing decrypted on disk. Only what is asked for is read and authenticated, so the first
 * byte of a file costs the same whatever the folder's size. Holds the folder, so that nothing else changes it meanwhile; close it.
 */
export class SealedReader {
  private readonly packs: PackReaders;

  private constructor(
    private readonly disk: Disk,
    private readonly folder: HeldFolder,
    private readonly keys: FolderKeys,
    private readonly index: ObjectReader,
    private readonly tree: TreeReader,
    id: string,
  ) {
    this.packs = new PackReaders((number) => packReader(disk, folder.vault, id, tree, keys, number));
  }

  /** @throws EremosError `not-locked` | `busy` | `damaged` | `unvouched` */
  static async open(disk: Disk, input: CheckInput): Promise<SealedReader> {
    const folder = holdFolder(disk, input.path, { create: false });
    let keys: FolderKeys | null = null;
    let index: ObjectReader | null = null;
    try {
      const state = loadState(disk, folder.vault);
      if (state?.state !== "sealed") throw new EremosError("not-locked", `${displayPath(input.path)} is not locked now. Nothing was touched.`);
      const { record: header } = loadHeader(disk, folder.vault, input.keptHeader);
      const { record: generation } = loadGeneration(disk, folder.vault, state.generation);
      keys = await FolderKeys.open(disk, folder.vault, header, input.access);
      requireVouched(generation, header, keys, input.access, false);
      index = openIndex(disk, folder.vault, generation, keys, CACHED_INDEX_CHUNKS);
      return new SealedReader(disk, folder, keys, index, new TreeReader(indexSource(index), generation.index.record), header.folder);
    } catch (error) {
      index?.close();
      keys?.wipe();
      letGo(disk, folder);
      throw error;
    }
  }

  get root(): DirEntry {
    return this.tree.root;
  }

  list(dir: DirEntry): Listing {
    return this.tree.list(dir);
  }

  /** The entry at a path of names below the root, or null. */
  find(path: readonly Buffer[]): Entry | null {
    let at: Entry | null = this.root;
    for (const name of path) at = at?.kind === "dir" ? this.tree.find(at, name) : null;
    return at;
  }

  /** Reads from `position` of a file into the whole of `into`; returns the bytes read, fewer only at the file's end. @throws EremosError `damaged` */
  read(file: FileEntry, position: number, into: Buffer): number {
    const end = Math.min(file.size, position + into.length);
    if (position >= end) return 0;
    into.fill(0, 0, end - position);
    let before = 0;
    for (const extent of extentsOfEntry(file)) {
      const from = Math.max(position, extent.offset);
      const to = Math.min(end, extent.offset + extent.length);
      if (from < to) this.readData(file, before + from - extent.offset, to - from, into.subarray(from - position));
      before += extent.length;
    }
    return end - position;
  }

  private readData({ content }: FileEntry, offset: number, length: number, into: Buffer): void {
    if (!content || offset + length > content.length) throw new EremosError("damaged", "The folder's index gives a file more data than it has.");
    let at = 0;
    this.packs.reader(content.pack).pieces(content.offset + offset, length, (piece) => {
      at += piece.copy(into, at);
    });
  }

  close(): void {
    this.packs.closeAll();
    this.index.close();
    this.keys.wipe();
    letGo(this.disk, this.folder);
  }
}
