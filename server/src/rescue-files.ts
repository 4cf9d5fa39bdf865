import { createHash } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import type { RescueFile } from "./contract";

/** The readers that need no Eremos, to be kept on a stick. */
export const RESCUE_FILES = "/rescue/";
const NAMES = ["rescue.html", "rescue.mjs"] as const;
export type RescueFileName = (typeof NAMES)[number];

export function rescueFileAt(pathname: string): RescueFileName | undefined {
  return NAMES.find((one) => pathname === `${RESCUE_FILES}${one}`);
}

export function rescueFileBytes(program: string, name: RescueFileName): Buffer {
  return fs.readFileSync(path.join(program, "rescue", "dist", name));
}

/** The page that a package becomes, with its places for it. */
export function packagePageBytes(program: string): Buffer {
  return fs.readFileSync(path.join(program, "server", "dist", "package.html"));
}

export function rescueFiles(program: string): readonly RescueFile[] {
  return NAMES.map((name) => {
    const bytes = rescueFileBytes(program, name);
    return {
      name,
      href: `${RESCUE_FILES}${name}`,
      bytes: bytes.length,
      sha256: createHash("sha256").update(bytes).digest("hex"),
    };
  });
}
