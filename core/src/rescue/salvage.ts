import type { ContentKeys, KeyName } from "../format/object";
import { type PackRecord, namesOf, newMeta, readPackRecord } from "../format/tree";
import { isEremosError } from "../errors/eremos-error";
import type { FileData, RescuedEntry } from "./entry";
import { SealedObject } from "./sealed-object";
import type { RescueSource } from "./source";
import { say } from "@eremos/words/core/rescue";

/** Marker and length of what follows. FORMAT.md §5.5. */
const RECORD_HEAD_BYTES = 20;
const DIRECTORY_META = newMeta({ mode: 0o755, uid: 0, gid: 0, mtimeNs: 0n, atimeNs: 0n });

export interface Salvaged {
  readonly entries: readonly RescuedEntry[];
  readonly problems: readonly string[];
}

interface Found {
  readonly record: PackRecord;
  readonly data: FileData | null;
  readonly generation: number;
}

/**
 * Files from the packs alone, for a folder whose index is lost: each pack tells its files' paths. Of files of one path
 * the newest keeps it; deleted files that still lie in a pack come back, too. Links, empty files and empty directories
 * are lost with the index. FORMAT.md §5.5.
 */
export async function salvage(
  source: RescueSource,
  folder: string,
  keys: (name: KeyName) => ContentKeys | null,
): Promise<Salvaged> {
  const found = new Map<string, Found>();
  const problems: string[] = [];
  for (const fan of await source.list(".eremos/packs")) {
    for (const hex of await source.list(`.eremos/packs/${fan}`)) {
      if (!/^[0-9a-f]{32}$/.test(hex)) continue;
      const object = hex;
      try {
        const pack = await SealedObject.open(source, "pack", folder, object, keys, null);
        try {
          const isWhole = await walk(pack, object, (one) => {
            const key = one.record.path.toString("latin1");
            const known = found.get(key);
            if (!known || known.generation <= one.generation) found.set(key, one);
          });
          if (!isWhole) problems.push(say("in-eremos-packs-beginning-file", { path: `.eremos/packs/${hex}` }));
        } finally {
          pack.close();
        }
      } catch (error) {
        if (!isEremosError(error)) throw error;
        problems.push(`.eremos/packs/${hex}: ${error.message}`);
      }
    }
  }
  return { entries: entriesOf(found), problems };
}

/** Calls `use` with each file of a pack; false where something between them could not be read. */
async function walk(pack: SealedObject, object: string, use: (found: Found) => void): Promise<boolean> {
  let isWhole = true;
  for (let at = 0; at < pack.length;) {
    const record = await recordAt(pack, at);
    if (!record) {
      isWhole = false;
      const next = await nextMarker(pack, at + 1);
      if (next === null) return false;
      at = next;
      continue;
    }
    const offset = at + record.recordLength;
    const data =
      record.length === 0
        ? null
        : { object, packLength: null, header: null, digest: null, offset, length: record.length };
    if (record.entry.kind === "file") use({ record, data, generation: pack.header.number });
    at = offset + record.length;
  }
  return isWhole;
}

async function recordAt(pack: SealedObject, at: number): Promise<PackRecord | null> {
  const head = await pack.read(at, RECORD_HEAD_BYTES);
  if (!head?.subarray(0, pack.marker.length).equals(pack.marker)) return null;
  const whole = await pack.read(at, RECORD_HEAD_BYTES + head.readUInt32LE(pack.marker.length));
  try {
    return whole && readPackRecord(pack.marker, (offset, length) => whole.subarray(offset, offset + length));
  } catch (error) {
    if (isEremosError(error) || error instanceof RangeError) return null;
    throw error;
  }
}

/** Where the next file begins behind something that can't be read. */
async function nextMarker(pack: SealedObject, from: number): Promise<number | null> {
  const { marker } = pack;
  let before = Buffer.alloc(0);
  for await (const { offset, bytes } of pack.pieces(from, pack.length - from)) {
    const text = bytes ? Buffer.concat([before, bytes]) : Buffer.alloc(0);
    const at = text.indexOf(marker);
    if (at >= 0) return offset - before.length + at;
    before = Buffer.from(text.subarray(Math.max(0, text.length - marker.length + 1)));
  }
  return null;
}

/** With the directories on the way to them. A path that is a file's and a directory's at once stays a directory's. */
function entriesOf(found: ReadonlyMap<string, Found>): RescuedEntry[] {
  const directories = new Map<string, RescuedEntry>();
  const files: RescuedEntry[] = [];
  for (const { record, data } of found.values()) {
    const path = namesOf(record.path);
    for (let depth = 1; depth < path.length; depth++) {
      const above = path.slice(0, depth);
      directories.set(keyOf(above), {
        kind: "dir",
        path: above,
        meta: DIRECTORY_META,
        size: 0,
        target: null,
        linkGroup: 0,
        extents: null,
        data: null,
      });
    }
    const { entry } = record;
    if (entry.kind === "file")
      files.push({
        kind: "file",
        path,
        meta: entry.meta,
        size: entry.size,
        target: null,
        linkGroup: 0,
        extents: entry.extents,
        data,
      });
  }
  return [...directories.values(), ...files.filter(({ path }) => !directories.has(keyOf(path)))];
}

function keyOf(path: readonly Buffer[]): string {
  return path.map((name) => name.toString("latin1")).join("/");
}
