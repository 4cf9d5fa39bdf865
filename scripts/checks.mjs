/** What is true of the sources without running them. */
import { spawn } from "node:child_process";
import { availableParallelism } from "node:os";
import { root } from "./steps.mjs";

/** The compiler that checks in a fraction of the time; the style's checks need the other one's interface. */
const typesOf = (/** @type {string} */ project) =>
  /** @type {[string, ...string[]]} */ (["node", "node_modules/typescript-native/bin/tsc", "-p", project]);

/** @type {[name: string, command: [program: string, ...string[]]][]} */
export const CHECKS = [
  ["style", ["npx", "eslint", ".", "--max-warnings", "0"]],
  ["layout", ["npx", "prettier", "--check", "--log-level", "warn", "."]],
  ["types", typesOf("tsconfig.json")],
  ["types of the page", typesOf("web/tsconfig.check.json")],
  ["types of the rescue page", typesOf("rescue/tsconfig.json")],
  ["types of the scripts", typesOf("tsconfig.scripts.json")],
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
  ["mutants apply", ["node", "scripts/mutants.mjs", "--apply"]],
  ["the paper of calls", ["node", "scripts/api.mjs", "--check"]],
  ["dead code", ["npx", "knip", "--no-progress"]],
];

/** What one of them says is told when it has ended, in one piece. */
function run([name, [program, ...args]]) {
  return new Promise((resolve) => {
    const check = spawn(program, args, { cwd: root, stdio: ["ignore", "pipe", "pipe"] });
    let said = "";
    for (const stream of [check.stdout, check.stderr]) stream.on("data", (part) => (said += String(part)));
    check.once("error", (error) => (said += error.message));
    check.once("close", (status) => {
      process.stdout.write(`\n== ${name}${status === 0 ? "" : ": failed"}\n${said}`);
      resolve(status === 0);
    });
  });
}

/** Runs all of them, as many at once as there are processors, also after one has failed. Returns how many passed. */
export async function runChecks(checks = CHECKS) {
  const left = [...checks];
  let passed = 0;
  const one = async () => {
    for (let check = left.shift(); check; check = left.shift()) if (await run(check)) passed++;
  };
  await Promise.all(Array.from({ length: availableParallelism() }, one));
  return passed;
}
