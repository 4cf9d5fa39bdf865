import type { ErrorClass } from "@eremos/core";

/** 0 is done. Of several the largest counts. */
export const EXIT_CODES: Readonly<Record<ErrorClass, number>> = {
  usage: 2,
  password: 3,
  refused: 4,
  damage: 5,
  failed: 6,
};
