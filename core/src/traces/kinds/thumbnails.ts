import { pathMeant } from "../visited";
import { beginnings, directoriesAt } from "../reading";
import { type Finding, entryOf, isOf } from "../trace";

const SIZES = ["normal", "large", "x-large", "xx-large"];
/** What is written about a picture stands before its pixels. */
const HEAD_BYTES = 16 * 1024;
const SIGNATURE = Buffer.from("89504e470d0a1a0a", "hex");

/**
 * Small pictures of files, and notes that one could not be made: each says in itself of which file it is, also where
 * that was renamed or moved since. Source: freedesktop.org Thumbnail Managing Standard.
 */
export function findThumbnails({ disk, home, folder, found }: Finding): void {
  for (const cache of [entryOf(home.cacheHome, "thumbnails"), entryOf(home.home, ".thumbnails")]) {
    const pictures = SIZES.map((size) => entryOf(cache, size));
    const failed = directoriesAt(disk, entryOf(cache, "fail"));
    for (const directory of [...pictures, ...failed])
      for (const { path, bytes } of beginnings(disk, directory, HEAD_BYTES)) {
        const of = pathMeant(home, textIn(bytes, "Thumb::URI") ?? "");
        if (of && isOf(folder, of))
          found({
            kind: "thumbnails",
            where: path,
            what: of,
            gives: failed.includes(directory) ? "name" : "picture",
            isSure: true,
            spot: { as: "file" },
          });
      }
  }
}

/** A text that a picture carries; null for what is no picture, or carries none. PNG specification, "tEXt". */
function textIn(png: Buffer, keyword: string): string | null {
  if (!png.subarray(0, SIGNATURE.length).equals(SIGNATURE)) return null;
  for (let at = SIGNATURE.length; at + 8 <= png.length;) {
    const length = png.readUInt32BE(at);
    const type = png.toString("latin1", at + 4, at + 8);
    const data = png.subarray(at + 8, at + 8 + length);
    const end = data.indexOf(0);
    if (type === "tEXt" && end >= 0 && data.toString("latin1", 0, end) === keyword)
      return data.toString("latin1", end + 1);
    if (type === "IDAT" || type === "IEND") return null;
    at += 12 + length;
  }
  return null;
}
