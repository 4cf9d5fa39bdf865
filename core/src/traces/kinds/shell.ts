import { namesVisitOf } from "../visited";
import { splitPath } from "../../engine/ground";
import { AS_LINES, entriesOf, textLines } from "../entries";
import { listAt } from "../reading";
import { type Finding, entryOf } from "../trace";

/** What was typed at a shell and names the folder, or anything below it. */
export function findInShells(finding: Finding): void {
  const { home, folder, found } = finding;
  const namedBy = wordsNaming(folder, home.home, finding.inside?.names ?? null);
  const histories = [
    { list: entryOf(home.home, ".bash_history"), cut: bashEntries },
    { list: entryOf(home.home, ".zsh_history"), cut: zshEntries },
    { list: entryOf(home.home, ".zhistory"), cut: zshEntries },
    { list: entryOf(home.home, ".histfile"), cut: zshEntries },
    { list: entryOf(home.dataHome, "fish", "fish_history"), cut: fishEntries },
  ];
  for (const { list, cut } of histories)
    for (const { typed, start, bytes } of entriesOf(cut(listAt(finding, list)?.toString("latin1") ?? ""))) {
      const by = namesVisitOf(home, folder, typed) ? "path" : namedBy(typed);
      const spot = { ...AS_LINES, start, bytes };
      if (by) found({ kind: "shell", where: list, what: bytes, gives: "name", isSure: by === "path", spot });
    }
}

interface Entry {
  /** As it stands in the file, with its time and its line break. */
  readonly whole: string;
  /** What was typed. */
  readonly typed: string;
}

const BASH_TIME = /^#\d+\n?$/;

/** A line each; where times are kept, all lines until the next time. Source: bash(1), HISTTIMEFORMAT. */
export function bashEntries(text: string): Entry[] {
  const lines = textLines(text);
  if (!lines.some((line) => BASH_TIME.test(line))) return lines.map((line) => ({ whole: line, typed: line }));
  const entries: { whole: string; typed: string }[] = [];
  for (const line of lines) {
    const last = entries.at(-1);
    if (BASH_TIME.test(line) || !last) entries.push({ whole: line, typed: BASH_TIME.test(line) ? "" : line });
    else {
      last.whole += line;
      last.typed += line;
    }
  }
  return entries;
}

/** A line that ends with a backslash goes on; bytes that stand for others follow one of 0x83. Source: zshmisc, zshoptions. */
export function zshEntries(text: string): Entry[] {
  const entries: Entry[] = [];
  let whole = "";
  for (const line of textLines(text)) {
    whole += line;
    if (/(?:^|[^\\])(?:\\\\)*\\\n$/.test(line)) continue;
    entries.push({ whole, typed: plain(whole) });
    whole = "";
  }
  return whole === "" ? entries : [...entries, { whole, typed: plain(whole) }];
}

function plain(whole: string): string {
  return whole
    .replace(/\u0083([^])/g, (_, byte: string) => String.fromCharCode(byte.charCodeAt(0) ^ 32))
    .replace(/^: \d+:\d+;/, "");
}

/** `- cmd:` and what belongs to it. Source: fish, fish_history(5). */
export function fishEntries(text: string): Entry[] {
  const entries: { whole: string; typed: string }[] = [];
  for (const line of textLines(text)) {
    const cmd = /^- cmd: (.*)$/s.exec(line)?.[1];
    const last = entries.at(-1);
    if (cmd !== undefined || !last) entries.push({ whole: line, typed: (cmd ?? "").replace(/\\(.)/g, "$1") });
    else {
      last.whole += line;
      last.typed += line;
    }
  }
  return entries;
}

/** A name shorter than this is a word of any line. */
export const SHORTEST_NAME = 4;
const HOME = /^(?:~|\$HOME|\$\{HOME\})(?=\/|$)/;

/**
 * Whether a line names the folder, or anything in it: by a whole path, which is sure, or by its name or that of one of
 * its files, which may be another's.
 */
export function wordsNaming(
  folder: Buffer,
  home: Buffer,
  names: ReadonlySet<string> | null = null,
): (typed: string) => "path" | "name" | null {
  const path = folder.toString("latin1");
  const name = splitPath(folder).name.toString("latin1");
  const isOne = (one: string): boolean => one.length >= SHORTEST_NAME && (one === name || (names?.has(one) ?? false));
  const namedBy = (word: string): "path" | "name" | null => {
    const expanded = word.replace(HOME, () => home.toString("latin1"));
    if (expanded.startsWith("/")) return expanded === path || expanded.startsWith(`${path}/`) ? "path" : null;
    return expanded.split("/").some(isOne) ? "name" : null;
  };
  return (typed) => {
    const by = shellWords(typed).flatMap((word) => [namedBy(word), namedBy(word.replace(/^[^=]*=/, ""))]);
    return by.includes("path") ? "path" : by.includes("name") ? "name" : null;
  };
}

const WORD = /(?:[^\s"'\\;&|()<>]|\\[^]|"(?:[^"\\]|\\[^])*(?:"|$)|'[^']*(?:'|$))+/g;
const PART = /\\([^])|"((?:[^"\\]|\\[^])*)(?:"|$)|'([^']*)(?:'|$)|[^]/g;

/** The words of a line, without what quotes them. Source: POSIX.1-2017, Shell Command Language, 2.2 and 2.3. */
export function shellWords(line: string): string[] {
  return (line.match(WORD) ?? []).map((word) =>
    word.replace(
      PART,
      (all, escaped?: string, double?: string, single?: string) =>
        escaped?.replace("\n", "") ?? double?.replace(/\\(["\\$`\n])/g, "$1") ?? single ?? all,
    ),
  );
}
