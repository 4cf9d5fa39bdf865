import * as fs from "node:fs";
import type { Disk } from "../../platform/port";
import { splitPath, within } from "../ground";

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
export function accessProblems(path: Buffer, uid = process.geteuid?.() ?? 0): AccessProblem[] {
  const problems: AccessProblem[] = [];
  look(path, false);
  return problems;

  function look(at: Buffer, isInside: boolean): void {
    if (problems.length >= MOST) return;
    let stat: fs.Stats;
    try {
      stat = fs.lstatSync(at);
    } catch {
      return;
    }
    const needed = stat.isDirectory() ? 0o700 : 0o600;
    // What lies open in the folder is the person's; only what Eremos keeps is looked into.
    if (stat.uid !== uid) problems.push({ path: at, kind: "another-account", uid: stat.uid, mode: stat.mode & 0o7777 });
    else if ((stat.mode & needed) !== needed)
      problems.push({ path: at, kind: "refused", uid: stat.uid, mode: stat.mode & 0o7777 });
    if (!stat.isDirectory()) return;
    for (const name of namesIn(at, isInside)) look(Buffer.concat([at, Buffer.from("/"), name]), true);
  }
}

function namesIn(directory: Buffer, isInside: boolean): Buffer[] {
  try {
    return fs
      .readdirSync(directory, { encoding: "buffer" })
      .filter((name) => isInside || name.toString() === ".eremos");
  } catch {
    return [];
  }
}

/**
 * Gives this account back what its own entries refuse it; repeated, since what lies deeper shows only then. Returns
 * what is left.
 */
export function repairAccess(disk: Disk, path: Buffer): AccessProblem[] {
  const tried = new Set<string>();
  for (;;) {
    const problems = accessProblems(path);
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
