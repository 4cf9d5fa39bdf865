import { EremosError } from "@eremos/core";

export function withoutAnswer(path: string): EremosError {
  return new EremosError(
    "no-answer",
    `What ${path} lies on does not answer. Nothing was touched; try it again when it does.`,
  );
}
