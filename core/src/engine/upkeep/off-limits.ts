import picomatch from "picomatch";
import { EremosError } from "../../errors/eremos-error";
import { displayPath } from "../ground";
import { said, say } from "@eremos/words/core/upkeep";

/**
 * A place that can't be locked. `itself` forbids only the place (and what contains it); `everything` also all below it.
 */
export interface OffLimits {
  /** A path, or a pattern with `*`, `**` and `?`. */
  readonly path: string;
  readonly covers: "itself" | "everything";
  readonly reason: string;
  /** The owner may take it off the list. */
  readonly removable: boolean;
}

/** What the owner changed about the list. */
export interface OffLimitsEdits {
  readonly added: readonly { readonly path: string; readonly reason: string }[];
  /** Paths of defaults that were taken off. */
  readonly removed: readonly string[];
}

const SYSTEM: readonly string[] = [
  "/bin",
  "/boot",
  "/dev",
  "/etc",
  "/lib",
  "/lib32",
  "/lib64",
  "/libx32",
  "/opt",
  "/proc",
  "/run",
  "/sbin",
  "/snap",
  "/sys",
  "/usr",
  "/var",
];
const SHARED: readonly string[] = ["/home", "/media", "/mnt", "/root", "/srv", "/tmp", "/var/tmp"];
const DESKTOP: readonly string[] = [".config", ".local", ".local/share", ".local/state", ".cache", ".dbus"];

/** The defaults on Linux. `program` and `data` are Eremos' own directories. */
export function defaultOffLimits(home: string, program: string, data: string): readonly OffLimits[] {
  return [
    ...SYSTEM.map((path): OffLimits => ({
      path,
      covers: "everything",
      reason: say("system-needs-it"),
      removable: false,
    })),
    ...SHARED.map((path): OffLimits => ({
      path,
      covers: "itself",
      reason: say("it-holds-everybodys-folders"),
      removable: false,
    })),
    { path: home, covers: "itself", reason: say("it-is-your-home-lock"), removable: false },
    ...DESKTOP.map((path): OffLimits => ({
      path: `${home}/${path}`,
      covers: "itself",
      reason: say("your-desktop-needs-it"),
      removable: true,
    })),
    { path: program, covers: "everything", reason: say("eremos-itself-runs-from-there"), removable: false },
    { path: data, covers: "everything", reason: say("eremos-keeps-its-own-data"), removable: false },
  ];
}

/** The list as the owner edited it. What is critical stays, whatever the edits say. */
export function editedOffLimits(
  defaults: readonly OffLimits[],
  { added, removed }: OffLimitsEdits,
): readonly OffLimits[] {
  const kept = defaults.filter((limit) => !limit.removable || !removed.includes(limit.path));
  return [
    ...kept,
    ...added.map(({ path, reason }): OffLimits => ({ path, covers: "everything", reason, removable: true })),
  ];
}

function isPattern(path: string): boolean {
  return /[*?]/.test(path);
}

/** Whether the pattern is meant: the path itself, or a directory above it. */
function matches(pattern: string, path: string): boolean {
  const isMatch = picomatch(pattern, { dot: true, nobrace: true, nobracket: true, noext: true, nonegate: true });
  for (let at = path; at.length > 1; at = at.slice(0, at.lastIndexOf("/"))) if (isMatch(at)) return true;
  return false;
}

function isInside(path: string, ancestor: string): boolean {
  return ancestor === "/" ? path !== "/" : path.startsWith(`${ancestor}/`);
}

/**
 * Why a folder can't be locked, or null. `places` are the roots Eremos may protect in; a place that lies inside an
 * off-limits directory opens that part of it.
 */
export function whyOffLimits(path: string, limits: readonly OffLimits[], places: readonly string[]): string | null {
  if (path === "/") return say("it-is-whole-disk");
  if (places.includes(path)) return say("it-is-one-your-places");
  for (const limit of limits) {
    if (isPattern(limit.path)) {
      if (matches(limit.path, path)) return limit.reason;
      continue;
    }
    if (path === limit.path) return limit.reason;
    if (isInside(limit.path, path)) return say("it-contains", { path: limit.path, reason: limit.reason });
    const opened = places.some((place) => isInside(place, limit.path) && isInside(path, place));
    if (limit.covers === "everything" && isInside(path, limit.path) && !opened) return limit.reason;
  }
  return null;
}

export function isInPlaces(path: string, places: readonly string[]): boolean {
  return places.some((place) => path === place || isInside(path, place));
}

/** @throws EremosError `off-limits` | `outside-places`; nothing has been touched */
export function refuseOffLimits(path: Buffer, limits: readonly OffLimits[], places: readonly string[]): void {
  const shown = displayPath(path);
  const why = whyOffLimits(shown, limits, places);
  if (why !== null)
    throw new EremosError("off-limits", said("cant-be-locked-nothing-was", { shown, why }), { path: shown });
  if (!isInPlaces(shown, places)) {
    throw new EremosError(
      "outside-places",
      said("is-outside-places-eremos-may", { shown, places: places.join(", ") }),
      { path: shown },
    );
  }
}
