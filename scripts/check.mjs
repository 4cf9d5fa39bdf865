/** The checks of `npm test` that need no build and no browser. */
import { CHECKS, runChecks } from "./checks.mjs";
import { install, requireNode } from "./steps.mjs";

requireNode();
install();
const passed = runChecks();
process.stdout.write(`\n${passed} passed, ${CHECKS.length - passed} failed\n`);
process.exitCode = passed === CHECKS.length ? 0 : 1;
