import * as fs from "node:fs";
import * as path from "node:path";
import {
  EremosError,
  HELD_NAME,
  HIDDEN_NAME,
  VAULT_NAME,
  hiddenNamesIn,
  isHiddenByDesktop,
  isInPlaces,
  systemCode,
} from "@eremos/core";
import type { FolderView, PlaceEntry, PlaceListing } from "../../contract";
import type { Eremos } from "../../eremos";
import { listFolders } from "./list-folders";
import { fullPath, realPathOf } from "../../paths";

const VAULT = VAULT_NAME.toString();
const HELD = HELD_NAME.toString();
const MOST_COMPLETIONS = 12;
/** Of one directory; the path of any other can be typed. */
const MOST_FILES = 500;

/** The roots a person may walk. */
export function placeRoots(eremos: Eremos): PlaceEntry[] {
  eremos.requireKeys();
  return eremos.settings.places.map((place) => ({
    name: path.basename(place),
    path: place,
    type: "dir",
    hidden: false,
    expandable: true,
    folder: null,
  }));
}

/** One level of the real disk, for its owner: what is protected and hidden appears under its own name. */
export function listPlace(eremos: Eremos, typed: string): PlaceListing {
  eremos.requireKeys();
  const directory = fullPath(typed, eremos.settings.home).toString("utf8");
  requireInside(eremos, directory);
  const protectedHere = listFolders(eremos).filter((folder) => path.dirname(folder.path) === directory);
  const hidden = hiddenNamesIn(directory);
  const entries = readEntries(directory)
    .filter((entry) => entry.name !== VAULT && entry.name !== HELD && !HIDDEN_NAME.test(entry.name))
    .map((entry) => placeEntry(directory, entry, hidden, protectedHere));
  const away = protectedHere.filter(({ id }) => !entries.some(({ folder }) => folder === id));
  const all = [
    ...entries,
    ...away.map((folder): PlaceEntry => ({
      name: folder.name,
      path: folder.path,
      type: folder.kind === "file" ? "file" : "dir",
      hidden: true,
      expandable: false,
      folder: folder.id,
    })),
  ];
  const byName = (a: PlaceEntry, b: PlaceEntry): number => a.name.localeCompare(b.name);
  const directories = all.filter(({ type }) => type === "dir").sort(byName);
  const files = all.filter(({ type, folder }) => type === "file" || (type !== "dir" && folder !== null)).sort(byName);
  return {
    path: directory,
    entries: [...directories, ...files.slice(0, MOST_FILES)],
    more: Math.max(0, files.length - MOST_FILES),
  };
}

function readEntries(directory: string): fs.Dirent[] {
  try {
    return fs.readdirSync(directory, { withFileTypes: true });
  } catch (error) {
    const code = systemCode(error);
    if (code === "ENOENT") throw new EremosError("not-found", `There is nothing at ${directory} now.`);
    if (code === "EACCES" || code === "EPERM")
      throw new EremosError("no-permission", `The system does not let this account look into ${directory}.`);
    if (code === "ENOTDIR") throw new EremosError("not-a-folder", `${directory} is not a folder.`);
    throw error;
  }
}

function placeEntry(
  directory: string,
  entry: fs.Dirent,
  hidden: ReadonlySet<string>,
  protectedHere: readonly FolderView[],
): PlaceEntry {
  const full = path.join(directory, entry.name);
  // Where it is hidden, what stands at its place is something else.
  const folder = protectedHere.find((candidate) => candidate.path === full && candidate.realPath === full);
  const type = entry.isDirectory() ? "dir" : entry.isFile() ? "file" : entry.isSymbolicLink() ? "link" : "other";
  const expandable = type === "dir" && (!folder || folder.state === "open") && holdsSomething(full);
  return {
    name: entry.name,
    path: full,
    type,
    hidden: isHiddenByDesktop(entry.name, hidden),
    expandable,
    folder: folder?.id ?? null,
  };
}

function holdsSomething(directory: string): boolean {
  try {
    return fs.readdirSync(directory).some((name) => name !== VAULT);
  } catch {
    return false;
  }
}

/** Links are not followed out of the places. */
function requireInside(eremos: Eremos, directory: string): void {
  if (!isInPlaces(realPathOf(directory), eremos.settings.places)) {
    throw new EremosError(
      "outside-places",
      `${directory} is outside the places Eremos may walk (${eremos.settings.places.join(", ")}).`,
    );
  }
}

/** Directories and files whose path continues what was typed. */
export function completePath(eremos: Eremos, typed: string): string[] {
  eremos.requireKeys();
  if (typed.trim() === "") return [...eremos.settings.places];
  const endsOpen = typed.endsWith("/");
  const full = fullPath(typed, eremos.settings.home).toString("utf8");
  const parent = endsOpen ? full : path.dirname(full);
  const start = endsOpen ? "" : path.basename(full).toLowerCase();
  if (!isInPlaces(parent, eremos.settings.places))
    return eremos.settings.places.filter((place) => place.startsWith(full));
  try {
    return listPlace(eremos, parent)
      .entries.filter(
        (entry) => entry.name.toLowerCase().startsWith(start) && (start.startsWith(".") || !entry.name.startsWith(".")),
      )
      .slice(0, MOST_COMPLETIONS)
      .map((entry) => entry.path);
  } catch {
    return [];
  }
}
