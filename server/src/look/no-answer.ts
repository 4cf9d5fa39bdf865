import { EremosError } from "@eremos/core";
import { said } from "@eremos/words/server/house";

export function withoutAnswer(path: string): EremosError {
  return new EremosError("no-answer", said("what-lies-on-does-not", { path }));
}
