import { defineConfig } from "@playwright/test";
import { CHROMIUM } from "./stand-ins/chromium.mjs";

export default defineConfig({
  testDir: "e2e",
  testMatch: "*.spec.ts",
  globalSetup: "./e2e/once.ts",
  // Against hanging only: a machine that is busy takes its time.
  timeout: 300_000,
  expect: { timeout: 120_000 },
  workers: 3,
  reporter: [["list"], ["json", { outputFile: "test-results/playwright.json" }]],
  use: {
    viewport: { width: 1280, height: 800 },
    locale: "en-GB",
    launchOptions: CHROMIUM,
    screenshot: "only-on-failure",
  },
});
