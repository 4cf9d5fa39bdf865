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
import { marksFiles, menuFiles } from "./file-managers";
import { SYSTEM_COMMAND } from "./installation";
import { entry, shellCommand } from "./started-from";
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
    case "marks":
      return marksFiles(home);
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
