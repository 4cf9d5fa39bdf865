import * as path from "node:path";
import { ITEM } from "@eremos/core";
import {
  type Desktop,
  type DesktopFile,
  type DesktopHome,
  type DesktopPart,
  type HowStarted,
  MARK,
  type SystemCommand,
} from "./desktop";
import { SYSTEM_COMMAND } from "./installation";
import { LOOK_AGAIN, unitCommands, userUnits } from "./user-units";
import { APPLICATION, ICON, ITEM_BEGINS, ITEM_TYPE } from "./item-type";
import { say } from "@eremos/words/server/desktop";

/** What a package puts among the applications of every account. */
export function systemWideFiles(): readonly DesktopFile[] {
  const mark = "Part of the package eremos; it goes with it.";
  return applicationFiles({ command: [SYSTEM_COMMAND], environment: {} }, "/usr/share", mark);
}

/** Plain files by the freedesktop.org conventions, in the account's own directories. */
export const linux: Desktop = {
  isProven: true,
  opensItems: true,
  filesOf,
  commandsOf: (part, on, { userManager }) =>
    part === "start" && userManager ? unitCommands(on, userManager.port) : [],
  refreshing,
  hiding: () => [],
  barring: () => [],
};

function filesOf(part: DesktopPart, home: DesktopHome): readonly DesktopFile[] {
  switch (part) {
    case "applications":
      return applicationFiles(home, home.dataHome, MARK);
    case "start":
      if (home.userManager) return userUnits(home, home.userManager.port);
      return [
        {
          path: path.join(home.configHome, "autostart", "eremos.desktop"),
          mode: 0o644,
          content: entry(
            home,
            MARK,
            ["serve"],
            ["Name=Eremos", `Comment=${say("locks-what-was-left-open")}`, "NoDisplay=true"],
          ),
        },
      ];
    case "menu":
      return menuFiles(home);
  }
}

/**
 * An application that the session's bus starts, so that what it opens is no word of a command line, and the file type
 * of the small file in a locked folder. Sources: freedesktop.org Desktop Entry and Shared MIME-info specifications;
 * dbus-daemon(1), "service files".
 */
function applicationFiles(home: HowStarted, dataHome: string, mark: string): readonly DesktopFile[] {
  return [
    {
      path: path.join(dataHome, "applications", `${APPLICATION}.desktop`),
      mode: 0o644,
      content: entry(
        home,
        mark,
        ["page"],
        [
          "Name=Eremos",
          `Icon=${APPLICATION}`,
          `Comment=${say("hides-and-locks")}`,
          "Categories=Utility;",
          "DBusActivatable=true",
          `MimeType=${ITEM_TYPE};`,
        ],
      ),
    },
    {
      path: path.join(dataHome, "dbus-1", "services", `${APPLICATION}.service`),
      mode: 0o644,
      content: `# ${mark}\n[D-BUS Service]\nName=${APPLICATION}\nExec=${shellCommand(home, "/usr/bin/env")} desktop\n`,
    },
    {
      path: path.join(dataHome, "mime", "packages", "eremos.xml"),
      mode: 0o644,
      content: `<?xml version="1.0" encoding="UTF-8"?>
<!-- ${mark} -->
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="${ITEM_TYPE}">
    <comment>${say("locked-by-eremos")}</comment>
    <generic-icon name="changes-prevent"/>
    <magic priority="90"><match type="string" offset="0" value="${ITEM_BEGINS.trim()}"/></magic>
    <glob pattern="${ITEM}" case-sensitive="true" weight="80"/>
  </mime-type>
</mime-info>
`,
    },
    {
      path: path.join(dataHome, "icons", "hicolor", "scalable", "apps", `${APPLICATION}.svg`),
      mode: 0o644,
      content: `<!-- ${mark} -->\n${ICON}\n`,
    },
  ];
}

function refreshing(part: DesktopPart, { dataHome, userManager }: DesktopHome): readonly SystemCommand[] {
  if (part === "start" && userManager) return [LOOK_AGAIN];
  return part === "applications" ? tablesAnew(dataHome) : [];
}

/** What the desktop reads instead of the files themselves, made anew. Source: update-mime-database(1). */
function tablesAnew(dataHome: string): readonly SystemCommand[] {
  return [
    { program: "update-mime-database", words: [path.join(dataHome, "mime")] },
    { program: "update-desktop-database", words: [path.join(dataHome, "applications")] },
  ];
}

