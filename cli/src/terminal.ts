import { printable, printableJson } from "@eremos/core";

/** The only exits to a terminal: nothing that a stranger named reaches it as anything but plain text. */
export function print(line: string): void {
  process.stdout.write(`${printable(line)}\n`);
}

export function sayJson(value: unknown): void {
  process.stdout.write(`${printableJson(value)}\n`);
}

/** Beside the answer: errors, waits. */
export function note(line: string): void {
  process.stderr.write(`${printable(line)}\n`);
}
