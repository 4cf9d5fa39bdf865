import { say } from "@eremos/words/units";

const UNITS = ["", "KB", "MB", "GB", "TB"] as const;

/** Three digits at most, in the unit that it is rounded to: in the page, on the command line, in every sentence. */
export function formatBytes(bytes: number): string {
  if (Math.round(bytes) < 1000) return say("bytes", { bytes: Math.round(bytes) });
  let value = bytes;
  let unit = 0;
  while (Math.round(value) >= 1000 && unit < UNITS.length - 1) {
    value /= 1000;
    unit++;
  }
  const isWhole = value >= 99.95;
  return `${isWhole ? Math.round(value) : value.toFixed(1)} ${UNITS[unit] ?? ""}`;
}
