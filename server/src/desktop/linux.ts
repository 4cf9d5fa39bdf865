import * as path from "node:path";
import { type Desktop, type DesktopFile, type DesktopHome, type DesktopPart, MARK } from "./desktop";
import { say } from "@eremos/words/server/desktop";

/** Plain files by the freedesktop.org conventions, in the account's own directories. */
export const linux: Desktop = {
  isProven: true,
  filesOf,
  commandsOf: () => [],
  hiding: () => [],
  barring: () => [],
};

function filesOf(part: DesktopPart, home: DesktopHome): readonly DesktopFile[] {
  switch (part) {
    case "applications":
      return [
        {
          path: path.join(home.dataHome, "applications", "eremos.desktop"),
          mode: 0o644,
          content: entry(
            home,
            ["page"],
            ["Name=Eremos", `Comment=${say("hides-and-locks")}`, "Categories=Utility;Security;"],
          ),
        },
      ];
    case "start":
      return [
        {
          path: path.join(home.configHome, "autostart", "eremos.desktop"),
          mode: 0o644,
          content: entry(
            home,
            ["serve"],
            ["Name=Eremos", `Comment=${say("locks-what-was-left-open")}`, "NoDisplay=true"],
          ),
        },
      ];
    case "menu":
      return menuFiles(home);
  }
}

/** File managers that run scripts on what is selected, and those that read service files. */
function menuFiles(home: DesktopHome): readonly DesktopFile[] {
  const scripts = [
    path.join(home.dataHome, "nautilus", "scripts"),
    path.join(home.configHome, "caja", "scripts"),
    path.join(home.dataHome, "nemo", "scripts"),
  ];
  const verbs = [
    { name: say("lock-with-eremos"), word: "lock" },
    { name: say("open-in-eremos"), word: "page" },
  ] as const;
  return [
    ...scripts.flatMap((directory) =>
      verbs.map(({ name, word }) => ({ path: path.join(directory, name), mode: 0o755, content: script(home, word) })),
    ),
    {
      path: path.join(home.dataHome, "kio", "servicemenus", "eremos.desktop"),
      mode: 0o755,
      content: serviceMenu(home),
    },
  ];
}

/** A word as the shell reads it back unchanged. */
function shellWord(word: string): string {
  return `'${word.replaceAll("'", "'\\''")}'`;
}

function shellCommand({ command, environment }: DesktopHome): string {
  const settings = Object.entries(environment).map(([name, value]) => `${name}=${shellWord(value)}`);
  return [...(settings.length > 0 ? ["env", ...settings] : []), ...command.map(shellWord)].join(" ");
}

/**
 * The names of the variables in which file managers give what is selected, an address a line: in addresses a line break
 * of a name is escaped, so that a name can't be read as two. They go on by standard input, since every account can read
 * the words of a command line.
 */
const SELECTED = ["NAUTILUS_SCRIPT_SELECTED_URIS", "CAJA_SCRIPT_SELECTED_URIS", "NEMO_SCRIPT_SELECTED_URIS"];

function script(home: DesktopHome, word: "lock" | "page"): string {
  return `#!/bin/sh
# ${MARK}
tell() {
  if command -v notify-send > /dev/null 2>&1; then notify-send -- Eremos "$1"; else printf '%s\\n' "$1"; fi
}
printf '%s\\n' ${SELECTED.map((name) => `"\${${name}:-}"`).join(" ")} | while IFS= read -r address; do
  case "$address" in file:///*) ;; *) continue ;; esac
  said=$(printf '%s\\n' "$address" | ${shellCommand(home)} ${word} --path-stdin 2>&1)
  tell "$said"
done
`;
}

/** A word of an Exec line: quoted, with what is special there escaped. Desktop Entry Specification, "The Exec key". */
function execWord(word: string): string {
  return `"${word
    .replaceAll("\\", "\\\\\\\\")
    .replace(/(["`$])/g, "\\\\$1")
    .replaceAll("%", "%%")}"`;
}

function execLine({ command, environment }: DesktopHome, words: readonly string[]): string {
  const settings = Object.entries(environment).map(([name, value]) => `${name}=${value}`);
  return [...(settings.length > 0 ? ["env", ...settings] : []), ...command].map(execWord).concat(words).join(" ");
}

function entry(home: DesktopHome, words: readonly string[], lines: readonly string[]): string {
  return `[Desktop Entry]\n# ${MARK}\nType=Application\nExec=${execLine(home, words)}\nTerminal=false\n${lines.join("\n")}\n`;
}

function serviceMenu(home: DesktopHome): string {
  const action = (id: string, name: string, word: string): string =>
    `\n[Desktop Action ${id}]\nName=${name}\nExec=${execLine(home, [word, "--", "%u"])}\n`;
  return `[Desktop Entry]\n# ${MARK}\nType=Service\nMimeType=inode/directory;application/octet-stream;\nActions=lock;open;\n${action("lock", say("lock-with-eremos"), "lock")}${action("open", say("open-in-eremos"), "page")}`;
}
