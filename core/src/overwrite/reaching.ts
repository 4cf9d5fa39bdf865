import { fromSystemError, systemCode } from "../errors/eremos-error";
import type { Disk, Medium } from "../platform/port";
import { displayPath, splitPath, within } from "../engine/ground";
import { said } from "@eremos/words/core/overwrite";

/** Why old blocks stay, or may; each is a sentence of its own. */
type WhyNotReached =
  | "written-elsewhere"
  | "journal"
  | "snapshots"
  | "remote"
  | "unknown-file-system"
  | "in-memory"
  | "drive-remaps"
  | "drive-unknown";

/** What does help then. */
type HelpsInstead = "never-readable" | "discards-itself" | "discard-command" | "encrypted-below" | "encrypt-disk";

/** What becomes of the old blocks of what is overwritten on a medium. */
export interface Reaching {
  /**
   * Of contents: they are written over; the file system writes over them, and the drive may keep the old ones; they
   * stay readable on the disk; nobody here can tell; they were on no disk.
   */
  readonly contents: "reached" | "drive-may-keep" | "stay" | "unknown" | "on-no-disk";
  /** Names may stand in the file system's own lists and journal until it uses those places again. */
  readonly names: "may-stay" | "on-no-disk";
  readonly because: readonly WhyNotReached[];
  readonly helps: readonly HelpsInstead[];
}

/** Of the file system that a path lies on, or would. @throws EremosError `no-permission`, `io` */
export function mediumAt(disk: Disk, path: Buffer): Medium {
  for (let at = path; ; at = splitPath(at).parent) {
    try {
      return within(disk, disk.openRoot(at), (dir) => disk.medium(dir));
    } catch (error) {
      if (at.length < 2 || !["ENOENT", "ENOTDIR", "ELOOP"].includes(systemCode(error) ?? ""))
        throw fromSystemError(error, said("looking-at-the-disk", { path: displayPath(path) }));
    }
  }
}

/**
 * The truth about overwriting on a medium, as it is shown before the choice: tested by searching raw images of real file
 * systems.
 */
export function whatOverwritingReaches(medium: Medium): Reaching {
  if (medium.writes === "in-memory")
    return { contents: "on-no-disk", names: "on-no-disk", because: ["in-memory"], helps: [] };
  const stay: WhyNotReached[] = [
    ...(medium.writes === "elsewhere" ? (["written-elsewhere"] as const) : []),
    ...(medium.journalsData ? (["journal"] as const) : []),
    ...(medium.hasSnapshots ? (["snapshots"] as const) : []),
  ];
  const unknown: WhyNotReached[] = [
    ...(medium.writes === "remote" ? (["remote"] as const) : []),
    ...(medium.writes === "unknown" ? (["unknown-file-system"] as const) : []),
  ];
  const remaps: WhyNotReached[] = medium.rotates ? [] : [medium.rotates === null ? "drive-unknown" : "drive-remaps"];
  const contents =
    stay.length > 0 ? "stay" : unknown.length > 0 ? "unknown" : remaps.length > 0 ? "drive-may-keep" : "reached";
  const because = [...stay, ...unknown, ...(medium.writes === "remote" ? [] : remaps)];
  return { contents, names: "may-stay", because, helps: contents === "reached" ? [] : helpsOn(medium) };
}

function helpsOn({ isEncryptedBelow, discardsItself, discards, writes }: Medium): HelpsInstead[] {
  return [
    "never-readable",
    ...(discardsItself ? (["discards-itself"] as const) : discards ? (["discard-command"] as const) : []),
    ...(isEncryptedBelow ? (["encrypted-below"] as const) : writes === "remote" ? [] : (["encrypt-disk"] as const)),
  ];
}
