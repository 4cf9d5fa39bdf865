import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { EremosError } from "@eremos/core";
import { spawnSync } from "node:child_process";
import {
  DESKTOP_PARTS,
  type Desktop,
  type DesktopFile,
  type DesktopHome,
  type DesktopPart,
  MARK,
  type SystemCommand,
} from "../../desktop/desktop";
import { commandOf } from "../../desktop/launcher";
import { linux } from "../../desktop/linux";
import { macos } from "../../desktop/macos";
import { windows } from "../../desktop/windows";
import type { Settings } from "../../settings";
import { said } from "@eremos/words/server/folders";

const DESKTOPS: Readonly<Partial<Record<NodeJS.Platform, Desktop>>> = { linux, darwin: macos, win32: windows };
const desktop = DESKTOPS[process.platform] ?? linux;

/** Which parts are there: every file of them, as Eremos writes it. */
export function desktopParts(settings: Settings): Readonly<Record<DesktopPart, boolean>> {
  const home = desktopHome(settings);
  const isThere = (part: DesktopPart): boolean =>
    desktop.filesOf(part, home).every(({ path: file }) => readOrNull(file)?.includes(MARK) ?? false);
  return { applications: isThere("applications"), start: isThere("start"), menu: isThere("menu") };
}

/** Adds a part, or takes it away. Never touches a file that is not Eremos' own. @throws EremosError `path-taken` */
export function setDesktopPart(settings: Settings, part: DesktopPart, on: boolean): void {
  const home = desktopHome(settings);
  const files = desktop.filesOf(part, home);
  const foreign = files.find(({ path: file }) => readOrNull(file)?.includes(MARK) === false);
  if (foreign && on)
    throw new EremosError("path-taken", said("is-there-already-and-not", { path: foreign.path }), {
      path: foreign.path,
    });
  if (!on) desktop.commandsOf(part, false, home).forEach(run);
  for (const file of files) {
    if (on) write(file);
    else if (readOrNull(file.path)?.includes(MARK)) fs.rmSync(file.path);
  }
  if (on) desktop.commandsOf(part, true, home).forEach(run);
  desktop.refreshing(part, home).forEach(run);
}

/** What a desktop does not know any more need not be taken away. */
function run({ program, words }: SystemCommand): void {
  spawnSync(program, words, { stdio: "ignore" });
}

/** Whether the desktop opens an item by Eremos. */
export function opensItems(settings: Settings): boolean {
  return desktop.opensItems && desktopParts(settings).applications;
}

export function setDesktop(settings: Settings, on: boolean): void {
  for (const part of DESKTOP_PARTS) setDesktopPart(settings, part, on);
}

function desktopHome({ home, program }: Settings): DesktopHome {
  const kept = Object.fromEntries(
    ["EREMOS_DATA", "EREMOS_PORT", "EREMOS_PLACES", "EREMOS_SYNCED", "EREMOS_MOUNTS"].flatMap((name) =>
      process.env[name] ? [[name, process.env[name]]] : [],
    ),
  );
  const { username, uid } = os.userInfo();
  return {
    home,
    account: username,
    uid,
    dataHome: process.env["XDG_DATA_HOME"] || path.join(home, ".local", "share"),
    configHome: process.env["XDG_CONFIG_HOME"] || path.join(home, ".config"),
    command: commandOf(program),
    environment: kept,
  };
}

function write({ path: file, mode, content }: DesktopFile): void {
  fs.mkdirSync(path.dirname(file), { recursive: true });
  const beside = `${file}.${os.hostname()}.${process.pid}.new`;
  fs.writeFileSync(beside, content, { mode });
  fs.chmodSync(beside, mode);
  fs.renameSync(beside, file);
}

function readOrNull(file: string): string | null {
  try {
    return fs.readFileSync(file, "utf8");
  } catch {
    return null;
  }
}
