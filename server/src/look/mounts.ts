import * as fs from "node:fs";
import { type Disk, displayPath, isInPlaces, isMountPoint } from "@eremos/core";
/** Tables of what is mounted, in the form of proc_mounts(5), and the places within which a mount point counts. */
export interface Mounts {
  readonly mounts: readonly string[];
  readonly places: readonly string[];
}

export function readTables(tables: readonly string[]): string {
  return tables.map((table) => (fs.existsSync(table) ? fs.readFileSync(table, "utf8") : "")).join("\n");
}

/** Whether a drive is mounted at the path itself. */
export function isDrive(disk: Disk, mounts: Mounts, path: Buffer): boolean {
  return isMountPoint(disk, path) || mountsIn(mounts).includes(displayPath(path));
}

/** Mount points where folders may be protected. A space in one is written as \040. Source: proc_mounts(5). */
export function mountsIn({ mounts, places }: Mounts): string[] {
  return readTables(mounts)
    .split("\n")
    .flatMap((line) => {
      const mount = (line.split(" ")[1] ?? "").replace(/\\(\d{3})/g, (_all, octal: string) =>
        String.fromCharCode(Number.parseInt(octal, 8)),
      );
      return mount !== "" && isInPlaces(mount, places) ? [mount] : [];
    });
}
