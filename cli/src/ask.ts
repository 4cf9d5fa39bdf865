import { EremosError, printable } from "@eremos/core";
import { said, say } from "@eremos/words/cli";

/** Where passwords and codes come from: lines of standard input, one each, or the terminal, unseen. */
export class Asking {
  private lines: AsyncGenerator<string> | null = null;

  constructor(readonly fromStdin: boolean) {}

  /**
   * The next one. `twice`: at a terminal typed twice, for a new one. @throws EremosError `usage` without either source
   */
  async ask(message: string, twice = false): Promise<string> {
    if (this.fromStdin) return this.readLine();
    if (!process.stdin.isTTY) throw new EremosError("usage", said("password-is-asked-at-terminal"));
    return twice ? promptTwice(message) : promptUnseen(message);
  }

  /** The next line of the input; nothing at its end. */
  async readLine(): Promise<string> {
    this.lines ??= linesOf(process.stdin);
    const { value } = await this.lines.next();
    return typeof value === "string" ? value : "";
  }

  /** Keyholders' shares, one a line, until an empty line or the end. */
  async askShares(): Promise<string[]> {
    const shares: string[] = [];
    for (;;) {
      const share = await this.ask(say("share-nothing-these-are-all", { shares: shares.length + 1 }));
      if (share.trim() === "") return shares;
      shares.push(share);
    }
  }
}

async function* linesOf(stream: AsyncIterable<unknown>): AsyncGenerator<string> {
  let rest = "";
  for await (const part of stream) {
    const lines = (rest + String(part)).split("\n");
    rest = lines.pop() ?? "";
    for (const line of lines) yield line.replace(/\r$/, "");
  }
  if (rest !== "") yield rest;
}

async function promptTwice(message: string): Promise<string> {
  const typed = await promptUnseen(message);
  if ((await promptUnseen(say("same-again"))) !== typed)
    throw new EremosError("usage", said("two-are-not-same-nothing"));
  return typed;
}

async function promptUnseen(message: string): Promise<string> {
  const { default: password } = await import("@inquirer/password");
  try {
    return await password({ message: printable(message), mask: false }, { output: process.stderr });
  } catch (error) {
    if (error instanceof Error && error.name === "ExitPromptError")
      throw new EremosError("cancelled", said("stopped-as-you-asked-nothing"));
    throw error;
  }
}
