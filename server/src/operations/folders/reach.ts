import { displayPath, isInPlaces } from "@eremos/core";
import type { ReachView } from "../../contract";
import type { Eremos } from "../../eremos";
import { findTarget } from "../locking/find-target";
import { waysOf } from "../ways-back/renew-key";

/**
 * Who could get how far at a protected folder, from the facts on the disk now. @throws EremosError `not-found` where it
 * is away
 */
export async function reach(eremos: Eremos, folder: string): Promise<readonly ReachView[]> {
  const { record, located } = findTarget(eremos, folder, "/");
  const realPath = displayPath(located.realPath);
  const synced = eremos.synced.find((directory) => isInPlaces(realPath, [directory])) ?? null;
  const { guard, state, visibility, lockedName } = located.inspection;
  return eremos.run<"reach">({
    verb: "reach",
    input: {
      realPath,
      inspection: { guard, state, visibility, lockedName },
      synced,
      signedIn: eremos.keys !== null,
      stays: eremos.stay.isOn(eremos.requireOwner()) && !waysOf(eremos, record)?.hasPassword,
    },
  });
}
