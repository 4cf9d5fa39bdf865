import { EremosError, printable } from "@eremos/core";
import { note } from "./terminal";
import { said, say } from "@eremos/words/cli";

/** Where passwords and codes come from: lines of standard input, one each, or the terminal, unseen. */
export class Asking {
  private readonly input = new Input();

  constructor(readonly fromStdin: boolean) {}

  /**
   * The next one. `twice`: at a terminal typed twice, for a new one. @throws EremosError `usage` without either source
   */
  async ask(message: string, twice = false): Promise<string> {
    if (this.fromStdin) return this.readLine();
    if (!process.stdin.isTTY) throw new EremosError("usage", said("password-is-asked-at-terminal"));
    return twice ? promptTwice(message) : promptUnseen(message);
  }

  /** The next one, seen as it is typed. @throws EremosError as {@link ask} */
  async askSeen(message: string): Promise<string> {
    if (this.fromStdin) return this.readLine();
    if (!process.stdin.isTTY) throw new EremosError("usage", said("password-is-asked-at-terminal"));
    note(`${message}:`);
    return this.readLine();
  }

  /** The next line of the input; nothing at its end. */
  readLine(): Promise<string> {
    return this.input.line();
  }

  /** What is left of the input, in parts that this ends. */
  async readAll(end: "\n" | "\0"): Promise<string[]> {
    return (await this.input.rest()).split(end).map((part) => (end === "\n" ? part.replace(/\r$/, "") : part));
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

/** Standard input, of which a line or all the rest is taken at a time. */
class Input {
  private ahead = "";
  private parts: AsyncIterator<unknown> | null = null;

  /** Whether there was more. */
  private async more(): Promise<boolean> {
    this.parts ??= process.stdin.setEncoding("utf8")[Symbol.asyncIterator]();
    const { value, done } = await this.parts.next();
    if (done === true) return false;
    this.ahead += String(value);
    return true;
  }

  async line(): Promise<string> {
    while (!this.ahead.includes("\n")) if (!(await this.more())) break;
    const [line = "", ...rest] = this.ahead.split("\n");
    this.ahead = rest.join("\n");
    return line.replace(/\r$/, "");
  }

  async rest(): Promise<string> {
    while (await this.more());
    const { ahead } = this;
    this.ahead = "";
    return ahead;
  }
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
