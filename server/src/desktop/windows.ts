import { win32 as path } from "node:path";
import type { Level } from "../contract";
import {
  type Desktop,
  type DesktopFile,
  type DesktopHome,
  type DesktopPart,
  MARK,
  type SystemCommand,
} from "./desktop";
import { say } from "@eremos/words/server/desktop";

/**
 * Not yet proven on the real system: start menu, startup folder, registry, attributes and access lists by the system's
 * own commands.
 */
export const windows: Desktop = {
  isProven: false,
  opensItems: false,
  filesOf,
  commandsOf,
  refreshing: () => [],
  hiding,
  barring,
};

/** Folders and files get the same two entries. */
const CLASSES = [
  "HKEY_CURRENT_USER\\Software\\Classes\\Directory\\shell",
  "HKEY_CURRENT_USER\\Software\\Classes\\*\\shell",
];
const VERBS = [
  { key: "EremosLock", name: say("lock-with-eremos"), word: "lock" },
  { key: "EremosOpen", name: say("open-in-eremos"), word: "page" },
] as const;

function filesOf(part: DesktopPart, home: DesktopHome): readonly DesktopFile[] {
  const programs = path.join(home.configHome, "Microsoft", "Windows", "Start Menu", "Programs");
  switch (part) {
    case "applications":
      return [{ path: path.join(programs, "Eremos.cmd"), mode: 0o644, content: batch(home, "page") }];
    case "start":
      return [{ path: path.join(programs, "Startup", "Eremos.cmd"), mode: 0o644, content: batch(home, "serve") }];
    case "menu":
      return [{ path: registryFile(home), mode: 0o644, content: registry(home) }];
    case "marks":
      return [];
  }
}

function registryFile({ dataHome }: DesktopHome): string {
  return path.join(dataHome, "Eremos", "context-menu.reg");
}

function commandsOf(part: DesktopPart, on: boolean, home: DesktopHome): readonly SystemCommand[] {
  if (part !== "menu") return [];
  if (on) return [{ program: "reg.exe", words: ["import", registryFile(home)] }];
  return CLASSES.flatMap((shell) =>
    VERBS.map(({ key }) => ({ program: "reg.exe", words: ["delete", `${shell}\\${key}`, "/f"] })),
  );
}

/** Inside quotes a batch file still reads the percent sign. */
function batchWord(word: string): string {
  return `"${word.replaceAll("%", "%%")}"`;
}

function batch({ command, environment }: DesktopHome, word: string): string {
  const settings = Object.entries(environment).map(([name, value]) => `set "${name}=${value.replaceAll("%", "%%")}"`);
  return ["@echo off", `rem ${MARK}`, ...settings, `start "" /b ${command.map(batchWord).join(" ")} ${word}`, ""].join(
    "\r\n",
  );
}

/** In a registry file a string escapes backslash and quote. */
function registryString(text: string): string {
  return `"${text.replaceAll("\\", "\\\\").replaceAll('"', '\\"')}"`;
}

function registry({ command }: DesktopHome): string {
  const run = (word: string): string => `${command.map((part) => `"${part}"`).join(" ")} ${word} -- "%1"`;
  const keys = CLASSES.flatMap((shell) =>
    VERBS.map(
      ({ key, name, word }) =>
        `[${shell}\\${key}]\r\n@=${registryString(name)}\r\n\r\n[${shell}\\${key}\\command]\r\n@=${registryString(run(word))}\r\n`,
    ),
  );
  return `Windows Registry Editor Version 5.00\r\n; ${MARK}\r\n\r\n${keys.join("\r\n")}`;
}

function hiding(target: string, on: boolean): readonly SystemCommand[] {
  return [{ program: "attrib.exe", words: [on ? "+h" : "-h", target, "/l"] }];
}

/** Rights as icacls names them; whoever has none is not named at all. */
const RIGHTS: Readonly<Record<Level, string | null>> = {
  nothing: null,
  list: "(OI)(CI)(RD,REA,RA,RC,S)",
  read: "(OI)(CI)RX",
  change: "(OI)(CI)(RX,WD,AD,WEA,WA)",
  everything: "(OI)(CI)F",
};
/** Everybody, by the identifier that is the same in every language. */
const EVERYBODY = "*S-1-1-0";

function barring(
  target: string,
  bars: { readonly others: Level; readonly own: Level } | null,
  saved: string,
  { account }: DesktopHome,
): readonly SystemCommand[] {
  const icacls = (...words: string[]): SystemCommand => ({ program: "icacls.exe", words });
  if (bars === null) return [icacls(path.dirname(target), "/restore", saved, "/q")];
  // Its owner keeps the right to change the list, which is how it is opened again.
  const own = RIGHTS[bars.own] ?? "(RC,WDAC)";
  const others = RIGHTS[bars.others];
  return [
    icacls(target, "/save", saved, "/t", "/q"),
    icacls(
      target,
      "/inheritance:r",
      "/grant:r",
      `${account}:${own}`,
      ...(others === null ? [] : [`${EVERYBODY}:${others}`]),
      "/q",
    ),
  ];
}
