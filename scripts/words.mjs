/** The words that the glossary lists as not used are used nowhere: not in a source, a page or a paper. */
import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { root } from "./steps.mjs";

const GLOSSARY = "docs/GLOSSARY.md";
const [, table = ""] = readFileSync(join(root, GLOSSARY), "utf8").split("## Words that are not used");
const words = [...table.matchAll(/^\| ([a-z][a-z -]*) \| (?!but )(.+) \|$/gm)].map(([, word, instead]) => ({
  word,
  instead,
}));
if (words.length === 0) throw new Error(`${GLOSSARY} has no table of words that are not used`);

let wrong = 0;
for (const { word, instead } of words) {
  const { stdout } = spawnSync(
    "git",
    [
      "grep",
      "-inI",
      "--untracked",
      "-e",
      word,
      "--",
      ".",
      `:!${GLOSSARY}`,
      ":!package-lock.json",
      ":!docs/vectors",
      ":!scripts/bench.mjs",
    ],
    { cwd: root, encoding: "utf8" },
  );
  for (const line of stdout.split("\n").filter((found) => found !== "")) {
    wrong++;
    process.stderr.write(`${line.slice(0, 160)}\n  "${word}" is no word of ours: ${instead}\n`);
  }
}
process.exitCode = wrong > 0 ? 1 : 0;
