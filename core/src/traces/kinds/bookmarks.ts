import { pathMeant } from "../visited";
import { AS_LINES, linesIn } from "../entries";
import { listAt } from "../reading";
import { findInBookmarkList } from "./recent";
import { type Finding, entryOf, isOf } from "../trace";

/** Places that file managers and their dialogs keep at hand: an address a line, and perhaps a name behind it. */
export function findBookmarks(finding: Finding): void {
  const { home, folder, found } = finding;
  const lists = [
    entryOf(home.configHome, "gtk-3.0", "bookmarks"),
    entryOf(home.configHome, "gtk-4.0", "bookmarks"),
    entryOf(home.home, ".gtk-bookmarks"),
  ];
  for (const list of lists)
    for (const line of linesIn(listAt(finding, list))) {
      const path = pathMeant(home, line.bytes.toString("utf8").split(/[ \n]/)[0] ?? "");
      if (path && isOf(folder, path))
        found({
          kind: "bookmarks",
          where: list,
          what: line.bytes,
          gives: "name",
          isSure: true,
          spot: { ...AS_LINES, ...line },
        });
    }
  findInBookmarkList(finding, "bookmarks", entryOf(home.dataHome, "user-places.xbel"));
}
