import type { Finding } from "../trace";

/** Programs that hold something of the folder open, also what was removed since: they can go on reading it. */
export function findPrograms({ disk, folder, found }: Finding): void {
  for (const { program, pid, paths } of disk.holders(folder))
    for (const path of new Set(paths))
      found({
        kind: "programs",
        where: Buffer.from(`${program} (${pid})`),
        what: Buffer.from(path),
        gives: "contents",
        isSure: true,
        spot: null,
      });
}
