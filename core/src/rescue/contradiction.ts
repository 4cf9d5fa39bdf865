import { hasUnnamed } from "./locked-folder";
import type { RescueSource } from "./source";
import { findState } from "./state-record";

/** What a locked folder, or one that is open, shows besides its contents. */
const SHOWN = new Set([".eremos", "Locked with Eremos.html", ".directory"]);

/**
 * What lies in a folder that is said to lie open and speaks against it; null where nothing does, or where it is not
 * said.
 */
export async function whatContradicts(source: RescueSource): Promise<string | null> {
  const { record, named } = await findState(source);
  if (record?.state !== "open" || !record.generation) return null;
  if (await hasUnnamed(source, record, named))
    return "The state record says that the folder lies open, and a later encrypted state of it is here, as when an older record was put back.";
  const isEmpty = (await source.list("")).every((name) => SHOWN.has(name));
  return isEmpty ? "The state record says that the folder lies open, and nothing lies readable in it." : null;
}
