import * as fs from "node:fs";
import { createRequire } from "node:module";
import * as path from "node:path";

/** A file of one of the packages that Eremos is made of. */
export function programFile(inPackage: string, name: string): Buffer<ArrayBuffer> {
  return fs.readFileSync(path.join(path.dirname(createRequire(import.meta.url).resolve(inPackage)), name));
}
