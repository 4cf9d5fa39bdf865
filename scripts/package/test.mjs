/**
 * The packages, installed and used in a Debian that is made for it. As root, with apt: it makes a system of its own and
 * mounts in it. `--again` takes the packages and the system of the last run.
 */
import { spawnSync } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { fail, installPackageTestPrograms, installTestPrograms, requireNode, root, run } from "../steps.mjs";

const INSIDE = ["libstdc++6", "desktop-file-utils", "shared-mime-info", "curl", "passwd"];
const again = process.argv.includes("--again");
const packages = join(root, "packages");
const system = join(packages, "system.tar");

requireNode();
if (process.getuid?.() !== 0) fail("A system to try the package in is made as root only. Nothing was done.");
if (!again) {
  rmSync(packages, { recursive: true, force: true });
  mkdirSync(packages);
  installTestPrograms();
  installPackageTestPrograms();
  run("node", ["scripts/package/make.mjs"]);
  run("node", ["scripts/package/make.mjs", "--version", "0.0.9", "--only-deb", "--quick"]);
}
if (!existsSync(system)) {
  process.stdout.write("Making a Debian to try it in…\n");
  run("mmdebstrap", ["--variant=minbase", `--include=${INSIDE.join(",")}`, "--quiet", "bookworm", system]);
}
const results = join(root, "test-results", "package.json");
rmSync(results, { force: true });
const words = ["vitest", "run", "--config", "packaging/vitest.config.ts", "--reporter=default", "--reporter=json"];
const { status } = spawnSync("npx", [...words, `--outputFile.json=${results}`], { cwd: root, stdio: "inherit" });
const { numPassedTests: passed = 0, numFailedTests: failed = 0 } = existsSync(results)
  ? JSON.parse(readFileSync(results, "utf8"))
  : {};
process.stdout.write(`\n${passed} passed, ${failed + (status !== 0 && failed === 0 ? 1 : 0)} failed\n`);
process.exitCode = status ?? 1;
