import { fileURLToPath } from "node:url";
import { parseArgs } from "node:util";
import { EremosError, type ErrorClass, closeMemory, fromSystemError } from "@eremos/core";
import { Asking } from "./ask";
import { COMMANDS, USAGE } from "./commands";
import type { Invocation } from "./invocation";
import { note, say, sayJson } from "./terminal";

/** The project's root: two levels above cli/dist. */
const PROGRAM = fileURLToPath(new URL("../..", import.meta.url)).replace(/\/$/, "");

const EXIT_CODES: Readonly<Record<ErrorClass, number>> = { usage: 2, password: 3, refused: 4, damage: 5, failed: 6 };

function parse(words: readonly string[]): { name: string; invocation: Invocation } {
  try {
    const { values, positionals } = parseArgs({
      args: [...words],
      allowPositionals: true,
      options: {
        json: { type: "boolean", default: false },
        "path-stdin": { type: "boolean", default: false },
        "password-stdin": { type: "boolean", default: false },
        hide: { type: "boolean", default: false },
        view: { type: "boolean", default: false },
        anyway: { type: "boolean", default: false },
        accept: { type: "string", multiple: true },
        remove: { type: "boolean", default: false },
        "folder-password": { type: "boolean", default: false },
        "with-code": { type: "boolean", default: false },
        "code-stdin": { type: "boolean", default: false },
        "with-shares": { type: "boolean", default: false },
        "shares-stdin": { type: "boolean", default: false },
        full: { type: "boolean", default: false },
        "without-password": { type: "boolean", default: false },
        to: { type: "string" },
        of: { type: "string" },
        hint: { type: "string" },
        minutes: { type: "string" },
        effort: { type: "string" },
        cover: { type: "string" },
        guard: { type: "string" },
        visibility: { type: "string" },
        others: { type: "string" },
        own: { type: "string" },
        help: { type: "boolean", short: "h", default: false },
      },
    });
    const [name = "help", ...rest] = positionals;
    return {
      name: values.help ? "help" : name,
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
      `${error instanceof Error ? error.message : String(error)}. \`eremos help\` lists the commands.`,
    );
  }
}

/**
 * Every account can read the words of a command line: with --path-stdin the path is the first line of the input, before
 * any password.
 */
async function withPathFromInput(invocation: Invocation): Promise<Invocation> {
  if (invocation.flags["path-stdin"] !== true) return invocation;
  return { ...invocation, words: [await invocation.asking.readLine(), ...invocation.words] };
}

async function main(words: readonly string[]): Promise<number> {
  closeMemory();
  // What is said to a terminal that is gone is said to nobody; the work goes on.
  for (const stream of [process.stdout, process.stderr]) stream.on("error", () => undefined);
  const json = words.includes("--json");
  try {
    const { name, invocation: parsed } = parse(words);
    const invocation = await withPathFromInput(parsed);
    if (name === "help") {
      for (const line of USAGE.trimEnd().split("\n")) say(line);
      return 0;
    }
    const command = Object.hasOwn(COMMANDS, name) ? COMMANDS[name] : undefined;
    if (!command) throw new EremosError("usage", `There is no command "${name}". \`eremos help\` lists the commands.`);
    const { result, lines, exitCode = 0 } = await command(invocation);
    if (json && result !== undefined) sayJson(result);
    if (!json) lines.forEach(say);
    return exitCode;
  } catch (caught) {
    const error = fromSystemError(caught, "working");
    if (json) sayJson({ error: { code: error.code, message: error.message } });
    note(`eremos: ${error.message}`);
    return EXIT_CODES[error.class];
  }
}

/** A reader that stops early (`| head`) is no error of ours. */
process.stdout.on("error", (error: NodeJS.ErrnoException) => {
  if (error.code !== "EPIPE") throw error;
});

process.exitCode = await main(process.argv.slice(2));
// Whoever holds the other end need not close it.
process.stdin.destroy();
