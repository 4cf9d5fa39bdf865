import * as path from "node:path";
import { EremosError, type Onlook, isInPlaces } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { fullPath, realPathOf } from "../../paths";
import { said } from "@eremos/words/server/folders";

/**
 * What each kind of somebody sees at a place now. Where the path is not a directory that can be seen, its parent is the
 * place and the name is what the verdict is about.
 */
export async function onlook(
  eremos: Eremos,
  typed: string,
  from: string,
  subject: string | null = null,
): Promise<Onlook> {
  const full = fullPath(typed, eremos.settings.home, from).toString("utf8");
  const isPlace = eremos.glance.isDirectory(full);
  const place = isPlace ? full : path.dirname(full);
  if (!isInPlaces(realPathOf(place), eremos.places)) {
    throw new EremosError(
      "outside-places",
      said("is-outside-places-eremos-looks", { place, places: eremos.places.join(", ") }),
    );
  }
  if (!eremos.glance.isDirectory(place)) throw new EremosError("not-found", said("there-is-nothing-at-now", { place }));
  return eremos.run<"onlook">({
    verb: "onlook",
    input: { place, subject: subject ?? (isPlace ? null : path.basename(full)) },
  });
}
