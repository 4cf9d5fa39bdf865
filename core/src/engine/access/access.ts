import { systemCode } from "../../errors/eremos-error";
import type { Dir, Disk } from "../../platform/port";
import { OWN_DIR_NAME, joinPath, splitPath, within } from "../ground";

/** Why this account can't get at a protected folder, or at what Eremos keeps in it. */
export interface AccessProblem {
  readonly path: Buffer;
  /** Another account's; or its own, with permissions that refuse it. */
  readonly kind: "another-account" | "refused";
  readonly uid: number;
  readonly mode: number;
}

const MOST = 1000;

/**
 * What in a folder's own directory, and Eremos' in it, this account may not read and change. Follows no links, changes
 * nothing.
 */
export function accessProblems(disk: Disk, path: Buffer): AccessProblem[] {
  const problems: AccessProblem[] = [];
  const { parent, name } = splitPath(path);
  ifReadable(() => within(disk, disk.openRoot(parent), (dir) => look(dir, name, path, false)));
  return problems;

  function look(dir: Dir, name: Buffer, at: Buffer, isInside: boolean): void {
    if (problems.length >= MOST) return;
    const stat = ifReadable(() => disk.find(dir, name));
    if (!stat) return;
    const needed = stat.type === "dir" ? 0o700 : 0o600;
    const { uid, mode } = stat;
    if (!disk.owns(stat)) problems.push({ path: at, kind: "another-account", uid, mode });
    else if ((mode & needed) !== needed) problems.push({ path: at, kind: "refused", uid, mode });
    if (stat.type !== "dir") return;
    ifReadable(() =>
      within(disk, disk.openDir(dir, name), (inner) => {
        // What lies open in the folder is the person's; only what Eremos keeps is looked into.
        for (const child of isInside ? disk.list(inner) : [OWN_DIR_NAME]) look(inner, child, joinPath(at, child), true);
      }),
    );
  }
}

/** Null where this account may not even look, or there is nothing. */
function ifReadable<T>(look: () => T): T | null {
  try {
    return look();
  } catch (error) {
    if (systemCode(error) === undefined) throw error;
    return null;
  }
}

/**
 * Gives this account back what its own entries refuse it; repeated, since what lies deeper shows only then. Returns
 * what is left.
 */
export function repairAccess(disk: Disk, path: Buffer): AccessProblem[] {
  const tried = new Set<string>();
  for (;;) {
    const problems = accessProblems(disk, path);
    const refused = problems.filter(({ kind, path: at }) => kind === "refused" && !tried.has(at.toString("latin1")));
    if (refused.length === 0) return problems;
    for (const { path: at, mode } of refused) {
      tried.add(at.toString("latin1"));
      openUp(disk, at, mode);
    }
  }
}

/**
 * By its directory, held, so that a link put in its place meanwhile is not followed. What is another account's by now
 * is left alone.
 */
function openUp(disk: Disk, at: Buffer, mode: number): void {
  const { parent, name } = splitPath(at);
  within(disk, disk.openRoot(parent), (dir) => {
    const stat = disk.find(dir, name);
    if (!stat || !disk.owns(stat) || (stat.type !== "dir" && stat.type !== "file")) return;
    disk.setMode(dir, name, mode | (stat.type === "dir" ? 0o700 : 0o600));
  });
}
