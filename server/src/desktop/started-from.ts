/** How the files of a desktop say what is to be started: to a shell, and in an Exec line. */
import type { HowStarted } from "./desktop";

/** A word as the shell reads it back unchanged. */
function shellWord(word: string): string {
  return `'${word.replaceAll("'", "'\\''")}'`;
}

export function shellCommand({ command, environment }: HowStarted, env = "env"): string {
  const settings = Object.entries(environment).map(([name, value]) => `${name}=${shellWord(value)}`);
  return [...(settings.length > 0 ? [env, ...settings] : []), ...command.map(shellWord)].join(" ");
}

/** A word of an Exec line: quoted, with what is special there escaped. Desktop Entry Specification, "The Exec key". */
function execWord(word: string): string {
  return `"${word
    .replaceAll("\\", "\\\\\\\\")
    .replace(/(["`$])/g, "\\\\$1")
    .replaceAll("%", "%%")}"`;
}

export function execLine({ command, environment }: HowStarted, words: readonly string[]): string {
  const settings = Object.entries(environment).map(([name, value]) => `${name}=${value}`);
  return [...(settings.length > 0 ? ["env", ...settings] : []), ...command].map(execWord).concat(words).join(" ");
}

export function entry(home: HowStarted, mark: string, words: readonly string[], lines: readonly string[]): string {
  return `[Desktop Entry]\n# ${mark}\nType=Application\nExec=${execLine(home, words)}\nTerminal=false\n${lines.join("\n")}\n`;
}
