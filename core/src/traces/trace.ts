import { sha256 } from "../crypto/bytes";
import type { TraceGives, TraceKind } from "../format/choices";
import type { Disk, Stat } from "../platform/port";

/** Where an account's desktop and programs keep what they remember. Full paths. */
export interface TraceHome {
  readonly home: Buffer;
  readonly dataHome: Buffer;
  readonly configHome: Buffer;
  readonly cacheHome: Buffer;
  readonly stateHome: Buffer;
  /** For what is not to last. */
  readonly temporary: readonly Buffer[];
  /** Tops of other file systems, which have a trash of their own. */
  readonly drives: readonly Buffer[];
  readonly uid: number;
  /** By which names folders are visited, and the folders' ordinary paths. */
  readonly visited: readonly { readonly name: string; readonly folder: Buffer }[];
  /** Files that Eremos made, and of which folders they tell, by their ordinary paths; packages are encrypted. */
  readonly exports: readonly {
    readonly path: Buffer;
    readonly its: Pick<Stat, "dev" | "ino">;
    readonly tellsOf: readonly Buffer[];
    readonly isPackage: boolean;
  }[];
}

/** How entries stand in a list: line after line, or as elements of one that closes behind them all. */
export type ListFormat = "lines" | "elements";

/** Where a trace stands, and so what goes when it is cleared: nothing else of its file does. */
type TraceSpot =
  /** These bytes of a list, from `start` on. */
  | { readonly as: "part"; readonly format: ListFormat; readonly start: number; readonly bytes: Buffer }
  /** The whole file, which is this one where it was found in a directory that others may write. */
  | { readonly as: "file"; readonly its?: Pick<Stat, "dev" | "ino"> }
  /** An entry of a trash, with what the trash notes of it. */
  | { readonly as: "trashed"; readonly trash: Buffer; readonly name: Buffer };

/** Something outside a protected folder that tells of it. */
export interface Trace {
  /** The same whenever it is found, as long as it stands as it does. */
  readonly id: string;
  readonly kind: TraceKind;
  /** The file it stands in, or that it is. */
  readonly where: Buffer;
  /** What it says, as it says it: a path, an address, a line. */
  readonly what: Buffer;
  readonly gives: TraceGives;
  /** It names the folder's path; else it is only called or contains the same as something in it. */
  readonly isSure: boolean;
  /** Whether Eremos can clear it. */
  readonly clearable: boolean;
}

/** Where it could not be looked, and why. */
export interface TraceTrouble {
  readonly kind: TraceKind;
  readonly where: Buffer;
  readonly reason: string;
}

/** A trace, and what goes with it; null where Eremos can't clear it. */
export type FoundTrace = Omit<Trace, "id" | "clearable"> & { readonly spot: TraceSpot | null };

/** A file outside the folder that may have come from it. */
export interface Lookalike {
  readonly path: Buffer;
  readonly name: Buffer;
  readonly its: Pick<Stat, "dev" | "ino">;
  /** It holds, byte for byte, what a file of the folder does. */
  readonly isCopy: boolean;
}

/** What a folder holds, and what was found elsewhere by that. */
export interface KnownInside {
  /** Of its files, one character for each byte. */
  readonly names: ReadonlySet<string>;
  inPlaces(): readonly Lookalike[];
  inTemporary(): readonly Lookalike[];
}

export interface Finding {
  readonly disk: Disk;
  readonly home: TraceHome;
  /** The folder's ordinary path. */
  readonly folder: Buffer;
  /** Null where that is not known. */
  readonly inside: KnownInside | null;
  readonly found: (trace: FoundTrace) => void;
  readonly trouble: (where: Buffer, reason: string) => void;
}

/** How one kind is found. Reads only; what is not there holds no trace. */
export type Finder = (finding: Finding) => void;

/** `nth`: among those that say the same in the same file. */
export function traceId({ kind, where, what }: Pick<Trace, "kind" | "where" | "what">, nth: number): string {
  const length = (bytes: Buffer): Buffer => Buffer.from(`${bytes.length}:`);
  return sha256(Buffer.from(`${kind}\n${nth}\n`), length(where), where, length(what), what)
    .toString("hex")
    .slice(0, 32);
}

const SLASH = 0x2f;

/** Whether a path is the folder's, or below it. */
export function isOf(folder: Buffer, path: Buffer): boolean {
  return (
    path.subarray(0, folder.length).equals(folder) && (path.length === folder.length || path[folder.length] === SLASH)
  );
}

export function entryOf(directory: Buffer, ...names: readonly string[]): Buffer {
  return Buffer.concat([directory, ...names.map((name) => Buffer.from(`/${name}`))]);
}
