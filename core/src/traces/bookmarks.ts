import { pathInAddress } from "../engine/ground";
import { listAt } from "./reading";
import { findInBookmarkList } from "./recent";
import { type Finding, entryOf, isOf } from "./trace";

/** Places that file managers and their dialogs keep at hand: an address a line, and perhaps a name behind it. */
export function findBookmarks(finding: Finding): void {
  const { disk, home, folder, found } = finding;
  const lists = [
    entryOf(home.configHome, "gtk-3.0", "bookmarks"),
    entryOf(home.configHome, "gtk-4.0", "bookmarks"),
    entryOf(home.home, ".gtk-bookmarks"),
  ];
  for (const list of lists)
    for (const line of listAt(disk, list)?.toString("utf8").split("\n") ?? []) {
      const path = pathInAddress(line.split(" ")[0] ?? "");
      if (path && isOf(folder, path)) found({ kind: "bookmarks", where: list, what: Buffer.from(line), gives: "name" });
    }
  findInBookmarkList(finding, "bookmarks", entryOf(home.dataHome, "user-places.xbel"));
}
