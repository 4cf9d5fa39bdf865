import { namesVisitOf, ordinaryPath } from "../visited";
import { AS_LINES, entriesOf, textLines } from "../entries";
import { listAt, namesAt } from "../reading";
import { wordsNaming } from "./shell";
import { type Finding, entryOf, isOf } from "../trace";

/**
 * What editors keep of a file that was edited: its whole or half of it in a swap, undo or backup file, which has the
 * file's path in its name, and positions in lists. Sources: vim's documentation, "directory", "undodir" and
 * "viminfo-file"; nanorc(5), "positionlog".
 */
export function findInEditors(finding: Finding): void {
  const { disk, home, folder, found } = finding;
  const kept = [entryOf(home.home, ".vim"), entryOf(home.stateHome, "vim"), entryOf(home.stateHome, "nvim")];
  for (const directory of kept.flatMap((one) => KEPT.map((name) => entryOf(one, name))))
    for (const { name, path } of namesAt(disk, directory)) {
      const named = pathIn(name);
      const what = named && ordinaryPath(home, named);
      if (what && isOf(folder, what))
        found({ kind: "editors", where: path, what, gives: "contents", isSure: true, spot: { as: "file" } });
    }
  const namedBy = wordsNaming(folder, home.home);
  const lists = [
    entryOf(home.home, ".viminfo"),
    entryOf(home.stateHome, "vim", "viminfo"),
    entryOf(home.dataHome, "nano", "filepos_history"),
    entryOf(home.home, ".nano", "filepos_history"),
  ];
  for (const list of lists)
    for (const { whole, start, bytes } of entriesOf(markedPlaces(listAt(finding, list)?.toString("latin1") ?? ""))) {
      const [line = ""] = textLines(whole);
      const isNamed = namedBy(line.trim()) === "path" || namedBy(placeOfLine(line)) === "path";
      if (isNamed || namesVisitOf(home, folder, line))
        found({
          kind: "editors",
          where: list,
          what: bytes,
          gives: "name",
          isSure: true,
          spot: { ...AS_LINES, start, bytes },
        });
    }
}

/** Lines, and with one that begins the marks of a file all of its marks: those begin with a tab. */
function markedPlaces(text: string): { whole: string }[] {
  const entries: { whole: string }[] = [];
  for (const line of textLines(text)) {
    const last = entries.at(-1);
    if (line.startsWith("\t") && last?.whole.startsWith("> ")) last.whole += line;
    else entries.push({ whole: line });
  }
  return entries;
}

const KEPT = ["swap", "undo", "undodir", "backup", "tmp"];
const SWAP = /\.sw[a-p]$/;

/** The path that a name stands for: every slash of it is a percent sign. */
function pathIn(name: Buffer): Buffer | null {
  const text = name.toString("latin1").replace(SWAP, "").replace(/~$/, "");
  return text.startsWith("%") ? Buffer.from(text.replaceAll("%", "/"), "latin1") : null;
}

/** A path with blanks in it, without what stands before and behind it in its line. */
function placeOfLine(line: string): string {
  const path = /(?:^|[\s>"])((?:~|\/)[^\n"]*?)(?: \d+ \d+)?"?\s*$/.exec(line)?.[1] ?? "";
  return `'${path.replaceAll("'", "")}'`;
}
