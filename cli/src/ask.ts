import password from "@inquirer/password";
import { EremosError } from "@eremos/core";

/** The first line of standard input, without its line end. */
async function firstLine(): Promise<string> {
  let text = "";
  for await (const part of process.stdin) {
    text += String(part);
    if (text.includes("\n")) break;
  }
  process.stdin.destroy();
  const [line = ""] = text.split("\n", 1);
  return line.replace(/\r$/, "");
}

/** The password, from standard input when asked so, else typed at the terminal, unseen. @throws EremosError `usage` without either */
export async function askPassword(fromStdin: boolean, message: string, twice = false): Promise<string> {
  if (fromStdin) return firstLine();
  if (!process.stdin.isTTY) throw new EremosError("usage", "The password is asked at a terminal. Here there is none: give it with --password-stdin (first line of the input).");
  const typed = await promptUnseen(message);
  if (twice && (await promptUnseen("The same again")) !== typed) throw new EremosError("usage", "The two are not the same. Nothing was changed; try again.");
  return typed;
}

async function promptUnseen(message: string): Promise<string> {
  try {
    return await password({ message, mask: false }, { output: process.stderr });
  } catch (error) {
    if (error instanceof Error && error.name === "ExitPromptError") throw new EremosError("cancelled", "Stopped, as you asked. Nothing was touched.");
    throw error;
  }
}
