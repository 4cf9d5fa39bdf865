import { percentDecoded } from "../../engine/ground";
import { ordinaryPath, pathMeant } from "../visited";
import { beginnings, listAt } from "../reading";
import type { TraceKind } from "../../format/choices";
import { type Finding, entryOf, isOf } from "../trace";
import { AS_ELEMENTS, elementsIn } from "../entries";
import { say } from "@eremos/words/core/traces";

/**
 * The files that were opened last: the desktop's list, and an entry of its own for each in the other big desktop.
 * Sources: freedesktop.org Desktop Bookmark Specification; Desktop Entry Specification, type Link.
 */
export function findRecent(finding: Finding): void {
  const { home, dataHome } = finding.home;
  for (const list of [entryOf(dataHome, "recently-used.xbel"), entryOf(home, ".recently-used.xbel")])
    findInBookmarkList(finding, "recent", list);
  findLinks(finding, entryOf(dataHome, "RecentDocuments"));
}

/** In a list of bookmarks, which others than the recent files are kept in, too. */
export function findInBookmarkList(finding: Finding, kind: TraceKind, list: Buffer): void {
  const { home, folder, found, trouble } = finding;
  const bytes = listAt(finding, list);
  if (!bytes || bytes.length === 0) return;
  const elements = elementsIn(bytes);
  if (!elements) return trouble(list, say("is-no-list-that-can-be-read"));
  for (const { element, entry } of elements) {
    const href = element.name === "bookmark" ? element.attributes.get("href") : undefined;
    const path = href === undefined ? null : pathMeant(home, Buffer.from(href, "latin1").toString("utf8"));
    if (path && isOf(folder, path))
      found({ kind, where: list, what: path, gives: "name", isSure: true, spot: { ...AS_ELEMENTS, ...entry } });
  }
}

const LONGEST_LINK = 16 * 1024;

function findLinks({ disk, home, folder, found }: Finding, directory: Buffer): void {
  for (const { path, bytes } of beginnings(disk, directory, LONGEST_LINK)) {
    const url = /^URL(?:\[\$e\])?=(.*)$/m.exec(bytes.toString("utf8"))?.[1]?.trim() ?? "";
    const onDrive = pathMeant(home, url);
    const named = url
      .replace(/^file:(?:\/\/)?(?=\/|\$HOME)/, "")
      .replace(/^\$HOME(?=\/|$)/, home.home.toString("utf8"));
    const what = onDrive ?? ordinaryPath(home, percentDecoded(named));
    if ((onDrive || named.startsWith("/")) && isOf(folder, what))
      found({ kind: "recent", where: path, what, gives: "name", isSure: true, spot: { as: "file" } });
  }
}
