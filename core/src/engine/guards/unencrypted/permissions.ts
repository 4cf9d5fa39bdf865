import { EremosError, systemCode } from "../../../errors/eremos-error";
import type { Original } from "../../../format/guard-record";
import type { Bars } from "../../../format/guards";
import type { Dir, Disk, Stat } from "../../../platform/port";
import { type Permissions, type Rank, bar, depthOf, samePermissions } from "./bars";
import { type Hooks, Meter, isNotContents, within } from "../../ground";
import { said } from "@eremos/words/core/guards";

/**
 * Reads, bars and restores the permissions of what lies in a folder. Links are never followed; Eremos' own directory is
 * left alone.
 */
export const ACCESS_LIST = Buffer.from("system.posix_acl_access");
const NOT_FOR_OTHERS = 0o7700;

export function permissionsOf(disk: Disk, dir: Dir, name: Buffer, stat: Stat): Permissions {
  return {
    mode: stat.mode,
    acl: disk.linkXattrs(dir, name).find((attribute) => attribute.name.equals(ACCESS_LIST))?.value ?? null,
  };
}

/** The list first: setting it changes the mode, and the mode is exact afterwards. */
export function setPermissions(disk: Disk, dir: Dir, name: Buffer, { mode, acl }: Permissions): void {
  if (acl) disk.setLinkXattr(dir, name, { name: ACCESS_LIST, value: acl });
  disk.setMode(dir, name, mode);
}

/**
 * The permissions of every entry below the folder that these bars would change. Touches nothing.
 * @throws EremosError `no-permission` with the paths of entries that belong to somebody else | `mount-inside` |
 * `cancelled`
 */
export function whatBarsChange(disk: Disk, root: Dir, bars: Bars, hooks: Hooks): Original[] {
  const reach = depthOf(bars);
  if (reach === "none" || reach === "root") return [];
  const found: Original[] = [];
  const foreign: string[] = [];
  const meter = new Meter(hooks, "looking", 0, 0);
  const top = disk.statOpen(root);
  const visit = (dir: Dir, above: readonly Buffer[]): void => {
    for (const name of disk.list(dir)) {
      const stat = above.length === 0 && isNotContents(top, name) ? null : disk.find(dir, name);
      if (!stat || stat.type === "link") continue;
      const path = [...above, name];
      if (stat.dev !== top.dev)
        throw new EremosError("mount-inside", said("another-drive-is-mounted-inside", { path: shown(path) }), {
          paths: [shown(path)],
        });
      meter.add(1, 0);
      const was = permissionsOf(disk, dir, name, stat);
      const opens = stat.type === "dir" && reach === "all" && isEnterable(was);
      if (!samePermissions(was, barred(was, bars, stat, opens))) {
        if (disk.owns(stat)) found.push({ path, ...was });
        else foreign.push(shown(path));
      }
      if (opens && disk.readable(dir, name, stat)) within(disk, disk.openDir(dir, name), (inner) => visit(inner, path));
    }
  };
  visit(root, []);
  if (foreign.length > 0) {
    throw new EremosError(
      "no-permission",
      said("some-it-belongs-another-account", {
        foreign: foreign.slice(0, 5).join(", "),
        hasForeign: foreign.length > 5,
        more: foreign.length - 5,
      }),
      { paths: foreign },
    );
  }
  return found;
}

function shown(path: readonly Buffer[]): string {
  return path.map((name) => name.toString("utf8")).join("/");
}

function isEnterable({ mode }: Permissions): boolean {
  return (mode & 0o500) === 0o500;
}

/** A directory that this account can't look into is closed to others as a whole, whatever they may elsewhere. */
function barred(was: Permissions, bars: Bars, stat: Pick<Stat, "type">, opens: boolean): Permissions {
  const rank: Rank = stat.type === "dir" ? "dir" : "file";
  const now = bar(was, bars, rank);
  return rank === "dir" && !opens && depthOf(bars) === "all" ? { ...now, mode: now.mode & NOT_FOR_OTHERS } : now;
}

interface Branch {
  readonly entries: Map<string, { readonly name: Buffer; original: Original | null; readonly below: Branch }>;
}

/** By directory, so that each is opened once. */
function asTree(originals: readonly Original[]): Branch {
  const root: Branch = { entries: new Map() };
  for (const original of originals) {
    let at = root;
    original.path.forEach((name, depth) => {
      const key = name.toString("latin1");
      const entry = at.entries.get(key) ?? { name, original: null, below: { entries: new Map() } };
      if (depth === original.path.length - 1) entry.original = original;
      at.entries.set(key, entry);
      at = entry.below;
    });
  }
  return root;
}

/** Bars every recorded entry that still has its original permissions; others were set by somebody since, and stay. */
export function applyBars(disk: Disk, root: Dir, originals: readonly Original[], bars: Bars): void {
  change(
    disk,
    root,
    asTree(originals),
    (was, stat, opens) => ({ from: was, to: barred(was, bars, stat, opens) }),
    bars,
    "down",
  );
}

/**
 * Gives every recorded entry that is barred its original permissions back; what somebody set by hand meanwhile stays.
 */
export function restoreOriginals(disk: Disk, root: Dir, originals: readonly Original[], bars: Bars): void {
  change(
    disk,
    root,
    asTree(originals),
    (was, stat, opens) => ({ from: barred(was, bars, stat, opens), to: was }),
    bars,
    "up",
  );
}

type Way = (was: Permissions, stat: Stat, opens: boolean) => { readonly from: Permissions; readonly to: Permissions };

function change(disk: Disk, dir: Dir, branch: Branch, way: Way, bars: Bars, direction: "down" | "up"): void {
  for (const { name, original, below } of branch.entries.values()) {
    const stat = disk.find(dir, name);
    if (!stat || stat.type === "link") continue;
    const set = (): void => {
      if (!original) return;
      const opens = stat.type === "dir" && depthOf(bars) === "all" && isEnterable(original);
      const { from, to } = way(original, stat, opens);
      if (samePermissions(permissionsOf(disk, dir, name, stat), from)) setPermissions(disk, dir, name, to);
    };
    if (direction === "down") set();
    if (stat.type === "dir" && below.entries.size > 0)
      enter(disk, dir, name, (inner) => change(disk, inner, below, way, bars, direction));
    if (direction === "up") set();
  }
}

/** What can't be entered any more was closed by hand since, and its contents stay as they are. */
function enter(disk: Disk, dir: Dir, name: Buffer, use: (inner: Dir) => void): void {
  let inner: Dir;
  try {
    inner = disk.openDir(dir, name);
  } catch (error) {
    if (systemCode(error) === "EACCES") return;
    throw error;
  }
  within(disk, inner, () => use(inner));
}
