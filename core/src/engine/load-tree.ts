import { EremosError } from "../errors/eremos-error";
import type { Generation } from "../format/generation";
import { type Tree, decodeTree } from "../format/tree";
import type { Dir, Disk } from "../platform/port";
import type { FolderKeys } from "./keys";
import { ObjectReader } from "./object-io";

/** Reads a generation's index, checked against the digest in its record. @throws EremosError `damaged` */
export function loadTree(disk: Disk, vault: Dir, generation: Generation, keys: FolderKeys): Tree {
  const { index } = generation;
  const reader = new ObjectReader(disk, vault, "index", generation.folder, (name) => keys.content(name), { object: index.object, length: index.length });
  try {
    if (!reader.hasDigest(Buffer.from(index.digest, "base64url"))) {
      throw new EremosError("damaged", "The folder's index is not the one this generation was committed with.", { reason: "swapped" });
    }
    return decodeTree(reader.read(0, index.length), index.record);
  } finally {
    reader.close();
  }
}

export function packReader(disk: Disk, vault: Dir, folder: string, tree: Tree, keys: FolderKeys, object: string): ObjectReader {
  const info = tree.packs.get(object);
  if (!info) throw new EremosError("damaged", "The folder's index refers to a pack that is not in its table.");
  return new ObjectReader(disk, vault, "pack", folder, (name) => keys.content(name), info);
}
