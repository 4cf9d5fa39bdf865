import { ByteWriter } from "../../format/byte-stream";
import type { ContentKeys, Purpose } from "../../format/object";
import { type FileEntry, type PackInfo, writePackRecord } from "../../format/tree";
import type { Dir, Disk } from "../../platform/port";
import { ObjectWriter } from "../records";

/** Files below this share packs; larger ones have one of their own, so that a change costs only that file. */
const SMALL_FILE_BYTES = 1024 * 1024;
/** A shared pack is closed when it reaches this. */
const PACK_BYTES = 8 * 1024 * 1024;

/** Puts up to `room` bytes of a file into `into` at `offset`; `done` are there already. Returns how many it put. */
type ReadInto = (into: Buffer, offset: number, room: number, done: number) => number;

interface Place {
  readonly object: string;
  /** Of the data, in the pack's plaintext. */
  readonly offset: number;
  /** Of the data. */
  readonly fingerprint: Buffer;
}

/** Puts files' data into packs. FORMAT.md §5.5. */
export class PackWriter {
  private shared: ObjectWriter | null = null;
  private readonly record = new ByteWriter();
  private readonly finished: PackInfo[] = [];

  constructor(
    private readonly disk: Disk,
    private readonly ownDir: Dir,
    private readonly keys: ContentKeys,
    private readonly purpose: Purpose,
  ) {}

  /**
   * Writes one file: its record, then `length` bytes that `read` delivers in order (returning 0 when the file ended
   * early). Returns where the data lies, or null when the file delivered fewer bytes than announced.
   */
  addFile(directory: Buffer, entry: FileEntry, length: number, read: ReadInto): Place | null {
    if (length < SMALL_FILE_BYTES) return this.writeRecord(this.sharedObject(length), directory, entry, length, read);
    const own = this.newObject();
    try {
      const place = this.writeRecord(own, directory, entry, length, read);
      this.finished.push(own.finish());
      return place;
    } finally {
      own.close();
    }
  }

  private writeRecord(
    writer: ObjectWriter,
    directory: Buffer,
    entry: FileEntry,
    length: number,
    read: ReadInto,
  ): Place | null {
    this.record.reset();
    writePackRecord(this.record, writer.marker, directory, entry, length);
    writer.append(this.record.finish());
    const offset = writer.length;
    const { fingerprint } = this.keys;
    fingerprint.start();
    let done = 0;
    while (done < length) {
      const count = writer.fill(length - done, (into, at, room) => {
        const put = read(into, at, room, done);
        fingerprint.add(into.subarray(at, at + put));
        return put;
      });
      if (count === 0) break;
      done += count;
    }
    return done === length ? { object: writer.header.object, offset, fingerprint: fingerprint.finish() } : null;
  }

  private newObject(): ObjectWriter {
    return new ObjectWriter(this.disk, this.ownDir, "pack", this.keys, this.purpose);
  }

  private sharedObject(length: number): ObjectWriter {
    if (this.shared && this.shared.length + length > PACK_BYTES) this.closeShared();
    this.shared ??= this.newObject();
    return this.shared;
  }

  private closeShared(): void {
    const { shared } = this;
    if (!shared) return;
    this.finished.push(shared.finish());
    this.shared = null;
  }

  finish(): readonly PackInfo[] {
    this.closeShared();
    return this.finished;
  }

  /** Lets go of what is still open; what was not finished is left for the journal to discard. */
  close(): void {
    this.shared?.close();
    this.shared = null;
  }
}
