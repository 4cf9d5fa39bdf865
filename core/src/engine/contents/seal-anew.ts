import { type Purpose, decodeObjectHeader } from "../../format/object";
import { type PackInfo, readPackRecord } from "../../format/tree";
import type { Dir, Disk } from "../../platform/port";
import { type FolderKeys, ObjectWriter } from "../records";
import { openPack } from "./load-tree";

/** A pack that holds what another one does, under the folder's present key. */
export interface Anew {
  readonly pack: PackInfo;
  /** Fingerprints of the files' contents under that key, by where they begin. */
  readonly fingerprints: ReadonlyMap<number, Buffer>;
}

/** Whether an object, by what its file begins with, is under a key of the folder's that has been replaced since. */
export function isOfEarlierEpoch(header: Buffer, epoch: number): boolean {
  return decodeObjectHeader(header).epoch < epoch;
}

/** Every file is where it was in the pack before. Not durable before the next barrier. @throws EremosError `damaged` */
export function sealPackAnew(disk: Disk, ownDir: Dir, before: PackInfo, keys: FolderKeys, purpose: Purpose): Anew {
  const reader = openPack(disk, ownDir, purpose.folder, before, keys);
  const writer = new ObjectWriter(disk, ownDir, "pack", keys.present, purpose);
  const fingerprints = new Map<number, Buffer>();
  const { fingerprint } = keys.present;
  try {
    for (let at = 0; at < before.length;) {
      const start = at;
      const { recordLength, length } = readPackRecord(reader.marker, (offset, count) =>
        reader.read(start + offset, count),
      );
      const record = reader.read(start, recordLength);
      writer.marker.copy(record);
      writer.append(record);
      fingerprint.start();
      reader.pieces(start + recordLength, length, (piece) => {
        fingerprint.add(piece);
        writer.append(piece);
      });
      fingerprints.set(start + recordLength, fingerprint.finish());
      at += recordLength + length;
    }
    return { pack: writer.finish(), fingerprints };
  } finally {
    writer.close();
    reader.close();
  }
}
