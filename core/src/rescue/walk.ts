import * as fs from "node:fs";

/** How a walk through places speaks with whoever began it. */
export interface Walk {
  readonly places: readonly Buffer[];
  readonly onProgress: (progress: WalkProgress) => void;
  readonly isStopped: () => boolean;
}

export interface WalkProgress {
  readonly directories: number;
  /** Where it is looking now. */
  readonly at: string;
}

export interface WalkEnd {
  readonly directories: number;
  /** Directories that this account may not look into, or that the disk could not read. */
  readonly unreadable: readonly string[];
  readonly isStopped: boolean;
}

export type WalkEntry = fs.Dirent<Buffer>;

/** What the system makes up, and no disk holds. */
const NOT_ON_DISK = new Set(["/proc", "/sys", "/dev", "/run"]);
/** So many directories are looked at before others get a turn. */
const AT_ONCE = 64;

/**
 * Looks at each directory below some places; `look` answers which of those in it are looked into, too. Follows no
 * links, skips nothing silently.
 */
export async function walk(
  { places, onProgress, isStopped }: Walk,
  look: (at: Buffer, entries: readonly WalkEntry[]) => Promise<readonly Buffer[]>,
): Promise<WalkEnd> {
  const waiting = places.map(withoutSlash).reverse();
  const unreadable: string[] = [];
  let directories = 0;
  for (let at = waiting.pop(); at; at = waiting.pop()) {
    if (directories++ % AT_ONCE === 0) {
      onProgress({ directories, at: at.toString("utf8") });
      await new Promise((resolve) => setImmediate(resolve));
      if (isStopped()) return { directories, unreadable, isStopped: true };
    }
    try {
      const entries = fs.readdirSync(at.length === 0 ? Buffer.from("/") : at, {
        withFileTypes: true,
        encoding: "buffer",
      });
      waiting.push(...(await look(at, entries)).filter((path) => !NOT_ON_DISK.has(path.toString("latin1"))).reverse());
    } catch (error) {
      const code = error instanceof Error && "code" in error ? error.code : null;
      if (code !== "ENOENT" && code !== "ENOTDIR") unreadable.push(at.toString("utf8") || "/");
    }
  }
  return { directories, unreadable, isStopped: false };
}

/** The root is an empty path here. */
function withoutSlash(path: Buffer): Buffer {
  return path.at(-1) === 0x2f ? path.subarray(0, -1) : path;
}

export function below(directory: Buffer, name: Buffer): Buffer {
  return Buffer.concat([directory, Buffer.from("/"), name]);
}
