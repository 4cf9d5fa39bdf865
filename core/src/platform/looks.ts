import * as fs from "node:fs";
import { readPlanted } from "./planted";
import type { Looks } from "./port";

function typeOf(of: fs.Stats | fs.Dirent<Buffer>): "dir" | "file" | "link" | "other" {
  if (of.isSymbolicLink()) return "link";
  if (of.isDirectory()) return "dir";
  return of.isFile() ? "file" : "other";
}

/** By Node's own calls, on any system that it runs on. */
export const looks: Looks = {
  entry: (path) => {
    const stat = fs.lstatSync(path, { throwIfNoEntry: false });
    return stat ? { type: typeOf(stat), size: stat.size, mode: stat.mode & 0o7777, uid: stat.uid } : null;
  },
  listing: (path) =>
    fs
      .readdirSync(path, { withFileTypes: true, encoding: "buffer" })
      .map((entry) => ({ name: entry.name, type: typeOf(entry) })),
  isThere: (path) => fs.existsSync(path),
  read: readPlanted,
};
