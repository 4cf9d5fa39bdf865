import { availableParallelism } from "node:os";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

/** The campaigns of test:deep try every point in one test. */
const longest = process.env["EREMOS_DEEP"] === "1" ? 3_600_000 : 120_000;

export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL("web", import.meta.url)) } },
  test: {
    include: ["{words,core,server,cli,demo,rescue,web}/test/**/*.test.ts"],
    setupFiles: ["core/test/support/ciphers.ts", "core/test/support/derivations.ts"],
    globalSetup: "scripts/bundles-for-tests.mjs",
    forceRerunTriggers: ["**/{core,server,cli,rescue}/src/**"],
    testTimeout: longest,
    hookTimeout: 120_000,
    expect: { poll: { timeout: 30_000 } },
    pool: "forks",
    maxWorkers: availableParallelism(),
  },
});
