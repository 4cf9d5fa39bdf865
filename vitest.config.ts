import { availableParallelism } from "node:os";
import { defineConfig } from "vitest/config";

export default defineConfig({
  test: { include: ["{core,server,cli,demo}/test/**/*.test.ts"], testTimeout: 120_000, hookTimeout: 120_000, pool: "forks", maxWorkers: availableParallelism() },
});
