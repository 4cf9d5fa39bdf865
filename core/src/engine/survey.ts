import { EremosError, systemCode } from "../errors/eremos-error";
import type { DirNode, FileNode, Meta, TreeNode } from "../format/tree";
import type { Dir, Disk, Stat } from "../platform/port";
import { type Hooks, Meter } from "./hooks";
import { VAULT_NAME } from "./vault";

/** What a walk over the real folder found. Nothing is opened for reading; links are not followed. */
export interface Survey {
  readonly root: DirNode;
  readonly files: number;
  readonly bytes: number;
  readonly refusals: Refusals;
  /** Files with hard links outside the folder: those keep the plain content. Paths for display. */
  readonly outsideLinks: readonly string[];
}

export interface Refusals {
  readonly special: readonly string[];
  readonly mounts: readonly string[];
  readonly nested: readonly string[];
  readonly unreadable: readonly string[];
}

export interface SurveyOptions {
  /** Entries at the top that are not the person's: Eremos' own directory and page. */
  readonly skipAtTop: readonly Buffer[];
  readonly xattrs: boolean;
}

interface Walk {
  readonly disk: Disk;
  readonly options: SurveyOptions;
  readonly dev: bigint;
  readonly meter: Meter;
  readonly found: { special: string[]; mounts: string[]; nested: string[]; unreadable: string[] };
  readonly linkGroups: Map<string, { group: number; seen: number; nlink: number; path: string }>;
  files: number;
  bytes: number;
}

export function survey(disk: Disk, dir: Dir, name: Buffer, options: SurveyOptions, hooks: Hooks): Survey {
  const stat = disk.statDir(dir);
  const walk: Walk = {
    disk, options, dev: stat.dev, meter: new Meter(hooks, "looking", 0, 0),
    found: { special: [], mounts: [], nested: [], unreadable: [] }, linkGroups: new Map(), files: 0, bytes: 0,
  };
  const xattrs = options.xattrs ? disk.xattrs(dir, Buffer.from(".")) : [];
  const root: DirNode = { kind: "dir", name, meta: metaOf(stat, xattrs), identity: identityOf(stat), children: walkDir(walk, dir, "", true) };
  const outsideLinks = [...walk.linkGroups.values()].filter((group) => group.seen < group.nlink).map((group) => group.path);
  return { root, files: walk.files, bytes: walk.bytes, refusals: walk.found, outsideLinks };
}

export function metaOf(stat: Stat, xattrs: Meta["xattrs"]): Meta {
  return { mode: stat.mode, uid: stat.uid, gid: stat.gid, mtimeNs: stat.mtimeNs, atimeNs: stat.atimeNs, xattrs };
}

export function identityOf(stat: Stat): NonNullable<TreeNode["identity"]> {
  return { dev: stat.dev, ino: stat.ino, ctimeNs: stat.ctimeNs };
}

function walkDir(walk: Walk, dir: Dir, path: string, top: boolean): TreeNode[] {
  const nodes: TreeNode[] = [];
  for (const name of walk.disk.list(dir)) {
    if (top && walk.options.skipAtTop.some((skipped) => skipped.equals(name))) continue;
    const node = walkEntry(walk, dir, name, path);
    if (node) nodes.push(node);
  }
  return nodes;
}

function walkEntry(walk: Walk, dir: Dir, name: Buffer, parentPath: string): TreeNode | null {
  const { disk } = walk;
  const stat = disk.find(dir, name);
  if (!stat) return null;
  const path = parentPath === "" ? name.toString("utf8") : `${parentPath}/${name.toString("utf8")}`;
  if (name.equals(VAULT_NAME)) {
    walk.found.nested.push(parentPath);
    return null;
  }
  if (stat.dev !== walk.dev) {
    walk.found.mounts.push(path);
    return null;
  }
  walk.meter.add(1, 0);
  const base = { name, identity: identityOf(stat) };
  if (stat.type === "link") {
    return { kind: "link", ...base, meta: metaOf(stat, readXattrs(walk, dir, name)), target: disk.readLink(dir, name) };
  }
  if (stat.type !== "file" && stat.type !== "dir") {
    walk.found.special.push(path);
    return null;
  }
  if (!disk.readable(dir, name, stat.type)) {
    walk.found.unreadable.push(path);
    return null;
  }
  const meta = metaOf(stat, readXattrs(walk, dir, name));
  if (stat.type === "dir") return { kind: "dir", ...base, meta, children: walkSubdir(walk, dir, name, path) };
  walk.files++;
  walk.bytes += stat.size;
  return fileNode(walk, stat, base, meta, path);
}

function readXattrs(walk: Walk, dir: Dir, name: Buffer): Meta["xattrs"] {
  return walk.options.xattrs ? walk.disk.xattrs(dir, name) : [];
}

function walkSubdir(walk: Walk, dir: Dir, name: Buffer, path: string): TreeNode[] {
  let inner: Dir;
  try {
    inner = walk.disk.openDir(dir, name);
  } catch (error) {
    if (systemCode(error) === "ENOENT") return [];
    throw error;
  }
  try {
    return walkDir(walk, inner, path, false);
  } finally {
    walk.disk.closeDir(inner);
  }
}

function fileNode(walk: Walk, stat: Stat, base: Pick<FileNode, "name" | "identity">, meta: Meta, path: string): FileNode {
  return { kind: "file", ...base, meta, size: stat.size, linkGroup: linkGroupOf(walk, stat, path), content: null, extents: null };
}

function linkGroupOf(walk: Walk, stat: Stat, path: string): number {
  if (stat.nlink < 2) return 0;
  const key = `${stat.dev}:${stat.ino}`;
  const known = walk.linkGroups.get(key) ?? { group: walk.linkGroups.size + 1, seen: 0, nlink: stat.nlink, path };
  known.seen++;
  walk.linkGroups.set(key, known);
  return known.group;
}

const SHOWN = 5;

function list(paths: readonly string[]): string {
  const shown = paths.slice(0, SHOWN).join(", ");
  return paths.length > SHOWN ? `${shown} and ${paths.length - SHOWN} more` : shown;
}

/** @throws EremosError for whatever can't be locked, with its paths; nothing has been touched. */
export function refuse(refusals: Refusals): void {
  const { special, mounts, nested, unreadable } = refusals;
  if (nested.length > 0) {
    throw new EremosError("nested", `There is another protected folder inside (${list(nested)}). Nothing was touched; release that one first.`, { paths: nested });
  }
  if (mounts.length > 0) {
    throw new EremosError("mount-inside", `Another drive is mounted inside (${list(mounts)}). Nothing was touched; lock that drive's folder on its own.`, { paths: mounts });
  }
  if (special.length > 0) {
    throw new EremosError("special-files", `Pipes, sockets or devices can't be locked (${list(special)}). Nothing was touched; move them out first.`, { paths: special });
  }
  if (unreadable.length > 0) {
    throw new EremosError("no-permission", `This account may not read everything inside (${list(unreadable)}). Nothing was touched; change the permissions first.`, { paths: unreadable });
  }
}
