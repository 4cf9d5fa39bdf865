import { EremosError } from "../../errors/eremos-error";
import { ByteWriter } from "../../format/byte-stream";
import type { Purpose } from "../../format/object";
import { type FileEntry, type Meta, fileEntry, writePackRecord } from "../../format/tree";
import type { Disk } from "../../platform/port";
import { type FolderKeys, ObjectReader, ObjectWriter, removeObject } from "../records";
import type { Data, FileNode } from "./visit-tree";
import type { HeldFolder } from "../ground";
import { said } from "@eremos/words/core/visiting";

/** A file whose length is not known beforehand is kept in memory up to this, then in an encrypted object of its own. */
const KEPT_IN_MEMORY = 1024 * 1024;

/**
 * A file that is being written, encrypted as it comes. It is nothing until it is finished and added; abort what is not.
 */
export class Upload {
  private writer: ObjectWriter | null = null;
  private offset = 0;
  private done = 0;
  private readonly kept: Buffer[] = [];

  constructor(
    private readonly disk: Disk,
    private readonly folder: HeldFolder,
    private readonly keys: FolderKeys,
    private readonly announce: () => Purpose,
    private readonly directory: Buffer,
    private readonly name: Buffer,
    private readonly meta: Meta,
    private readonly length: number | null,
  ) {}

  append(piece: Buffer): void {
    this.done += piece.length;
    if (this.length !== null && this.done > this.length) throw new EremosError("usage", said("more-was-sent-than-was"));
    if (this.length === null && !this.writer && this.done <= KEPT_IN_MEMORY) {
      this.kept.push(Buffer.from(piece));
      return;
    }
    if (!this.writer) {
      this.writer = this.begin(this.length);
      for (const earlier of this.kept) this.writer.append(earlier);
      this.forgetKept();
    }
    this.writer.append(piece);
  }

  /**
   * Where the length is not known, nothing stands before the data: the object is read once more to be written as a
   * pack.
   */
  private begin(length: number | null): ObjectWriter {
    const writer = new ObjectWriter(this.disk, this.folder.ownDir, "pack", this.keys.present, this.announce());
    if (length === null) return writer;
    const record = new ByteWriter();
    writePackRecord(record, writer.marker, this.directory, this.entry(length), length);
    writer.append(record.finish());
    this.offset = writer.length;
    return writer;
  }

  private entry(size: number): FileEntry {
    return fileEntry({ name: this.name, meta: this.meta, size });
  }

  /** @throws EremosError `usage` when less came than was announced */
  finish(): FileNode {
    if (this.length !== null && this.done !== this.length)
      throw new EremosError("usage", said("less-was-sent-than-was"));
    return {
      kind: "file",
      name: this.name,
      meta: this.meta,
      size: this.done,
      linkGroup: 0,
      extents: null,
      streams: [],
      data: this.done === 0 ? null : this.finishData(),
    };
  }

  private finishData(): Data {
    if (this.writer && this.length !== null) return this.finished(this.writer);
    const spool = this.writer;
    const info = spool?.finish();
    this.writer = this.begin(this.done);
    if (info) {
      const reader = new ObjectReader(
        this.disk,
        this.folder.ownDir,
        "pack",
        this.announce().folder,
        (name) => this.keys.content(name),
        info,
      );
      try {
        reader.pieces(0, info.length, (piece) => this.writer?.append(piece));
      } finally {
        reader.close();
        removeObject(this.disk, this.folder.ownDir, "pack", info.object);
      }
    }
    for (const piece of this.kept) this.writer.append(piece);
    this.forgetKept();
    return this.finished(this.writer);
  }

  private finished(writer: ObjectWriter): Data {
    const pack = writer.finish();
    this.writer = null;
    return { pack, offset: this.offset, length: this.done, fingerprint: null };
  }

  private forgetKept(): void {
    for (const piece of this.kept.splice(0)) piece.fill(0);
  }

  abort(): void {
    this.forgetKept();
    const { writer } = this;
    if (!writer) return;
    this.writer = null;
    writer.close();
    removeObject(this.disk, this.folder.ownDir, "pack", writer.header.object);
  }
}
