import * as fs from "node:fs";
import * as path from "node:path";
import { EremosError, type Looks, type Onlook, lookAs } from "@eremos/core";
import { said } from "@eremos/words/server/house";
import { requireInPlaces } from "./place";
import type { OnlookAsked } from "./protocol";

/**
 * What each kind of somebody sees at a place now. Where the path is not a directory that can be seen, its parent is the
 * place and the name is what the verdict is about. @throws EremosError `outside-places` | `not-found`
 */
export function lookAsOthers(looks: Looks, { path: full, subject, places }: OnlookAsked): Onlook {
  const isPlace = isDirectory(full);
  const directory = isPlace ? full : path.dirname(full);
  requireInPlaces(directory, places);
  if (!isDirectory(directory)) throw new EremosError("not-found", said("there-is-nothing-at-now", { directory }));
  return lookAs(looks, directory, subject ?? (isPlace ? null : path.basename(full)));
}

function isDirectory(at: string): boolean {
  return fs.statSync(at, { throwIfNoEntry: false })?.isDirectory() ?? false;
}