/** What a menu offers for what is selected; `takes`: all of it at once, or one after the other. */
const MENU_VERBS = [
  { id: "lock", name: say("lock-with-eremos"), words: ["lock", "--from-desktop"], takes: "all" },
  { id: "open", name: say("open-in-eremos"), words: ["page", "--from-desktop"], takes: "each" },
  { id: "overwrite", name: say("overwrite-with-eremos"), words: ["page", "--overwrite"], takes: "each" },
] as const;
type MenuVerb = (typeof MENU_VERBS)[number];

/** File managers that run scripts on what is selected, and those that read service files. */
function menuFiles(home: DesktopHome): readonly DesktopFile[] {
  const scripts = [
    path.join(home.dataHome, "nautilus", "scripts"),
    path.join(home.configHome, "caja", "scripts"),
    path.join(home.dataHome, "nemo", "scripts"),
  ];
  return [
    ...scripts.flatMap((directory) =>
      MENU_VERBS.map((verb) => ({
        path: path.join(directory, verb.name),
        mode: 0o755,
        content: script(home, verb),
      })),
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

function shellCommand({ command, environment }: HowStarted, env = "env"): string {
  const settings = Object.entries(environment).map(([name, value]) => `${name}=${shellWord(value)}`);
  return [...(settings.length > 0 ? [env, ...settings] : []), ...command.map(shellWord)].join(" ");
}

/**
 * The names of the variables in which file managers give what is selected, an address a line: in addresses a line break
 * of a name is escaped, so that a name can't be read as two. They go on by standard input, since every account can read
 * the words of a command line.
 */
const SELECTED = ["NAUTILUS_SCRIPT_SELECTED_URIS", "CAJA_SCRIPT_SELECTED_URIS", "NEMO_SCRIPT_SELECTED_URIS"];

function script(home: DesktopHome, { words, takes }: MenuVerb): string {
  const command = `${shellCommand(home)} ${words.join(" ")}`;
  const done =
    takes === "all"
      ? `${command} - 2>&1`
      : `while IFS= read -r address; do printf '%s\\n' "$address" | ${command} - 2>&1; done`;
  return `#!/bin/sh
# ${MARK}
# One quiet notice at the end; a name in it is no markup.
tell() {
  [ -n "$1" ] || return 0
  if command -v notify-send > /dev/null 2>&1; then
    notify-send --urgency=low -- Eremos "$(printf '%s' "$1" | sed 's/&/\\&amp;/g; s/</\\&lt;/g; s/>/\\&gt;/g')"
  else
    printf '%s\\n' "$1"
  fi
}
selected=$(printf '%s\\n' ${SELECTED.map((name) => `"\${${name}:-}"`).join(" ")} | grep '^file:///')
[ -n "$selected" ] || exit 0
tell "$(printf '%s\\n' "$selected" | ${done})"
`;
}

/** A word of an Exec line: quoted, with what is special there escaped. Desktop Entry Specification, "The Exec key". */
function execWord(word: string): string {
  return `"${word
    .replaceAll("\\", "\\\\\\\\")
    .replace(/(["`$])/g, "\\\\$1")
    .replaceAll("%", "%%")}"`;
}

function execLine({ command, environment }: HowStarted, words: readonly string[]): string {
  const settings = Object.entries(environment).map(([name, value]) => `${name}=${value}`);
  return [...(settings.length > 0 ? ["env", ...settings] : []), ...command].map(execWord).concat(words).join(" ");
}

function entry(home: HowStarted, mark: string, words: readonly string[], lines: readonly string[]): string {
  return `[Desktop Entry]\n# ${mark}\nType=Application\nExec=${execLine(home, words)}\nTerminal=false\n${lines.join("\n")}\n`;
}

function serviceMenu(home: DesktopHome): string {
  const actions = MENU_VERBS.map(
    ({ id, name, words }) => `\n[Desktop Action ${id}]\nName=${name}\nExec=${execLine(home, [...words, "--", "%u"])}\n`,
  );
  return `[Desktop Entry]\n# ${MARK}\nType=Service\nMimeType=inode/directory;application/octet-stream;\nActions=${MENU_VERBS.map(({ id }) => id).join(";")};\n${actions.join("")}`;
}
