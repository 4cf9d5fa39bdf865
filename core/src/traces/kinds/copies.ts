import type { Finding } from "../trace";

/**
 * Files elsewhere that hold what a file of the folder does, byte for byte: by size, then by the fingerprint in the
 * encrypted list. Whether such a file came from the folder nobody knows: it is the owner's to say.
 */
export function findCopies({ inside, found }: Finding): void {
  for (const { path, isCopy, its } of inside?.inPlaces() ?? [])
    if (isCopy)
      found({ kind: "copies", where: path, what: path, gives: "contents", isSure: false, spot: { as: "file", its } });
}
