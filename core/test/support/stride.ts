/** By which a campaign's random parts can be run again: printed in its titles, and set by `EREMOS_SEED`. */
export const SEED = Number(process.env["EREMOS_SEED"] ?? Date.now() % 1_000_000);

/** Which of the places where work can be cut off a campaign tries. */
export interface Stride {
  readonly step: number;
  readonly from: number;
  /** "every change", or "every 11th change from the 4th on, seed 4711". */
  readonly of: (place: string) => string;
}

/** Every one of them in the deep run; daily one in so many, beginning anywhere, so that in time all have been tried. */
export function strided(daily: number): Stride {
  const step = process.env["EREMOS_DEEP"] === "1" ? 1 : daily;
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

/** Numbers from 0 to 1, the same for the same seed. */
export function randomFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 4_294_967_296;
  };
}
