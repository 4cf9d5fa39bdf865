import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: "e2e",
  testMatch: "*.spec.ts",
  // Against hanging only: a machine that is busy takes its time.
  timeout: 300_000,
  expect: { timeout: 30_000 },
  workers: 3,
  reporter: [["list"], ["json", { outputFile: "test-results/playwright.json" }]],
  use: {
    viewport: { width: 1280, height: 800 },
    locale: "en-GB",
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
      ],
    },
    screenshot: "only-on-failure",
  },
});
