/**
 * Everything: build, types, style, the direction of imports, core, server and command line, and the real interface in
 * Chromium.
 */
import { spawnSync } from "node:child_process";
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statfsSync } from "node:fs";
import { join, relative } from "node:path";
import { CHECKS, runChecks } from "./checks.mjs";
import { UNHANDLED } from "./unhandled-errors.mjs";
import { build, install, installTestPrograms, requireNode, root } from "./steps.mjs";

const deep = process.argv.includes("--deep");
process.env.NEXT_TELEMETRY_DISABLED = "1";
if (deep) process.env.EREMOS_DEEP = "1";
requireNode();
install();
installTestPrograms();
await build();

const results = join(root, "test-results");
rmSync(results, { recursive: true, force: true });
mkdirSync(results);
let passed = 0;
let failed = 0;
/** What failed, and the first line of why: said once more at the end, where it is looked for. */
const failures = [];
/** Tests that need another account, a mount or the like, where there is none. */
let skipped = 0;

const ROOM_BYTES = 8 * 2 ** 30;

/**
 * Where the tests' own folders are: in memory, where there is room and files have attributes there too, since they are
 * written durably thousands of times. The long campaigns, and tests that are run by themselves, are on the disk.
 */
function inMemory() {
  const directory = "/dev/shm";
  if (!existsSync(directory)) return null;
  const { bavail, bsize } = statfsSync(directory);
  if (bavail * bsize < ROOM_BYTES) return null;
  const own = mkdtempSync(join(directory, "eremos-tests-"));
  // Tests look into what is theirs as other accounts, too.
  chmodSync(own, 0o755);
  if (spawnSync("setfattr", ["-n", "user.eremos", "-v", "1", own]).status === 0) return own;
  rmSync(own, { recursive: true });
  return null;
}

const place = deep ? null : inMemory();
if (place !== null) process.env.TMPDIR = place;

/** Adds a runner's own counts; a runner that ends badly without counting a failure counts as one. */
function suite(name, args, report, countsOf) {
  process.stdout.write(`\n== ${name}\n`);
  const { status } = spawnSync("npx", args, { cwd: root, stdio: "inherit" });
  const counts = existsSync(report)
    ? countsOf(JSON.parse(readFileSync(report, "utf8")))
    : { passed: 0, failed: 0, skipped: 0 };
  passed += counts.passed;
  skipped += counts.skipped;
  const endedBadly = status !== 0 && counts.failed === 0;
  failed += counts.failed + (endedBadly ? 1 : 0);
  failures.push(
    ...(counts.failures ?? []),
    ...(endedBadly ? [`${name}: ended with ${status}, and no test that failed`] : []),
  );
}

const firstLine = (text) =>
  String(text ?? "")
    .split("\n", 1)[0]
    .slice(0, 300);

function failedUnits(report) {
  return report.testResults.flatMap(({ name, message, assertionResults }) => {
    const file = relative(root, name);
    const those = assertionResults.filter(({ status }) => status === "failed");
    if (those.length === 0 && message) return [`${file}: ${firstLine(message)}`];
    return those.map((test) => `${file}: ${test.fullName}: ${firstLine(test.failureMessages[0])}`);
  });
}

/** Errors that no test waited for: the run ends badly, and no test failed. */
function unhandled() {
  if (!existsSync(UNHANDLED)) return [];
  const lines = readFileSync(UNHANDLED, "utf8").trimEnd().split("\n");
  return lines.map((line) => {
    const { file, test, message, stack } = JSON.parse(line);
    return `${file ?? "between files"}: ${test ?? "no test"}: an error nobody waited for: ${message}\n${stack ?? ""}`;
  });
}

function failedInBrowser({ suites = [], specs = [] }) {
  return [
    ...specs
      .filter(({ ok }) => !ok)
      .map(({ file, title, tests }) => {
        const error = tests.flatMap(({ results }) => results).find((result) => result.error)?.error;
        return `${file}: ${title}: ${firstLine(error?.message)}`;
      }),
    ...suites.flatMap(failedInBrowser),
  ];
}

if (!deep) {
  const right = await runChecks();
  passed += right;
  failed += CHECKS.length - right;
  if (right < CHECKS.length) failures.push(`${CHECKS.length - right} of the checks above`);
}
const vitest = join(results, "vitest.json");
suite(
  "core, server, command line",
  [
    "vitest",
    "run",
    ...(deep ? ["core", "cli/test/kill.test.ts"] : []),
    "--reporter=default",
    "--reporter=json",
    "--reporter=./scripts/unhandled-errors.mjs",
    `--outputFile.json=${vitest}`,
  ],
  vitest,
  (report) => ({
    passed: report.numPassedTests,
    failed: report.numFailedTests,
    skipped: report.numPendingTests + report.numTodoTests,
    failures: [...failedUnits(report), ...unhandled()],
  }),
);
if (!deep) {
  const browser = join(results, "playwright.json");
  suite("the interface", ["playwright", "test"], browser, (report) => ({
    passed: report.stats.expected + report.stats.flaky,
    failed: report.stats.unexpected,
    skipped: report.stats.skipped,
    failures: failedInBrowser(report),
  }));
}
if (place !== null) spawnSync("rm", ["-rf", "--", place]);
if (skipped > 0)
  process.stdout.write(
    `\n${skipped} skipped: they need another account, a mounted drive or something else that can't be had here.\n`,
  );
if (failures.length > 0) process.stdout.write(`\nFailed:\n${failures.map((one) => `  ${one}\n`).join("")}`);
process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
process.exitCode = failed === 0 ? 0 : 1;
