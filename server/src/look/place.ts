import * as fs from "node:fs";
import * as path from "node:path";
import { EremosError, VAULT_NAME, hiddenNamesIn, isHiddenByDesktop, systemCode } from "@eremos/core";
import type { LookedEntry, PlaceLook } from "./protocol";

const VAULT = VAULT_NAME.toString();

/** One level of the real disk. @throws EremosError `not-found` | `no-permission` | `not-a-folder` */
export function lookAtPlace(directory: string): PlaceLook {
  const hidden = hiddenNamesIn(directory);
  return {
    entries: readEntries(directory).map((entry): LookedEntry => {
      const type = entry.isDirectory() ? "dir" : entry.isFile() ? "file" : entry.isSymbolicLink() ? "link" : "other";
      return {
        name: entry.name,
        type,
        isHidden: isHiddenByDesktop(entry.name, hidden),
        holdsSomething: type === "dir" && holdsSomething(path.join(directory, entry.name)),
      };
    }),
  };
}

function readEntries(directory: string): fs.Dirent[] {
  try {
    return fs.readdirSync(directory, { withFileTypes: true });
  } catch (error) {
    const code = systemCode(error);
    if (code === "ENOENT") throw new EremosError("not-found", `There is nothing at ${directory} now.`);
    if (code === "EACCES" || code === "EPERM")
      throw new EremosError("no-permission", `The system does not let this account look into ${directory}.`);
    if (code === "ENOTDIR") throw new EremosError("not-a-folder", `${directory} is not a folder.`);
    throw error;
  }
}

function holdsSomething(directory: string): boolean {
  try {
    return fs.readdirSync(directory).some((name) => name !== VAULT);
  } catch {
    return false;
  }
}
