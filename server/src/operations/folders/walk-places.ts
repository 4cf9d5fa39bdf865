import * as path from "node:path";
import { EremosError, HELD_NAME, HIDDEN_NAME, VAULT_NAME, isInPlaces } from "@eremos/core";
import type { FolderView, PlaceEntry, PlaceListing } from "../../contract";
import type { Eremos } from "../../eremos";
import type { LookedEntry } from "../../look/protocol";
import { listFoldersAside } from "./list-folders";
import { compareNames, fullPath, realPathOf } from "../../paths";

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
export async function listPlace(eremos: Eremos, typed: string): Promise<PlaceListing> {
  eremos.requireKeys();
  const directory = fullPath(typed, eremos.settings.home).toString("utf8");
  requireInside(eremos, directory);
  const [folders, place] = await Promise.all([listFoldersAside(eremos), eremos.looker.place(directory)]);
  const protectedHere = folders.filter((folder) => path.dirname(folder.path) === directory);
  const entries = place.entries
    .filter((entry) => entry.name !== VAULT && entry.name !== HELD && !HIDDEN_NAME.test(entry.name))
    .map((entry) => placeEntry(directory, entry, protectedHere));
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
  const byName = (a: PlaceEntry, b: PlaceEntry): number => compareNames(a.name, b.name);
  const directories = all.filter(({ type }) => type === "dir").sort(byName);
  const files = all.filter(({ type, folder }) => type === "file" || (type !== "dir" && folder !== null)).sort(byName);
  return {
    path: directory,
    entries: [...directories, ...files.slice(0, MOST_FILES)],
    more: Math.max(0, files.length - MOST_FILES),
  };
}

function placeEntry(
  directory: string,
  { name, type, isHidden, holdsSomething }: LookedEntry,
  protectedHere: readonly FolderView[],
): PlaceEntry {
  const full = path.join(directory, name);
  // Where it is hidden, what stands at its place is something else.
  const folder = protectedHere.find((candidate) => candidate.path === full && candidate.realPath === full);
  return {
    name,
    path: full,
    type,
    hidden: isHidden,
    expandable: holdsSomething && (!folder || folder.state === "open"),
    folder: folder?.id ?? null,
  };
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
export async function completePath(eremos: Eremos, typed: string): Promise<string[]> {
  eremos.requireKeys();
  if (typed.trim() === "") return [...eremos.settings.places];
  const endsOpen = typed.endsWith("/");
  const full = fullPath(typed, eremos.settings.home).toString("utf8");
  const parent = endsOpen ? full : path.dirname(full);
  const start = endsOpen ? "" : path.basename(full).toLowerCase();
  if (!isInPlaces(parent, eremos.settings.places))
    return eremos.settings.places.filter((place) => place.startsWith(full));
  try {
    const { entries } = await listPlace(eremos, parent);
    return entries
      .filter(
        (entry) => entry.name.toLowerCase().startsWith(start) && (start.startsWith(".") || !entry.name.startsWith(".")),
      )
      .slice(0, MOST_COMPLETIONS)
      .map((entry) => entry.path);
  } catch {
    return [];
  }
}
