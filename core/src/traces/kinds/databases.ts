import { namesVisitOf } from "../visited";
import { fileAddress, splitPath } from "../../engine/ground";
import type { TraceKind } from "../../format/choices";
import { holdsAny, namesAt } from "../reading";
import { type Finding, entryOf } from "../trace";

/**
 * What the desktop keeps of files in databases of its own: positions, emblems and views; and its search indexes. They
 * are looked through for the folder's path and address. Nothing can be cut out of them; their programs can forget.
 */
export function findMetadata(finding: Finding): void {
  const { home, disk } = finding;
  const directory = entryOf(home.dataHome, "gvfs-metadata");
  // Each part of a path stands there by itself, between zero bytes.
  const name = Buffer.concat([Buffer.alloc(1), splitPath(finding.folder).name, Buffer.alloc(1)]);
  for (const { name: database, path } of namesAt(disk, directory)) {
    // Of a visit's drive it has a database of its own.
    if (namesVisitOf(home, finding.folder, database.toString("latin1")))
      finding.found({ kind: "metadata", where: path, what: database, gives: "name", isSure: true, spot: null });
    else holding(finding, "metadata", path, [name]);
  }
}

export function findIndexes(finding: Finding): void {
  const { home, disk, folder } = finding;
  const databases = [
    ...namesAt(disk, entryOf(home.cacheHome, "tracker3", "files")).map(({ path }) => path),
    ...namesAt(disk, entryOf(home.cacheHome, "localsearch")).map(({ path }) => path),
    ...namesAt(disk, entryOf(home.dataHome, "kactivitymanagerd", "resources")).map(({ path }) => path),
    entryOf(home.dataHome, "baloo", "index"),
    entryOf(home.dataHome, "zeitgeist", "activity.sqlite"),
  ];
  const visits = home.visited.filter((one) => one.folder.equals(folder)).map(({ name }) => Buffer.from(name));
  for (const database of databases)
    holding(finding, "indexes", database, [Buffer.from(fileAddress(folder)), folder, ...visits]);
}

function holding({ disk, folder, found }: Finding, kind: TraceKind, where: Buffer, needles: readonly Buffer[]): void {
  if (holdsAny(disk, where, needles)) found({ kind, where, what: folder, gives: "name", isSure: true, spot: null });
}
