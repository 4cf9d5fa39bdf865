import { joinPath } from "../engine/ground";
import type { Looks } from "../platform/port";

const MOST_BYTES = 256 * 1024;

/**
 * The desktop's own conventions on Linux: a name that begins with a dot, or that stands on a line of the directory's
 * `.hidden` file.
 */
export function isHiddenByDesktop(name: string, hiddenByList: ReadonlySet<string>): boolean {
  return name.startsWith(".") || hiddenByList.has(name);
}

export function hiddenNamesIn(looks: Looks, directory: string | Buffer): ReadonlySet<string> {
  const text = looks.read(joinPath(Buffer.from(directory), Buffer.from(".hidden")), MOST_BYTES)?.toString("utf8") ?? "";
  return new Set(text.split("\n").filter((line) => line !== ""));
}

/** @throws system errors */
export function namesIn(looks: Looks, directory: string): string[] {
  return looks.listing(Buffer.from(directory)).map(({ name }) => name.toString("utf8"));
}
