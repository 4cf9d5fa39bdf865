/** For people: three digits and a unit. */
export function bytesIn(bytes: number): string {
  const units = ["bytes", "KB", "MB", "GB", "TB"];
  let value = bytes;
  let unit = 0;
  for (; value >= 1000 && unit < units.length - 1; unit++) value /= 1000;
  return `${unit === 0 || value >= 100 ? Math.round(value) : value.toFixed(1)} ${units[unit] ?? ""}`;
}
