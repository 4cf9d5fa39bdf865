import { damage } from "../../errors/eremos-error";
import type { PackInfo } from "../../format/tree";
import type { Dir, Disk } from "../../platform/port";
import type { FolderKeys, ObjectReader } from "../records";
import { openPack } from "../contents";
import type { FileNode } from "./visit-tree";
import { said } from "@eremos/words/core/visiting";

/** Packs stay open while their files are read; this many at a time. */
const OPEN_PACKS = 16;

/** Reads parts of files from the packs of a visited folder. */
export class PackedFiles {
  private readonly readers = new Map<string, ObjectReader>();

  constructor(
    private readonly disk: Disk,
    private readonly ownDir: Dir,
    private readonly folder: string,
    private readonly keys: FolderKeys,
  ) {}

  /**
   * Reads from `position` of a file into the whole of `into`; returns the bytes read, fewer only at the file's end.
   * @throws EremosError `damaged`
   */
  read(file: FileNode, position: number, into: Buffer): number {
    const end = Math.min(file.size, position + into.length);
    if (position >= end) return 0;
    into.fill(0, 0, end - position);
    let before = 0;
    for (const extent of file.extents ?? [{ offset: 0, length: file.size }]) {
      const from = Math.max(position, extent.offset);
      const to = Math.min(end, extent.offset + extent.length);
      if (from < to) this.readData(file, before + from - extent.offset, to - from, into.subarray(from - position));
      before += extent.length;
    }
    return end - position;
  }

  private readData({ data }: FileNode, offset: number, length: number, into: Buffer): void {
    if (!data || offset + length > data.length) throw damage(said("folders-index-gives-file-more"));
    let at = 0;
    this.readerOf(data.pack).pieces(data.offset + offset, length, (piece) => {
      at += piece.copy(into, at);
    });
  }

  private readerOf(pack: PackInfo): ObjectReader {
    const known = this.readers.get(pack.object);
    // The one used last goes last.
    if (known) this.readers.delete(pack.object);
    const reader = known ?? openPack(this.disk, this.ownDir, this.folder, pack, this.keys);
    this.readers.set(pack.object, reader);
    if (this.readers.size > OPEN_PACKS) {
      const [oldest] = this.readers;
      if (oldest) this.closeReader(oldest[0]);
    }
    return reader;
  }

  private closeReader(object: string): void {
    this.readers.get(object)?.close();
    this.readers.delete(object);
  }

  close(): void {
    for (const object of [...this.readers.keys()]) this.closeReader(object);
  }
}
