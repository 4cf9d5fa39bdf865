/**
 * Lines whose loss would cost data or secrecy: each is changed in a copy of the sources, and the named test must notice,
 * by an assertion. A test that does not run to an assertion (types, a build, a time-out) has noticed nothing, and neither
 * has one that fails without the change; a change that no longer applies counts as survived.
 */
import { spawn } from "node:child_process";
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { availableParallelism, tmpdir } from "node:os";
import { join } from "node:path";
import { MUTANTS as LISTED } from "./mutants/list.mjs";
import { ACTIVITY } from "./mutants/activity.mjs";
import { HANDING_OVER } from "./mutants/handing-over.mjs";
import { INSTALLING } from "./mutants/installing.mjs";
import { REMOVING } from "./mutants/removing.mjs";
import { install, installTestPrograms, requireNode, root } from "./steps.mjs";

const MUTANTS = [...LISTED, ...REMOVING, ...ACTIVITY, ...INSTALLING, ...HANDING_OVER];
const LONGEST_MS = 240_000;
const STOREYS = ["words", "core", "server", "cli", "rescue", "web"];

/** The sources, with every package where the tests look for it, and the storeys' own names leading to the copy. */
function copySources() {
  const copy = mkdtempSync(join(tmpdir(), "eremos-mutants-"));
  for (const name of [...STOREYS, "demo", "scripts", "stand-ins", "docs", "package.json", "package-lock.json"])
    cpSync(join(root, name), join(copy, name), {
      recursive: true,
      filter: (path) => !/\/(node_modules|\.next|dist|screenshots)$/.test(path),
    });
  for (const name of ["vitest.config.ts", "tsconfig.json", "tsconfig.base.json"])
    cpSync(join(root, name), join(copy, name));
  const packages = join(copy, "node_modules");
  mkdirSync(join(packages, "@eremos"), { recursive: true });
  for (const name of readdirSync(join(root, "node_modules")))
    if (name !== "@eremos" && name !== ".vite") symlinkSync(join(root, "node_modules", name), join(packages, name));
  for (const storey of STOREYS) symlinkSync(join(copy, storey), join(packages, "@eremos", storey));
  for (const storey of ["rescue", "web"])
    symlinkSync(join(root, storey, "node_modules"), join(copy, storey, "node_modules"));
  return copy;
}

/** What `expect` says, or a folder that doesn't open any more. */
const NOTICED = /AssertionError|^Error: expected |Property failed|instead of (rejecting|resolving)|EremosError/m;

/** A campaign begins at the same place each time: what it notices once, it notices. */
const envOf = ({ isDeep = false }) => ({ ...process.env, EREMOS_SEED: "1", EREMOS_DEEP: isDeep ? "1" : "" });

/** @returns how each of the tests of that file ended whose title matches; null: it did not run to its end */
function run(copy, { test, title, isDeep }, longestMs = LONGEST_MS) {
  const report = join(copy, "report.json");
  rmSync(report, { force: true });
  const args = ["vitest", "run", "--root", ".", test, "-t", title, "--reporter=json", `--outputFile=${report}`];
  return new Promise((resolve) => {
    const vitest = spawn("npx", args, { cwd: copy, env: envOf({ isDeep }), stdio: "ignore", detached: true });
    const timer = setTimeout(() => process.kill(-(vitest.pid ?? NaN), "SIGKILL"), longestMs);
    vitest.on("exit", () => {
      clearTimeout(timer);
      resolve(resultsIn(report));
    });
  });
}

function resultsIn(report) {
  try {
    return JSON.parse(readFileSync(report, "utf8")).testResults.flatMap(({ assertionResults }) => assertionResults);
  } catch {
    return null;
  }
}

/** What a run made of the test with that title. */
function endOf(results, title) {
  if (results === null) return "did not run";
  const named = results.filter(({ fullName }) => new RegExp(title).test(fullName));
  const failed = named.filter(({ status }) => status === "failed");
  if (failed.some(({ failureMessages }) => NOTICED.test(failureMessages.join("\n")))) return "noticed";
  if (failed.length > 0) return "failed otherwise";
  return named.some(({ status }) => status === "passed") ? "passed" : "did not run";
}

/** @returns how the line's loss ended, in words; null: it was noticed */
async function survives(copy, mutant) {
  const file = join(copy, mutant.file);
  const whole = readFileSync(file, "utf8");
  if (whole.split(mutant.line).length !== 2) return "no longer applies";
  writeFileSync(
    file,
    whole.replace(mutant.line, () => mutant.becomes),
  );
  try {
    const end = endOf(await run(copy, mutant), mutant.title);
    return end === "noticed" ? null : end;
  } finally {
    writeFileSync(file, whole);
  }
}

const applies = (mutant) => readFileSync(join(root, mutant.file), "utf8").split(mutant.line).length === 2;

// What the daily checks ask: whether each would change something, and its test is there.
if (process.argv[2] === "--apply") {
  const wrong = MUTANTS.filter((mutant) => !applies(mutant) || !existsSync(join(root, mutant.test)));
  for (const { name, file, test } of wrong)
    process.stderr.write(
      `"${name}" changes nothing any more: its line stands once in ${file}, and its test is ${test}\n`,
    );
  process.stdout.write(`${MUTANTS.length} mutants\n`);
  process.exit(wrong.length > 0 ? 1 : 0);
}

requireNode();
install();
installTestPrograms();
const asked = process.argv.slice(2);
const mutants = MUTANTS.filter(({ name }) => asked.length === 0 || asked.some((part) => name.includes(part)));
const waiting = [...mutants];

const fileOf = ({ test, isDeep = false }) => `${test}${isDeep ? ", deep" : ""}`;
const untouched = new Map();
/** How the mutant's test ends without the change: those of one file are run at once. */
async function endUntouched(copy, mutant) {
  const file = fileOf(mutant);
  if (!untouched.has(file)) {
    const titles = mutants.filter((other) => fileOf(other) === file).map(({ title }) => `(?:${title})`);
    untouched.set(file, run(copy, { ...mutant, title: titles.join("|") }, titles.length * LONGEST_MS));
  }
  return endOf(await untouched.get(file), mutant.title);
}

let killed = 0;
await Promise.all(
  Array.from({ length: Math.min(availableParallelism(), mutants.length) }, async () => {
    const copy = copySources();
    try {
      for (let mutant = waiting.shift(); mutant; mutant = waiting.shift()) {
        const whole = await endUntouched(copy, mutant);
        const end = whole === "passed" ? await survives(copy, mutant) : `its test, without the change: ${whole}`;
        if (end === null) killed++;
        process.stdout.write(
          `${end === null ? "killed  " : "SURVIVED"} ${mutant.name}${end === null ? "" : ` (${end})`}\n`,
        );
      }
    } finally {
      rmSync(copy, { recursive: true, force: true });
    }
  }),
);
process.stdout.write(`\n${killed} killed, ${mutants.length - killed} survived\n`);
process.exitCode = killed === mutants.length ? 0 : 1;
