import type { Onlook } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { fullPath } from "../../paths";

/**
 * What each kind of somebody sees at a place now. @throws EremosError `outside-places` | `not-found` | `no-answer`
 */
export function onlook(eremos: Eremos, typed: string, from: string, subject: string | null = null): Promise<Onlook> {
  const path = fullPath(typed, eremos.settings.home, from).toString("utf8");
  return eremos.looker.onlook({ path, subject, places: eremos.places });
}
