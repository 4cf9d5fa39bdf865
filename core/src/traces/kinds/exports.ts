import { joinPath, splitPath, within } from "../../engine/ground";
import { namesAt, orNull } from "../reading";
import type { Finding, TraceHome } from "../trace";

/**
 * Files that Eremos itself made: found where they were put, under the name they had or another one. A package was made to
 * be kept by somebody: it goes when it is chosen, never with the rest.
 */
export function findExports({ disk, home, folder, found }: Finding): void {
  for (const { path, its, tellsOf, isPackage } of home.exports) {
    if (!tellsOf.some((one) => one.equals(folder))) continue;
    const { parent, name } = splitPath(path);
    const others = namesAt(disk, parent).map((one) => one.name);
    const there = [name, ...others].find((one) => isThere({ disk, parent, its }, one));
    if (!there) continue;
    const where = joinPath(parent, there);
    found({ kind: "exports", where, what: where, gives: "name", isSure: !isPackage, spot: { as: "file", its } });
  }
}

type At = Pick<Finding, "disk"> & Pick<TraceHome["exports"][number], "its"> & { readonly parent: Buffer };

function isThere({ disk, parent, its }: At, name: Buffer): boolean {
  const stat = orNull(() => within(disk, disk.openRoot(parent), (dir) => disk.find(dir, name)));
  return stat?.type === "file" && stat.dev === its.dev && stat.ino === its.ino;
}
