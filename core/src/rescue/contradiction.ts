import { hasUnnamed } from "./states-in-folder";
import type { RescueSource } from "./source";
import { SIGN_NAMES } from "../format/state";
import { findState } from "./state-record";
import { say } from "@eremos/words/core/rescue";

/** What a locked folder, or one that is open, shows besides its contents. */
const SHOWN = new Set([".eremos", ...SIGN_NAMES]);

/**
 * What lies in a folder that is said to lie open and speaks against it; null where nothing does, or where it is not
 * said.
 */
export async function whatContradicts(source: RescueSource): Promise<string | null> {
  const { record, named } = await findState(source);
  if (record?.state !== "open" || !record.generation) return null;
  if (await hasUnnamed(source, record, named)) return say("state-record-says-that-folder");
  const isEmpty = (await source.list("")).every((name) => SHOWN.has(name));
  return isEmpty ? say("state-record-says-that-folder-lies") : null;
}
