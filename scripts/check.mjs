/** The checks of `npm test` that need no build and no browser: all of them, or those whose names begin with a word. */
import { CHECKS, runChecks } from "./checks.mjs";
import { install, requireNode } from "./steps.mjs";

requireNode();
install();
const [, , which = ""] = process.argv;
const chosen = CHECKS.filter(([name]) => name.startsWith(which));
const passed = await runChecks(chosen);
process.stdout.write(`\n${passed} passed, ${chosen.length - passed} failed\n`);
process.exitCode = passed === chosen.length ? 0 : 1;
