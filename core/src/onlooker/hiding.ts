import * as fs from "node:fs";

/** The desktop's own conventions on Linux: a name that begins with a dot, or that stands on a line of the directory's `.hidden` file. */
export function isHiddenByDesktop(name: string, hiddenByList: ReadonlySet<string>): boolean {
  return name.startsWith(".") || hiddenByList.has(name);
}

export function hiddenNamesIn(directory: string): ReadonlySet<string> {
  try {
    return new Set(fs.readFileSync(`${directory}/.hidden`, "utf8").split("\n").filter((line) => line !== ""));
  } catch {
    return new Set();
  }
}
