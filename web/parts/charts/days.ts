import { say } from "@eremos/words/page/activity";

const LOCALE = "en-GB";
/** From more days than these on, a bar stands for a week. */
const MOST_BARS = 92;
const WEEK = 7;

/** What a bar stands for: a day, or a week. */
export interface Bar {
  /** When it begins: milliseconds since 1970. */
  readonly at: number;
  /** Which days of the list are in it: from the first until before the second. */
  readonly days: readonly [number, number];
}

export function barsOf(days: readonly number[]): readonly Bar[] {
  const width = days.length > MOST_BARS ? WEEK : 1;
  const bars: Bar[] = [];
  for (let first = 0; first < days.length; first += width)
    bars.push({ at: days[first] ?? 0, days: [first, Math.min(first + width, days.length)] });
  return bars;
}

/** Of a list with a number for each day. */
export function sumOf(numbers: readonly number[], { days: [from, until] }: Bar): number {
  return numbers.slice(from, until).reduce((sum, one) => sum + one, 0);
}

export function barHead(bars: readonly Bar[]): string {
  const [bar] = bars;
  return bar && bar.days[1] - bar.days[0] > 1 ? say("week") : say("day");
}

/** "24 Nov". */
export function shortDay(at: number): string {
  return new Date(at).toLocaleDateString(LOCALE, { day: "numeric", month: "short" });
}

/** "Tuesday, 24 November". */
export function longDay(at: number): string {
  return new Date(at).toLocaleDateString(LOCALE, { weekday: "long", day: "numeric", month: "long" });
}

export function hoursWords(hours: number): string {
  return hours > 0 && hours < 0.1 ? say("no-hours") : say("hours", { hours });
}
