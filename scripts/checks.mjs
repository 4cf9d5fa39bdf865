/** What is true of the sources without running them. */
import { spawnSync } from "node:child_process";
import { root } from "./steps.mjs";

export const CHECKS = [
  ["types", ["npx", "tsc", "-p", "tsconfig.json"]],
  ["types of the page", ["npx", "tsc", "-p", "web/tsconfig.check.json"]],
  ["types of the rescue page", ["npx", "tsc", "-p", "rescue/tsconfig.json"]],
  ["layout", ["npx", "prettier", "--check", "--log-level", "warn", "."]],
  ["style", ["npx", "eslint", ".", "--max-warnings", "0"]],
  [
    "direction of imports",
    [
      "npx",
      "depcruise",
      "--config",
      ".dependency-cruiser.cjs",
      "words/src",
      "core/src",
      "server/src",
      "cli/src",
      "rescue/src",
      "web",
    ],
  ],
  ["rooms", ["node", "scripts/rooms.mjs"]],
  ["words", ["node", "scripts/words.mjs"]],
  ["messages", ["node", "scripts/messages.mjs"]],
  ["the paper of calls", ["node", "scripts/api.mjs", "--check"]],
  ["dead code", ["npx", "knip", "--no-progress"]],
];

/** Runs all of them, also after one has failed. Returns how many of them passed. */
export function runChecks() {
  let passed = 0;
  for (const [name, [program, ...args]] of CHECKS) {
    process.stdout.write(`\n== ${name}\n`);
    if (spawnSync(program, args, { cwd: root, stdio: "inherit" }).status === 0) passed++;
  }
  return passed;
}
