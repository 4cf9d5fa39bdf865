import { pathInAddress } from "../engine/ground";
import { fileAt } from "./reading";
import { findInBookmarkList } from "./recent";
import { type Finding, below, isOf } from "./trace";

/** Places that file managers and their dialogs keep at hand: an address a line, and perhaps a name behind it. */
export function findBookmarks(finding: Finding): void {
  const { disk, home, folder, found } = finding;
  const lists = [
    below(home.configHome, "gtk-3.0", "bookmarks"),
    below(home.configHome, "gtk-4.0", "bookmarks"),
    below(home.home, ".gtk-bookmarks"),
  ];
  for (const list of lists)
    for (const line of fileAt(disk, list)?.toString("utf8").split("\n") ?? []) {
      const path = pathInAddress(line.split(" ")[0] ?? "");
      if (path && isOf(folder, path)) found({ kind: "bookmarks", where: list, what: Buffer.from(line), gives: "name" });
    }
  findInBookmarkList(finding, "bookmarks", below(home.dataHome, "user-places.xbel"));
}
