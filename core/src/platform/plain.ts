import * as fs from "node:fs";

/**
 * Looks by paths, as any program of this account looks: for what others see, and for what is found by walking. What is
 * acted on is held first, through the file-system port.
 */
export interface PlainEntry {
  readonly type: "dir" | "file" | "link" | "other";
  readonly size: number;
  readonly mode: number;
  readonly uid: number;
}

/** What stands there, a link as itself; null: nothing. @throws system errors */
export function plainEntry(path: string | Buffer): PlainEntry | null {
  const stat = fs.lstatSync(path, { throwIfNoEntry: false });
  return stat ? { type: typeOf(stat), size: stat.size, mode: stat.mode, uid: stat.uid } : null;
}

/** Names in a directory, without "." and "..". @throws system errors */
export function plainNames(path: string): string[] {
  return fs.readdirSync(path);
}

/** The same with their types, by the bytes of their names. @throws system errors */
export function plainListing(path: Buffer): { readonly name: Buffer; readonly type: PlainEntry["type"] }[] {
  return fs
    .readdirSync(path, { withFileTypes: true, encoding: "buffer" })
    .map((entry) => ({ name: entry.name, type: typeOf(entry) }));
}

/** Whether a path leads to anything, links followed. */
export function isPlainlyThere(path: string | Buffer): boolean {
  return fs.existsSync(path);
}

function typeOf(of: fs.Stats | fs.Dirent<Buffer>): PlainEntry["type"] {
  if (of.isSymbolicLink()) return "link";
  if (of.isDirectory()) return "dir";
  return of.isFile() ? "file" : "other";
}
