import type { EremosError } from "@eremos/core/rescue";
import { say } from "@eremos/words/reader";

/** Where there is no Eremos, whose page could check the folder: what is safe, and what to do, is another thing. */
export function wordsOfError(error: EremosError): string {
  return error.isPart ? say("damage", { what: error.said }) : error.message;
}
