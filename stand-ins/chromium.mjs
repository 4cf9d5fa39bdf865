/**
 * The browser of the tests, and how it is started: with no network of its own, and nothing shown. Without the windows
 * and services of a whole one it takes a third less of the processor.
 */
export const CHROMIUM = {
  executablePath: "/usr/bin/chromium-headless-shell",
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
};
