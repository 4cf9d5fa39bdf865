import * as fs from "node:fs";
import * as path from "node:path";
import {
  EremosError,
  HELD_NAME,
  HIDDEN_NAME,
  type Looks,
  OWN_DIR_NAME,
  hiddenNamesIn,
  isHiddenByDesktop,
  isInPlaces,
  systemCode,
} from "@eremos/core";
import type { PlaceEntry } from "../contract";
import { compareNames, fullPath, realPathOf } from "../paths";
import type { PlaceAsked, PlaceLook } from "./protocol";
import { said } from "@eremos/words/server/house";

const OWN_DIR = OWN_DIR_NAME.toString();
const HELD = HELD_NAME.toString();
/** Of one directory; the path of any other can be typed. */
const MOST_FILES = 500;

/**
 * One level of the real disk, in the order in which it is listed; without links, and without what Eremos keeps there.
 * @throws EremosError `outside-places` | `not-found` | `no-permission` | `not-a-folder`
 */
export function lookAtPlace(looks: Looks, { typed, home, places, listed }: PlaceAsked): PlaceLook {
  const directory = fullPath(typed, home).toString("utf8");
  requireInPlaces(directory, places);
  const entries = readEntries(directory)
    .filter(({ name }) => name !== OWN_DIR && name !== HELD && !HIDDEN_NAME.test(name))
    .sort((a, b) => compareNames(a.name, b.name));
  const hidden = hiddenNamesIn(looks, directory);
  const viewOf = (name: string, type: PlaceEntry["type"]): PlaceEntry => {
    const full = path.join(directory, name);
    const expandable = type === "dir" && holdsSomething(full);
    return { name, path: full, type, hidden: isHiddenByDesktop(name, hidden), expandable, folder: null };
  };
  const isListed = new Set(listed.filter((one) => path.dirname(one) === directory));
  const files = entries.filter((entry) => entry.isFile());
  const shown = files.filter(({ name }, i) => i < MOST_FILES || isListed.has(path.join(directory, name)));
  return {
    path: directory,
    directories: entries.filter((entry) => entry.isDirectory()).map(({ name }) => viewOf(name, "dir")),
    files: shown.map(({ name }) => viewOf(name, "file")),
    more: files.length - shown.length,
  };
}

/** Links are not followed out of the places. @throws EremosError `outside-places` */
export function requireInPlaces(directory: string, places: readonly string[]): void {
  if (isInPlaces(realPathOf(directory), places)) return;
  throw new EremosError(
    "outside-places",
    said("is-outside-places-eremos-may", { directory, places: places.join(", ") }),
  );
}

function readEntries(directory: string): fs.Dirent[] {
  try {
    return fs.readdirSync(directory, { withFileTypes: true });
  } catch (error) {
    const code = systemCode(error);
    if (code === "ENOENT") throw new EremosError("not-found", said("there-is-nothing-at-now", { directory }));
    if (code === "EACCES" || code === "EPERM")
      throw new EremosError("no-permission", said("system-does-not-let-this", { directory }));
    if (code === "ENOTDIR") throw new EremosError("not-a-folder", said("is-not-folder", { directory }));
    throw error;
  }
}

function holdsSomething(directory: string): boolean {
  try {
    const dir = fs.opendirSync(directory);
    try {
      for (let entry = dir.readSync(); entry !== null; entry = dir.readSync()) if (entry.name !== OWN_DIR) return true;
      return false;
    } finally {
      dir.closeSync();
    }
  } catch {
    return false;
  }
}
