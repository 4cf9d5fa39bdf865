import * as fs from "node:fs";
import * as path from "node:path";
import { type Fault, noteFaultsBy } from "@eremos/core";

const FILE = "faults.log";
const MOST_BYTES = 256 * 1024;

/**
 * Faults of the program's own, a line of JSON each, in the owner-only data directory: when, what kind, where in the
 * program. The oldest go when it gets long.
 */
export function keepFaultLog(directory: string): void {
  noteFaultsBy((fault) => note(path.join(directory, FILE), fault));
}

function note(file: string, { kind, frames }: Fault): void {
  const line = `${JSON.stringify({ at: new Date().toISOString(), kind, frames })}\n`;
  try {
    if (fs.existsSync(file) && fs.statSync(file).size + line.length > MOST_BYTES) fs.renameSync(file, `${file}.1`);
    fs.appendFileSync(file, line, { mode: 0o600 });
  } catch {
    // What is told to the person says what happened; there is nobody else to tell.
  }
}
