import { isName } from "../../format/tree";
import { joinPath, percentDecoded } from "../../engine/ground";
import { beginnings, isOwnDirectoryAt } from "../reading";
import { type Finding, type TraceHome, entryOf, isOf } from "../trace";

const LONGEST_NOTE = 16 * 1024;

/**
 * What lay in the folder and was put into the trash, of the home or of a drive, where it stays readable. Source:
 * freedesktop.org Trash specification 1.0.
 */
export function findTrashed({ disk, home, folder, found }: Finding): void {
  for (const { trash, top } of trashesWithTops(home)) {
    // On a drive that others may write, one with this account's name can be theirs.
    if (top !== null && !isOwnDirectoryAt(disk, trash)) continue;
    for (const { name, bytes } of beginnings(disk, entryOf(trash, "info"), LONGEST_NOTE)) {
      const noted = /^Path=(.*)$/m.exec(bytes.toString("latin1"))?.[1];
      const entry = /^(.+)\.trashinfo$/s.exec(name.toString("latin1"))?.[1];
      if (noted === undefined || entry === undefined) continue;
      const path = percentDecoded(Buffer.from(noted, "latin1").toString("utf8"));
      const what = top === null || path[0] === 0x2f ? path : joinPath(top, path);
      const trashed = Buffer.from(entry, "latin1");
      if (isName(trashed) && isOf(folder, what))
        found({
          kind: "trash",
          where: joinPath(entryOf(trash, "files"), trashed),
          what,
          gives: "contents",
          isSure: true,
          spot: { as: "trashed", trash, name: trashed },
        });
    }
  }
}

function trashesWithTops(home: TraceHome): { readonly trash: Buffer; readonly top: Buffer | null }[] {
  return [
    { trash: entryOf(home.dataHome, "Trash"), top: null },
    ...home.drives.flatMap((top) => [
      { trash: entryOf(top, ".Trash", String(home.uid)), top },
      { trash: entryOf(top, `.Trash-${home.uid}`), top },
    ]),
  ];
}

/** Where the trashes' files lie. */
export function trashesOf(home: TraceHome): Buffer[] {
  return trashesWithTops(home).map(({ trash }) => entryOf(trash, "files"));
}
