import { EremosError, fromSystemError } from "@eremos/core";
import type { CommandName, FailedOne } from "@eremos/server";
import { EXIT_CODES } from "./exit-codes";
import type { Invocation } from "./invocation";
import { said } from "@eremos/words/cli";

/** Instead of paths: they are on standard input, behind the password where that is there too. */
export const ON_INPUT = "-";

const SEVERAL: readonly CommandName[] = ["lock", "new", "close", "unlock", "release"];

export function takesSeveral(name: CommandName): boolean {
  return SEVERAL.includes(name);
}

/** The paths or ids that a command is given, each once. */
export interface Given {
  readonly names: readonly string[];
  /** Answered one by one, in a list: more than one were named, or who asks can't know how many there are. */
  readonly areSeveral: boolean;
}

/** @throws EremosError `usage` where none is given; read no sooner than the password was */
export async function givenTo({ words, asking, flags }: Invocation): Promise<Given> {
  const isOnInput = words.length === 1 && words[0] === ON_INPUT;
  const given = isOnInput ? await asking.readAll(flags["null"] === true ? "\0" : "\n") : words;
  const names = [...new Set(given.filter((name) => name !== ""))];
  if (names.length === 0) throw new EremosError("usage", said("this-command-takes-paths"));
  return { names, areSeveral: isOnInput || words.length > 1 };
}

interface Done<R> {
  readonly result: R;
  readonly line: string;
}

/**
 * One after the other. One that fails does not stop the others; an interrupt ends them all. @throws EremosError of the
 * only one, where only one was given
 */
export async function oneByOne<R>(
  { names, areSeveral }: Given,
  one: (name: string) => Promise<Done<R>>,
): Promise<{ result: R | (R | FailedOne)[]; lines: string[]; exitCode: number }> {
  const [only] = names;
  if (!areSeveral && only !== undefined) {
    const { result, line } = await one(only);
    return { result, lines: [line], exitCode: 0 };
  }
  const results: (R | FailedOne)[] = [];
  const lines: string[] = [];
  let exitCode = 0;
  let interrupted: EremosError | null = null;
  for (const name of names) {
    try {
      if (interrupted) throw interrupted;
      const { result, line } = await one(name);
      results.push(result);
      lines.push(line);
    } catch (caught) {
      const error = fromSystemError(caught, said("working"));
      const { text } = error.told;
      results.push({ path: name, error: { code: error.code, message: text } });
      lines.push(`${name}: ${text}`);
      exitCode = Math.max(exitCode, EXIT_CODES[error.class]);
      if (error.code === "cancelled") interrupted = error;
    }
  }
  return { result: results, lines, exitCode };
}
