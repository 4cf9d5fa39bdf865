import * as fs from "node:fs";
import * as path from "node:path";
import * as z from "zod";
import { installationKindSchema } from "../calls/shapes/owner";

type InstallationKind = z.output<typeof installationKindSchema>;

export interface Installation {
  readonly version: string;
  readonly kind: InstallationKind;
  /** How it is started from outside this process, also by a version that comes later. */
  readonly command: readonly string[];
  /** The runtime's version, and until when its makers mend it (a day, in UTC), or null where that is not known. */
  readonly node: string;
  readonly supportedUntil: string | null;
}

const describedSchema = z.object({
  version: z.string().max(40),
  eremos: installationKindSchema.exclude(["sources"]).optional(),
});

/** By which name it is among the commands of a system that it is a package of. */
export const SYSTEM_COMMAND = "/usr/bin/eremos";

/** The ends of the runtime's lines. Source: the schedule of the Node.js release working group. */
const LINES_END: Readonly<Record<string, string>> = {
  20: "2026-04-30",
  22: "2027-04-30",
  24: "2028-04-30",
  26: "2029-04-30",
};

/** @param program where Eremos itself lies */
export function installationOf(program: string, node = process.versions.node): Installation {
  const { version, eremos: kind = "sources" } = describedSchema.parse(
    JSON.parse(fs.readFileSync(path.join(program, "package.json"), "utf8")),
  );
  const commands: Readonly<Record<InstallationKind, readonly string[]>> = {
    system: [SYSTEM_COMMAND],
    // By the shell, since a stick may keep no right to execute.
    portable: ["/bin/sh", path.join(path.dirname(program), "eremos")],
    sources: [process.execPath, path.join(program, "cli", "bin", "eremos.mjs")],
  };
  return {
    version,
    kind,
    command: commands[kind],
    node,
    supportedUntil: LINES_END[node.split(".")[0] ?? ""] ?? null,
  };
}
