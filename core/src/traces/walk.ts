import type { Dir, Disk, Stat } from "../platform/port";
import { OWN_DIR_NAME, joinPath, withFile, within } from "../engine/ground";
import type { Inside } from "./inside";
import { orNull } from "./reading";
import type { Lookalike } from "./trace";

export interface WalkInput {
  readonly roots: readonly Buffer[];
  /** The folder itself, at its ordinary path and where it is now: not looked into. */
  readonly besides: readonly Buffer[];
  readonly inside: Inside;
  /** What is of interest for its name alone. */
  readonly isNamed: (name: Buffer) => boolean;
  /** Only files of this account. */
  readonly uid: number;
}

/** Looks through directories, no deeper than their file systems reach; links are not followed. Reads only. */
export function lookalikesUnder(disk: Disk, input: WalkInput): Lookalike[] {
  const found: Lookalike[] = [];
  const seen = new Set<string>();
  const besides = new Set(input.besides.map((path) => path.toString("latin1")));
  const look = (dir: Dir, path: Buffer): void => {
    const top = disk.statOpen(dir);
    const id = `${top.dev}:${top.ino}`;
    if (seen.has(id) || besides.has(path.toString("latin1"))) return;
    seen.add(id);
    for (const name of orNull(() => disk.list(dir)) ?? []) {
      if (name.equals(OWN_DIR_NAME)) continue;
      const stat = orNull(() => disk.find(dir, name));
      if (!stat || stat.dev !== top.dev) continue;
      const at = joinPath(path, name);
      if (stat.type === "dir") {
        const inner = orNull(() => disk.openDir(dir, name));
        if (inner) within(disk, inner, (opened) => look(opened, at));
      } else if (stat.type === "file" && stat.uid === input.uid) lookAtFile(dir, name, at, stat);
    }
  };
  const lookAtFile = (dir: Dir, name: Buffer, path: Buffer, { size, dev, ino }: Stat): void => {
    const isCopy =
      input.inside.hasSize(size) &&
      (orNull(() => withFile(disk, disk.openRead(dir, name), (file) => input.inside.holdsSame(file, size))) ?? false);
    if (isCopy || input.isNamed(name)) found.push({ path, name, its: { dev, ino }, isCopy });
  };
  for (const root of input.roots) {
    const dir = orNull(() => disk.openRoot(root));
    if (dir) within(disk, dir, (opened) => look(opened, root));
  }
  return found;
}
