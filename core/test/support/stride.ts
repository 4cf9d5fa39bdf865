/** By which a campaign's random parts can be run again: printed in its titles, and set by `EREMOS_SEED`. */
export const SEED = Number(process.env["EREMOS_SEED"] ?? Date.now() % 1_000_000);

/** Which of the places where work can be cut off a campaign tries. */
export interface Stride {
  readonly step: number;
  readonly from: number;
  /** "every change", or "every 11th change from the 4th on, seed 4711". */
  readonly of: (place: string) => string;
}

/** How much of a deep campaign is run, where a night is too short for all of it. */
const EVERY = Number(process.env["EREMOS_EVERY"] ?? 1);

/**
 * Every one of them in the deep run, or every `EREMOS_EVERY`th; daily one in so many. Each begins anywhere, so that in
 * time all have been tried.
 */
export function strided(daily: number): Stride {
  const step = process.env["EREMOS_DEEP"] === "1" ? Math.min(EVERY, daily) : daily;
  const from = SEED % step;
  return {
    step,
    from,
    of: (place) =>
      step === 1 ? `every ${place}` : `every ${ordinal(step)} ${place} from the ${ordinal(from + 1)} on, seed ${SEED}`,
  };
}

function ordinal(number: number): string {
  const ends: Readonly<Record<number, string>> = { 1: "st", 2: "nd", 3: "rd" };
  const isTeen = number % 100 >= 11 && number % 100 <= 13;
  return `${number}${isTeen ? "th" : (ends[number % 10] ?? "th")}`;
}

/**
 * Numbers from 0 (included) to 1 (excluded), the same for the same seed (mulberry32): those of seeds beside one another
 * have nothing in common.
 */
export function randomFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
}
