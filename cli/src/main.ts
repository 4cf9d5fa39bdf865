import { fileURLToPath } from "node:url";
import { EremosError, closeMemory, fromSystemError } from "@eremos/core";
import { Asking } from "./ask";
import { type CommandName, goOnWithoutTerminal } from "@eremos/server";
import { COMMANDS } from "./commands";
import { EXIT_CODES } from "./exit-codes";
import { ON_INPUT, takesSeveral } from "./several";
import { parseWords } from "./words";
import type { Invocation } from "./invocation";
import { note, print, sayJson, sayResult } from "./terminal";
import { said } from "@eremos/words/cli";

/** The project's root: two levels above cli/dist. */
const PROGRAM = fileURLToPath(new URL("../..", import.meta.url)).replace(/\/$/, "");

function parse(words: readonly string[]): { name: string; invocation: Invocation } {
  try {
    const { values, positionals } = parseWords(words);
    const [name = "", ...rest] = positionals;
    return {
      name,
      invocation: {
        words: rest,
        flags: values,
        program: PROGRAM,
        asking: new Asking(values["password-stdin"] || values["code-stdin"] || values["shares-stdin"]),
      },
    };
  } catch (error) {
    throw new EremosError(
      "usage",
      said("eremos-help-lists-commands", { error: error instanceof Error ? error.message : String(error) }),
    );
  }
}

/**
 * Every account can read the words of a command line: with --path-stdin, or - in its place, the path is the first line
 * of the input, before any password. Commands that take several read them themselves.
 */
async function withPathFromInput(name: CommandName, invocation: Invocation): Promise<Invocation> {
  const { words, flags, asking } = invocation;
  const rest = words[0] === ON_INPUT && !takesSeveral(name) ? words.slice(1) : null;
  if (rest === null && flags["path-stdin"] !== true) return invocation;
  return { ...invocation, words: [await asking.readLine(), ...(rest ?? words)] };
}

function isCommand(name: string): name is CommandName {
  return Object.hasOwn(COMMANDS, name);
}

/** Carries out one command. Returns the exit code. */
export async function main(words: readonly string[]): Promise<number> {
  closeMemory();
  goOnWithoutTerminal();
  const json = words.includes("--json");
  try {
    const { name, invocation: parsed } = parse(words);
    if (!isCommand(name)) throw new EremosError("usage", said("there-is-no-command-eremos", { name }));
    const invocation = await withPathFromInput(name, parsed);
    const { result, lines, exitCode = 0 } = await COMMANDS[name](invocation);
    if (json && result !== undefined) sayResult(name, result);
    if (!json) lines.forEach(print);
    return exitCode;
  } catch (caught) {
    const error = fromSystemError(caught, said("working"));
    const { text } = error.told;
    if (json) sayJson({ error: { code: error.code, message: text } });
    note(`eremos: ${text}`);
    return EXIT_CODES[error.class];
  }
}
