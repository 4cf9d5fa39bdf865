import { printable, printableJson } from "@eremos/core";
import { COMMAND_RESULTS, type CommandName } from "@eremos/server";

/** The only exits to a terminal: nothing that a stranger named reaches it as anything but plain text. */
export function print(line: string): void {
  process.stdout.write(`${printable(line)}\n`);
}

export function sayJson(value: unknown): void {
  process.stdout.write(`${printableJson(value)}\n`);
}

/** The command's document: what the table of calls has of it, and nothing else. */
export function sayResult(command: CommandName, result: unknown): void {
  sayJson(COMMAND_RESULTS[command].parse(result));
}

/** Beside the answer: errors, waits. */
export function note(line: string): void {
  process.stderr.write(`${printable(line)}\n`);
}
