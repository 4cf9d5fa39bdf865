import { availableParallelism } from "node:os";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

/** Against hanging only, as a computer that is busy takes its time; the campaigns of test:deep try every point in one test. */
const longest = process.env["EREMOS_DEEP"] === "1" ? 3_600_000 : 300_000;

/** They put something else in the place of a module. */
const ALONE = ["core/test/attacks/keys-after-work.test.ts"];

/** Tests of one process, of whichever file, load the sources once. */
const together = (name: string, isolate: boolean, include: string[], exclude: string[]) => ({
  extends: true as const,
  test: { name, isolate, include, exclude },
});

export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL("web", import.meta.url)) } },
  test: {
    projects: [
      together("together", false, ["{words,core,server,cli,demo,rescue,web}/test/**/*.test.ts"], ALONE),
      together("alone", true, ALONE, []),
    ],
    setupFiles: ["core/test/setup/ciphers.ts", "core/test/setup/derivations.ts", "core/test/setup/as-before.ts"],
    globalSetup: "scripts/bundles-for-tests.mjs",
    forceRerunTriggers: ["**/{core,server,cli,rescue}/src/**"],
    testTimeout: longest,
    hookTimeout: 300_000,
    expect: { poll: { timeout: 60_000 } },
    pool: "forks",
    maxWorkers: availableParallelism(),
  },
});
