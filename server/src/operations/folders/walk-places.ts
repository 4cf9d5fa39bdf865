import * as path from "node:path";
import { EremosError, displayPath, isInPlaces } from "@eremos/core";
import type { FolderView, PlaceEntry, PlaceListing } from "../../contract";
import type { Eremos } from "../../eremos";
import { listFoldersAside } from "./list-folders";
import { compareNames, decodePath, fullPath, typedPath } from "../../paths";
import { said } from "@eremos/words/server/folders";

const MOST_COMPLETIONS = 12;

/** The roots a person may walk. */
export function placeRoots(eremos: Eremos): PlaceEntry[] {
  eremos.requireKeys();
  return eremos.places.map((place) => ({
    name: path.basename(place),
    path: place,
    type: "dir",
    hidden: false,
    expandable: true,
    folder: null,
  }));
}

/**
 * One level of the real disk, for its owner: what is protected and hidden appears under its own name. @throws
 * EremosError as a look at it; `no-answer` where its disk gives none
 */
export async function listPlace(eremos: Eremos, typed: string): Promise<PlaceListing> {
  const { places } = eremos;
  const { home } = eremos.settings;
  const listed = eremos.registry
    .list(eremos.requireKeys())
    .filter(({ removed }) => removed === null)
    .map((record) => ({ id: record.id, path: displayPath(decodePath(record.path)) }));
  const place = await eremos.looker.place({ typed, home, places, listed: listed.map((one) => one.path) });
  const here = new Set(listed.filter((one) => path.dirname(one.path) === place.path).map(({ id }) => id));
  const protectedHere = here.size === 0 ? [] : await listFoldersAside(eremos, ({ id }) => here.has(id));
  if (protectedHere.length === 0)
    return { path: place.path, entries: [...place.directories, ...place.files], more: place.more };
  // Where one is hidden, what stands at its place is something else.
  const standing = new Map(
    protectedHere.filter((folder) => folder.realPath === folder.path).map((folder) => [folder.path, folder]),
  );
  const placed = new Set<string>();
  const atPlace = [...place.directories, ...place.files].map((entry): PlaceEntry => {
    const folder = standing.get(entry.path);
    if (!folder) return entry;
    placed.add(folder.id);
    return { ...entry, expandable: entry.expandable && folder.state === "open", folder: folder.id };
  });
  const elsewhere = protectedHere.filter(({ id }) => !placed.has(id)).map(entryOf);
  const all = [...atPlace, ...elsewhere].sort((a, b) => compareNames(a.name, b.name));
  return {
    path: place.path,
    entries: [...all.filter(({ type }) => type === "dir"), ...all.filter(({ type }) => type === "file")],
    more: place.more,
  };
}

/**
 * What may be shown in the file manager: it lies in a place, and is there. @throws EremosError `outside-places` |
 * `not-found`
 */
export function pathShown(eremos: Eremos, typed: string): Buffer {
  eremos.requireKeys();
  const full = fullPath(typed, eremos.settings.home);
  const shown = displayPath(full);
  const { places } = eremos;
  if (!isInPlaces(shown, places))
    throw new EremosError("outside-places", said("is-outside-places", { path: shown, places: places.join(", ") }));
  if (!eremos.glance.isThere(full)) throw new EremosError("not-found", said("is-not-there-to-show", { path: shown }));
  return full;
}

/** What is protected and hidden, or away, under its own name. */
function entryOf({ id, name, path: at, kind }: FolderView): PlaceEntry {
  return { name, path: at, type: kind === "file" ? "file" : "dir", hidden: true, expandable: false, folder: id };
}

/** Directories and files whose path continues what was typed. */
export async function completePath(eremos: Eremos, typed: string): Promise<string[]> {
  eremos.requireKeys();
  if (typed.trim() === "") return [...eremos.places];
  const endsOpen = typed.endsWith("/");
  const full = typedPath(typed, eremos.settings.home);
  const parent = endsOpen ? full : path.dirname(full);
  const start = endsOpen ? "" : path.basename(full).toLowerCase();
  if (!isInPlaces(parent, eremos.places)) return eremos.places.filter((place) => place.startsWith(full));
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
