import type { EremosError } from "@eremos/core";
import type { ErrorView } from "./calls/shapes/folders";

/** An error as the page gets it: its code, its words, and what they were made of. */
export function errorView({ code, told: { id, values, text }, data }: EremosError): ErrorView {
  return { code, message: text, said: { id, values }, data };
}
