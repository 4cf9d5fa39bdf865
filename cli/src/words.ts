import { parseArgs } from "node:util";

/** What the words of a command line are. Nothing is loaded here: whoever asks for help gets it at once. */
const OPTIONS = {
  json: { type: "boolean", default: false },
  "path-stdin": { type: "boolean", default: false },
  "password-stdin": { type: "boolean", default: false },
  hide: { type: "boolean", default: false },
  view: { type: "boolean", default: false },
  anyway: { type: "boolean", default: false },
  accept: { type: "string", multiple: true },
  remove: { type: "boolean", default: false },
  clear: { type: "string", multiple: true },
  undo: { type: "boolean", default: false },
  "folder-password": { type: "boolean", default: false },
  "with-code": { type: "boolean", default: false },
  "code-stdin": { type: "boolean", default: false },
  "with-shares": { type: "boolean", default: false },
  "shares-stdin": { type: "boolean", default: false },
  full: { type: "boolean", default: false },
  move: { type: "boolean", default: false },
  "take-back": { type: "boolean", default: false },
  trash: { type: "boolean", default: false },
  null: { type: "boolean", short: "0", default: false },
  "without-password": { type: "boolean", default: false },
  to: { type: "string" },
  as: { type: "string" },
  plain: { type: "boolean", default: false },
  "hide-names": { type: "boolean", default: false },
  lock: { type: "boolean", default: false },
  of: { type: "string" },
  now: { type: "boolean", default: false },
  days: { type: "string" },
  history: { type: "boolean", default: false },
  passes: { type: "string" },
  free: { type: "string" },
  folder: { type: "string" },
  since: { type: "string" },
  csv: { type: "boolean", default: false },
  hint: { type: "string" },
  minutes: { type: "string" },
  effort: { type: "string" },
  cover: { type: "string" },
  guard: { type: "string" },
  visibility: { type: "string" },
  others: { type: "string" },
  own: { type: "string" },
  help: { type: "boolean", short: "h", default: false },
} as const;

const parse = (words: readonly string[]) => parseArgs({ args: [...words], allowPositionals: true, options: OPTIONS });

/** @throws TypeError, in words, for a flag that there is not */
export function parseWords(words: readonly string[]): ReturnType<typeof parse> {
  return parse(words);
}

/** Whether somebody asks what there is to ask for: no command at all, `help`, or `--help` beside any. */
export function asksForHelp(words: readonly string[]): boolean {
  try {
    const { values, positionals } = parseWords(words);
    return values.help || (positionals[0] ?? "help") === "help";
  } catch {
    return false;
  }
}
