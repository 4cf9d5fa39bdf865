import { EremosError } from "../../errors/eremos-error";
import type { Disk, Holder } from "../../platform/port";
import { displayPath } from "./own-dir";
import { said } from "@eremos/words/core/ground";

/**
 * Programs that hold something of the folder open. @throws EremosError `in-use` when one may write, unless that was
 * said to be right
 */
export function refuseInUse(
  disk: Disk,
  input: { readonly path: Buffer; readonly inUseAnyway: boolean },
): readonly Holder[] {
  const holders = disk.holders(input.path);
  const writers = holders.filter((holder) => holder.writes).map((holder) => holder.program);
  if (writers.length > 0 && !input.inUseAnyway) {
    throw new EremosError(
      "in-use",
      said("has-files-in-open-for", { programs: [...new Set(writers)].join(", "), path: displayPath(input.path) }),
      { programs: writers },
    );
  }
  return holders;
}
