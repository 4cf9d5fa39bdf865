import { say } from "@eremos/words/page/shell";
import { say as sayUnit } from "@eremos/words/units";
export { formatBytes } from "@eremos/server/size-words";

const relative = new Intl.RelativeTimeFormat("en", { numeric: "auto" });
const STEPS: readonly (readonly [Intl.RelativeTimeFormatUnit, number])[] = [
  ["day", 86_400_000],
  ["hour", 3_600_000],
  ["minute", 60_000],
];

/** From then on a count of days says less than the date does. */
const LONG_AGO_MS = 30 * 86_400_000;

export function isLongAgo(at: number, now = Date.now()): boolean {
  return now - at >= LONG_AGO_MS;
}

/** "3 days ago", "yesterday", "just now"; what is a month ago or more by its date. */
export function ago(at: number, now = Date.now()): string {
  if (isLongAgo(at, now)) return new Date(at).toLocaleDateString("en-GB", { dateStyle: "long" });
  for (const [unit, length] of STEPS) {
    if (now - at >= length) return relative.format(-Math.floor((now - at) / length), unit);
  }
  return say("just-now");
}

export function exactTime(at: number): string {
  return new Date(at).toLocaleString("en-GB", { dateStyle: "full", timeStyle: "short" });
}

/** Never less than there is. */
export function duration(seconds: number): string {
  const whole = Math.max(1, Math.ceil(seconds));
  if (whole < 60) return sayUnit("seconds", { seconds: whole });
  const minutes = Math.ceil(whole / 60);
  if (minutes < 60) return sayUnit("minutes", { minutes });
  return sayUnit("hours", { hours: Math.floor(minutes / 60), minutes: minutes % 60 });
}

export function parentOf(path: string): string {
  return path.slice(0, path.lastIndexOf("/")) || "/";
}

export function baseName(path: string): string {
  return path.slice(path.lastIndexOf("/") + 1) || path;
}
