/** What `eremos help` says, read back into its parts: manual and completions say the same, since they are made of it. */
import { fail } from "../steps.mjs";

const FOR_ALL = ["--json", "--password-stdin", "--path-stdin"];

/**
 * @returns the title, the entries for commands and for options (how it is written, and what it does), the closing
 * sentences, and for each command its flags
 */
export function readHelp(help) {
  const [heading, ...blocks] = help.trimEnd().split("\n\n");
  if (blocks.length !== 3) fail("`eremos help` has another form than a manual can be made of.");
  const [commands, options, closing] = [entries(blocks[0]), entries(blocks[1]), blocks[2].split("\n")];
  const flags = new Map();
  for (const { usage } of commands) {
    const [, command] = usage.split(" ");
    flags.set(command, new Set([...(flags.get(command) ?? FOR_ALL), ...flagsIn(usage)]));
  }
  for (const { usage, text } of commands)
    for (const flag of flagsIn(text.split(";").join(" "))) flags.get(usage.split(" ")[1]).add(flag);
  for (const { usage, text } of options)
    for (const [, whose] of text.matchAll(/(?:^|; )([a-z][a-zA-Z, -]*?):/g))
      for (const command of whose.split(/[ ,]+/).filter((word) => flags.has(word)))
        for (const flag of [...flagsIn(usage), ...flagsIn(text)]) flags.get(command).add(flag);
  // Their synopsis says "[choices]".
  for (const flag of flags.get("lock")) flags.get("new").add(flag);
  return { title: heading.replace(/^eremos: /, ""), commands, options, closing, flags };
}

/** A line begins an entry when it is indented by two; what is indented further goes on with the one before. */
function entries(block) {
  const found = [];
  for (const line of block.split("\n")) {
    if (/^ {2}\S/.test(line)) {
      const [usage, ...text] = line.trim().split(/ {2,}/);
      found.push({ usage, text: text.join(" ") });
    } else found.at(-1).text = `${found.at(-1).text} ${line.trim()}`.trim();
  }
  return found;
}

function flagsIn(text) {
  return [...text.matchAll(/(?<![\w-])--[a-z][a-z-]*/g)].map(([flag]) => flag);
}
