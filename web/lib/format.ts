const UNITS = ["bytes", "KB", "MB", "GB", "TB"] as const;

export function formatBytes(bytes: number): string {
  if (bytes === 1) return "1 byte";
  let value = bytes;
  let unit = 0;
  while (value >= 1000 && unit < UNITS.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${unit === 0 || value >= 100 ? Math.round(value) : value.toFixed(1)} ${UNITS[unit] ?? ""}`;
}

export function count(number: number, one: string, many = `${one}s`): string {
  return `${number.toLocaleString("en")} ${number === 1 ? one : many}`;
}

const relative = new Intl.RelativeTimeFormat("en", { numeric: "auto" });
const STEPS: readonly (readonly [Intl.RelativeTimeFormatUnit, number])[] = [
  ["day", 86_400_000],
  ["hour", 3_600_000],
  ["minute", 60_000],
];

/** "3 days ago", "yesterday", "just now". */
export function ago(at: number, now = Date.now()): string {
  for (const [unit, length] of STEPS) {
    if (now - at >= length) return relative.format(-Math.floor((now - at) / length), unit);
  }
  return "just now";
}

export function exactTime(at: number): string {
  return new Date(at).toLocaleString("en-GB", { dateStyle: "full", timeStyle: "short" });
}

export function duration(seconds: number): string {
  if (seconds < 60) return `${Math.max(1, Math.ceil(seconds))} s`;
  if (seconds < 3600) return `${Math.ceil(seconds / 60)} min`;
  return `${Math.floor(seconds / 3600)} h ${Math.ceil((seconds % 3600) / 60)} min`;
}

export function parentOf(path: string): string {
  return path.slice(0, path.lastIndexOf("/")) || "/";
}

export function baseName(path: string): string {
  return path.slice(path.lastIndexOf("/") + 1) || path;
}
