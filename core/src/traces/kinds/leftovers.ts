import type { Finding } from "../trace";

/**
 * What programs that keep directories in step leave behind: a second version of a file where two were in conflict, parts
 * of one that was on its way, versions of before. They stand under the file's name and something more.
 */
export function findLeftovers({ inside, found }: Finding): void {
  for (const { path, name, isCopy, its } of inside?.inPlaces() ?? [])
    if (!isCopy && isLeftOf(name, inside?.names ?? new Set()))
      found({
        kind: "leftovers",
        where: path,
        what: path,
        gives: "contents",
        isSure: false,
        spot: { as: "file", its },
      });
}

const MARKS: readonly RegExp[] = [
  /[ ._-]*\((?:[^()]*\bconflict(?:ed)?\b[^()]*)\)/i,
  /[._-](?:sync-)?conflict[._-][0-9A-Za-z._-]*?(?=\.[^.]*$|$)/i,
  /~\d{8}-\d{6}/,
  /(?:\.(?:part|partial|tmp|!sync)|~)$/i,
];

/** Before the name of what is still on its way: a sign, and perhaps the program's own. */
const BEGINNING = /^(?:\.~|~|\.)/;
const PROGRAM = /^[a-z]+\./;

/** Whether a name is one of these with a mark that such programs put to it. */
export function isLeftOf(name: Buffer, names: ReadonlySet<string>): boolean {
  const text = name.toString("latin1");
  const bare = text.replace(BEGINNING, "");
  // A dot alone only hides a file.
  if (/^\.?~/.test(text) && names.has(bare)) return true;
  const forms = bare === text ? [text] : [text, bare, bare.replace(PROGRAM, "")];
  return forms.some((form) => MARKS.some((mark) => mark.test(form) && names.has(form.replace(mark, ""))));
}
