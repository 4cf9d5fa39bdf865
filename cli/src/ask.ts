import password from "@inquirer/password";
import { EremosError } from "@eremos/core";

/** The first lines of standard input, without their line ends. */
async function firstLines(count: number): Promise<string[]> {
  let text = "";
  for await (const part of process.stdin) {
    text += String(part);
    if (text.split("\n").length > count) break;
  }
  process.stdin.destroy();
  const lines = text.split("\n", count).map((line) => line.replace(/\r$/, ""));
  return Array.from({ length: count }, (_, i) => lines[i] ?? "");
}

/** The password, from standard input when asked so, else typed at the terminal, unseen. @throws EremosError `usage` without either */
export async function askPassword(fromStdin: boolean, message: string, twice = false): Promise<string> {
  if (fromStdin) return (await firstLines(1))[0] ?? "";
  requireTerminal();
  return twice ? promptTwice(message) : promptUnseen(message);
}

/** The present password and the new one, from the first two lines of standard input or from the terminal. @throws EremosError `usage` */
export async function askNewPassword(fromStdin: boolean): Promise<{ readonly current: string; readonly password: string }> {
  if (fromStdin) {
    const [current = "", password = ""] = await firstLines(2);
    return { current, password };
  }
  requireTerminal();
  return { current: await promptUnseen("Present master password"), password: await promptTwice("New master password") };
}

function requireTerminal(): void {
  if (!process.stdin.isTTY) throw new EremosError("usage", "The password is asked at a terminal. Here there is none: give it with --password-stdin (first line of the input).");
}

async function promptTwice(message: string): Promise<string> {
  const typed = await promptUnseen(message);
  if ((await promptUnseen("The same again")) !== typed) throw new EremosError("usage", "The two are not the same. Nothing was changed; try again.");
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
