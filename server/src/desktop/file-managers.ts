import * as path from "node:path";
import { ASKED_ACTS, type AskedAct } from "../calls/shapes/folders";
import { type DesktopFile, type DesktopHome, MARK } from "./desktop";
import { MARKS, extension, menu } from "./extension";
import { LOCKED_EMBLEM } from "./item-type";
import { entry, execLine, shellCommand } from "./started-from";
import { say } from "@eremos/words/server/desktop";

/** What a menu offers: lock, which is done at once; of the rest the page asks. */
export type MenuAct = "lock" | AskedAct;
export const MENU_ACTS: readonly MenuAct[] = ["lock", ...ASKED_ACTS];

/** What an entry is, as far as it shows without a password: nobody's, locked and in view, or open. */
type Standing = "plain" | "locked" | "open";

interface Offered {
  readonly act: MenuAct;
  readonly name: string;
  /** For which it is offered, where a menu can tell. */
  readonly fits: readonly Standing[];
}

const OFFERED: readonly Offered[] = [
  { act: "lock", name: say("lock-and-hide"), fits: ["plain"] },
  { act: "lock", name: say("lock-again"), fits: ["open"] },
  { act: "lock-own", name: say("lock-with-its-own-password"), fits: ["plain"] },
  { act: "open", name: say("open-it"), fits: ["locked"] },
  { act: "visit", name: say("visit-it"), fits: ["locked"] },
  { act: "put-in", name: say("put-into-a-locked-folder"), fits: ["plain"] },
  { act: "move-in", name: say("move-into-a-locked-folder"), fits: ["plain"] },
  { act: "hand-over", name: say("hand-it-over"), fits: ["plain", "locked", "open"] },
  { act: "release", name: say("release-it"), fits: ["locked", "open"] },
  { act: "remove", name: say("remove-it"), fits: ["locked", "open"] },
  { act: "overwrite", name: say("overwrite-and-remove-it"), fits: ["plain"] },
];

/** For menus that are the same whatever is selected: each act once. What does not fit says so. */
const FIXED = OFFERED.filter(({ act, name }) => OFFERED.find((one) => one.act === act)?.name === name);

/** File managers that are extended in Python; the module of each, and where it looks for extensions. */
const EXTENDED = [
  { module: "Nautilus", directory: "nautilus-python" },
  { module: "Caja", directory: "caja-python" },
  { module: "Nemo", directory: "nemo-python" },
] as const;

function extensions(home: DesktopHome, kind: "menu" | "marks", body: string): readonly DesktopFile[] {
  return EXTENDED.map(({ module, directory }) => {
    const where = path.join(home.dataHome, directory, "extensions");
    return {
      path: path.join(where, `eremos_${kind}.py`),
      mode: 0o644,
      content: extension(module, body),
      cachedIn: path.join(where, "__pycache__"),
    };
  });
}

/**
 * The menus of file managers: by an extension where one is loaded, which offers what fits; else by scripts, service
 * menus, and entries of *send to*.
 */
export function menuFiles(home: DesktopHome): readonly DesktopFile[] {
  const scripts = [
    path.join(home.dataHome, "nautilus", "scripts"),
    path.join(home.configHome, "caja", "scripts"),
    path.join(home.dataHome, "nemo", "scripts"),
  ];
  return [
    ...extensions(
      home,
      "menu",
      menu(
        home,
        OFFERED.map(({ act, name, fits }) => [act, name, fits]),
      ),
    ),
    ...scripts.flatMap((directory) =>
      FIXED.map(({ act, name }) => ({
        path: path.join(directory, "Eremos", name),
        mode: 0o755,
        content: script(home, act),
      })),
    ),
    ...FIXED.filter(({ fits }) => fits.includes("plain")).map(({ act, name }) => ({
      path: path.join(home.dataHome, "Thunar", "sendto", `eremos-${act}.desktop`),
      mode: 0o644,
      content: entry(home, MARK, ["menu", act, "%U"], [`Name=Eremos: ${name}`]),
    })),
    {
      path: path.join(home.dataHome, "kio", "servicemenus", "eremos.desktop"),
      mode: 0o755,
      content: serviceMenu(home),
    },
  ];
}

/** What shows in a file manager that a folder is locked: drawn whenever it is looked at, and kept nowhere. */
export function marksFiles(home: DesktopHome): readonly DesktopFile[] {
  return [
    ...extensions(home, "marks", MARKS),
    {
      path: path.join(home.dataHome, "icons", "hicolor", "scalable", "emblems", `${LOCKED_EMBLEM.icon}.svg`),
      mode: 0o644,
      content: `<!-- ${MARK} -->\n${LOCKED_EMBLEM.picture}\n`,
    },
  ];
}

/**
 * The names of the variables in which file managers give what is selected, an address a line: in addresses a line break
 * of a name is escaped, so that a name can't be read as two. They go on by standard input, since every account can read
 * the words of a command line.
 */
const SELECTED = ["NAUTILUS_SCRIPT_SELECTED_URIS", "CAJA_SCRIPT_SELECTED_URIS", "NEMO_SCRIPT_SELECTED_URIS"];

function script(home: DesktopHome, act: MenuAct): string {
  return `#!/bin/sh
# ${MARK}
printf '%s\\n' ${SELECTED.map((name) => `"\${${name}:-}"`).join(" ")} | grep '^file:///' | ${shellCommand(home)} menu ${act} -
`;
}

function serviceMenu(home: DesktopHome): string {
  const actions = FIXED.map(
    ({ act, name }) => `\n[Desktop Action ${act}]\nName=${name}\nExec=${execLine(home, ["menu", act, "%U"])}\n`,
  );
  return `[Desktop Entry]
# ${MARK}
Type=Service
X-KDE-ServiceTypes=KonqPopupMenu/Plugin
X-KDE-Submenu=Eremos
MimeType=inode/directory;all/allfiles;
Actions=${FIXED.map(({ act }) => act).join(";")};
${actions.join("")}`;
}
