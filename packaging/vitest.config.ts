import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

/** The packages as they come out of `npm run package`, in a system made for them. As root only: `npm run test:package`. */
export default defineConfig({
  test: {
    root: fileURLToPath(new URL("..", import.meta.url)),
    include: ["packaging/test/*.test.ts"],
    testTimeout: 300_000,
    hookTimeout: 600_000,
    fileParallelism: false,
    bail: 1,
  },
});
