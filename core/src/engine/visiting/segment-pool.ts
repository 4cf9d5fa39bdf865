import { type Generation, type Segment, segmentsOf } from "../../format/generation";
import type { Dir, Disk } from "../../platform/port";
import { IndexReader, type WrittenSegment, openSegment, segmentReader } from "../contents";
import { type FolderKeys, type ObjectReader, loadManifest, removeObject } from "../records";

/**
 * Of an index, so much stays decrypted: 64 chunks of 64 KiB in a large segment, one in each that a change has added.
 */
const CACHED_CHUNKS = 64;
const LARGE_BYTES = 1024 * 1024;

interface Shared {
  readonly reader: ObjectReader;
  users: number;
}

/**
 * The segments of the indexes that a visit has open: states that follow one another share most of them. One that no
 * state has open any more goes, unless the visit began with it.
 */
export class SegmentPool {
  private readonly shared = new Map<string, Shared>();
  /** What stays, whoever has it open. */
  private readonly kept: Set<string>;
  private readonly begun: ReadonlySet<string>;

  constructor(
    private readonly disk: Disk,
    private readonly ownDir: Dir,
    private readonly generation: Generation,
    private readonly keys: FolderKeys,
  ) {
    this.begun = new Set(segmentsOf(generation).map(({ object }) => object));
    this.kept = new Set(this.begun);
  }

  /** Those that the visit began with, as the manifest knows them. @throws EremosError `damaged` */
  segments(): WrittenSegment[] {
    let manifest: ReturnType<typeof loadManifest>["record"] | null = null;
    return segmentsOf(this.generation).map((segment) => {
      const digest = (): Buffer => {
        manifest ??= loadManifest(this.disk, this.ownDir, this.generation.manifest).record;
        return manifest.get(segment.object)?.digest ?? Buffer.alloc(32);
      };
      // Whoever only looks needs none.
      return {
        ...segment,
        get digest() {
          return digest();
        },
      };
    });
  }

  /** Closing it lets the segments go that no other one has. */
  open(segments: readonly Segment[]): IndexReader {
    const opened: Segment[] = [];
    const close = (): void => opened.splice(0).forEach(({ object }) => this.letGo(object));
    try {
      const parts = segments.map((segment) => {
        const reader = this.use(segment);
        opened.push(segment);
        return { reader, used: segment.used };
      });
      return new IndexReader(parts, close);
    } catch (error) {
      close();
      throw error;
    }
  }

  private use(segment: Segment): ObjectReader {
    const known = this.shared.get(segment.object);
    if (known) {
      known.users++;
      return known.reader;
    }
    const chunks = segment.length > LARGE_BYTES ? CACHED_CHUNKS : 1;
    // What this visit wrote itself is in no manifest that it began with.
    const reader = this.begun.has(segment.object)
      ? openSegment(this.disk, this.ownDir, this.generation, segment, this.keys, chunks)
      : segmentReader(this.disk, this.ownDir, this.generation.folder, segment, this.keys, chunks);
    this.shared.set(segment.object, { reader, users: 1 });
    return reader;
  }

  private letGo(object: string): void {
    const its = this.shared.get(object);
    if (!its || --its.users > 0) return;
    its.reader.close();
    this.shared.delete(object);
    if (!this.kept.has(object)) removeObject(this.disk, this.ownDir, "index", object);
  }

  /** These may be what the folder's state on disk stands on: they stay for whoever next holds the folder. */
  keep(segments: readonly Segment[]): void {
    for (const { object } of segments) this.kept.add(object);
  }

  /** At the end: nothing is removed. */
  close(): void {
    for (const { reader } of this.shared.values()) reader.close();
    this.shared.clear();
  }
}
