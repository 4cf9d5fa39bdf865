import * as fs from "node:fs";
import { isEremosError } from "../errors/eremos-error";
import { readGuard } from "../format/guard-record";
import { directorySource } from "./directory-source";
import { findLocked } from "./locked-folder";
import { readWhole } from "./source";

/** A protected folder, as the disk alone tells of it. */
export interface ScanFound {
  /** Where it lies now, under whatever name. */
  readonly path: Buffer;
  /** Null where its records are too damaged to say. */
  readonly folder: string | null;
  /** The id of the owner it belongs to. */
  readonly owner: string | null;
  readonly guard: "sealed" | "barred" | "sight" | null;
  /** Whether it lies open, as its state record says; null where there is none that can be read. */
  readonly isOpen: boolean | null;
  readonly visibility: "view" | "hidden" | "tucked" | null;
  readonly hasPassword: boolean;
  /** Readable hint to its own password. */
  readonly hint: string | null;
  /** The newest state, and when it was made: milliseconds since 1970. */
  readonly generation: number | null;
  readonly lockedAt: number | null;
  /** What is wrong with its records. */
  readonly problems: readonly string[];
}

export interface ScanProgress {
  readonly directories: number;
  /** Where it is looking now. */
  readonly at: string;
}

export interface ScanEnd {
  readonly directories: number;
  /** Directories that this account may not look into, or that the disk could not read. */
  readonly unreadable: readonly string[];
  readonly isStopped: boolean;
}

export interface ScanInput {
  readonly places: readonly Buffer[];
  readonly onFound: (found: ScanFound) => void;
  readonly onProgress: (progress: ScanProgress) => void;
  readonly isStopped: () => boolean;
}

const VAULT = ".eremos";
/** What the system makes up, and no disk holds. */
const NOT_ON_DISK = new Set(["/proc", "/sys", "/dev", "/run"].map((name) => Buffer.from(name).toString("latin1")));
/** So many directories are looked at before others get a turn. */
const AT_ONCE = 64;

/** Looks for protected folders below some places, hidden and tucked-away ones too. Follows no links, changes nothing, needs no key. */
export async function scan({ places, onFound, onProgress, isStopped }: ScanInput): Promise<ScanEnd> {
  const waiting = places.map((place) => stripSlash(place)).reverse();
  const unreadable: string[] = [];
  let directories = 0;
  for (let at = waiting.pop(); at; at = waiting.pop()) {
    if (directories++ % AT_ONCE === 0) {
      onProgress({ directories, at: at.toString("utf8") });
      await new Promise((resolve) => setImmediate(resolve));
      if (isStopped()) return { directories, unreadable, isStopped: true };
    }
    try {
      const inner: Buffer[] = [];
      for (const entry of fs.readdirSync(at.length === 0 ? Buffer.from("/") : at, { withFileTypes: true, encoding: "buffer" })) {
        const path = Buffer.concat([at, Buffer.from("/"), entry.name]);
        if (!entry.isDirectory() || NOT_ON_DISK.has(path.toString("latin1"))) continue;
        if (entry.name.toString("latin1") === VAULT) onFound(await lookAt(at));
        else inner.push(path);
      }
      waiting.push(...inner.reverse());
    } catch (error) {
      const code = error instanceof Error && "code" in error ? error.code : null;
      if (code !== "ENOENT" && code !== "ENOTDIR") unreadable.push(at.toString("utf8") || "/");
    }
  }
  return { directories, unreadable, isStopped: false };
}

function stripSlash(path: Buffer): Buffer {
  return path.at(-1) === 0x2f ? path.subarray(0, -1) : path;
}

async function lookAt(path: Buffer): Promise<ScanFound> {
  const source = directorySource(path);
  const nothing: ScanFound = { path, folder: null, owner: null, guard: null, isOpen: null, visibility: null, hasPassword: false, hint: null, generation: null, lockedAt: null, problems: [] };
  try {
    const bytes = await readWhole(source, `${VAULT}/guard.json`);
    const guard = bytes ? readGuard(bytes) : null;
    if (guard && !(guard.state === "open" && (await source.size(`${VAULT}/state.json`)) !== null)) {
      return { ...nothing, folder: guard.folder, owner: guard.owner.owner, guard: guard.guard, isOpen: guard.state === "open", visibility: guard.visibility };
    }
    const { folder, headers, state, hasPassword, hint, problems } = await findLocked(source);
    const [generation, lockedAt] = newest(path);
    return { path, folder, owner: headers[0]?.owner.owner ?? null, guard: "sealed", isOpen: state ? state.state === "open" : null, visibility: state?.visibility ?? null, hasPassword, hint, generation, lockedAt, problems };
  } catch (error) {
    return { ...nothing, problems: [isEremosError(error) ? error.message : String(error)] };
  }
}

/** By the names and times of the generation records. */
function newest(path: Buffer): readonly [number | null, number | null] {
  const directory = Buffer.concat([path, Buffer.from(`/${VAULT}/generations`)]);
  try {
    const numbers = fs.readdirSync(directory).flatMap((name) => /^(\d{10})\.json$/.exec(name)?.[1] ?? []).sort();
    const last = numbers.at(-1);
    return last === undefined ? [null, null] : [Number(last), fs.statSync(Buffer.concat([directory, Buffer.from(`/${last}.json`)])).mtimeMs];
  } catch {
    return [null, null];
  }
}
