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
} from "./desktop";
import { desktopHomeOf } from "./desktop-home";
import { linux } from "./linux";
import { macos } from "./macos";
import { windows } from "./windows";
import type { DesktopSigns } from "../protection";
import type { Settings } from "../settings";
import { said } from "@eremos/words/server/folders";

const DESKTOPS: Readonly<Partial<Record<NodeJS.Platform, Desktop>>> = { linux, darwin: macos, win32: windows };
const desktop = DESKTOPS[process.platform] ?? linux;

/** Which parts are there: every file of them, as Eremos writes it. */
export function desktopParts(settings: Settings): Readonly<Record<DesktopPart, boolean>> {
  const home = desktopHomeOf(settings);
  const isThere = (part: DesktopPart): boolean => {
    const files = desktop.filesOf(part, home);
    const isOurs = ({ path: file }: DesktopFile): boolean => readOrNull(file)?.includes(MARK) ?? false;
    return isWithPackage(part, home) || (files.length > 0 && files.every(isOurs));
  };
  return {
    applications: isThere("applications"),
    start: isThere("start"),
    menu: isThere("menu"),
    marks: isThere("marks"),
  };
}

/** Adds a part, or takes it away. Never touches a file that is not Eremos' own. @throws EremosError `path-taken` */
export function setDesktopPart(settings: Settings, part: DesktopPart, on: boolean): void {
  const home = desktopHomeOf(settings);
  if (isWithPackage(part, home) && !on) throw new EremosError("unsupported", said("comes-with-the-package"));
  const files = isWithPackage(part, home) ? [] : desktop.filesOf(part, home);
  const foreign = files.find(({ path: file }) => readOrNull(file)?.includes(MARK) === false);
  if (foreign && on)
    throw new EremosError("path-taken", said("is-there-already-and-not", { path: foreign.path }), {
      path: foreign.path,
    });
  if (!on) desktop.commandsOf(part, false, home).forEach(run);
  // Of the other way to start it, too: an account may have got or lost its service manager since.
  const otherwise = desktop.filesOf(part, { ...home, userManager: home.userManager ? null : { port: 1 } });
  for (const { path: file } of otherwise)
    if (!files.some(({ path: same }) => same === file) && readOrNull(file)?.includes(MARK)) fs.rmSync(file);
  for (const file of files) {
    if (on) write(file);
    else if (readOrNull(file.path)?.includes(MARK)) fs.rmSync(file.path);
    removeCached(file);
  }
  if (!on) removeEmptied(files);
  if (on) desktop.commandsOf(part, true, home).forEach(run);
  desktop.refreshing(part, home).forEach(run);
}

/** Its package put it there for every account. */
function isWithPackage(part: DesktopPart, { isSystemWide }: DesktopHome): boolean {
  return part === "applications" && isSystemWide;
}

/** Written by whatever read it, of what stood there before. */
function removeCached({ path: file, cachedIn }: DesktopFile): void {
  if (cachedIn === undefined || !fs.existsSync(cachedIn)) return;
  for (const name of fs.readdirSync(cachedIn)) {
    const cached = path.join(cachedIn, name);
    if (name.startsWith(`${path.parse(file).name}.`) && readOrNull(cached)?.includes(MARK)) fs.rmSync(cached);
  }
}

/** Directories of Eremos' own, and those that keep what was read, where nothing is left in them. */
function removeEmptied(files: readonly DesktopFile[]): void {
  const own = files.flatMap(({ path: file, cachedIn }) => [
    ...(cachedIn === undefined ? [] : [cachedIn]),
    ...(path.basename(path.dirname(file)) === "Eremos" ? [path.dirname(file)] : []),
  ]);
  for (const directory of new Set(own)) {
    try {
      fs.rmdirSync(directory);
    } catch {
      // Not there, or somebody else's things are in it.
    }
  }
}

/** What a desktop does not know any more need not be taken away. */
function run({ program, words }: SystemCommand): void {
  spawnSync(program, words, { stdio: "ignore" });
}

export function desktopSigns(settings: Settings): DesktopSigns {
  const { applications, marks } = desktopParts(settings);
  return { opensItems: desktop.opensItems && applications, marks };
}

export function setDesktop(settings: Settings, on: boolean): void {
  const home = desktopHomeOf(settings);
  for (const part of DESKTOP_PARTS) if (on || !isWithPackage(part, home)) setDesktopPart(settings, part, on);
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
