import { EremosError, displayPath, isInPlaces, splitPath } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { said } from "@eremos/words/server/handover";

/** @throws EremosError `outside-places` */
export function inPlaces(eremos: Eremos, full: Buffer): Buffer {
  const shown = displayPath(full);
  if (isInPlaces(shown, eremos.places)) return full;
  throw new EremosError("outside-places", said("is-outside-places", { path: shown, places: eremos.places.join(", ") }));
}

/**
 * Where something may be made: not in what is protected, where it would be locked, or lie beside what is. @throws
 * EremosError `outside-places` | `nested`
 */
export function placeToMake(eremos: Eremos, full: Buffer): Buffer {
  inPlaces(eremos, full);
  const { parent } = splitPath(full);
  const above = eremos.glance.inspect(parent) ? parent : eremos.glance.protectedAbove(full);
  if (!above) return full;
  throw new EremosError("nested", said("lies-in-protected", { path: displayPath(full), above: displayPath(above) }));
}
