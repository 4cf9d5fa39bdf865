/**
 * A reporter of the test runner: errors that no test waited for fail the run, and stand in no other report. Each goes
 * into a file, a line of JSON, with the test that was running.
 */
import { appendFileSync, mkdirSync } from "node:fs";
import { join } from "node:path";
import { root } from "./steps.mjs";

export const UNHANDLED = join(root, "test-results", "unhandled.jsonl");

export default class UnhandledErrors {
  onTestRunEnd(_modules, errors) {
    if (errors.length === 0) return;
    mkdirSync(join(root, "test-results"), { recursive: true });
    for (const { message, stack, VITEST_TEST_NAME, VITEST_TEST_PATH } of errors)
      appendFileSync(
        UNHANDLED,
        `${JSON.stringify({ file: VITEST_TEST_PATH, test: VITEST_TEST_NAME, message, stack })}\n`,
      );
  }
}
