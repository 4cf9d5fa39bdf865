import { afterAll, vi } from "vitest";

/** What a file's tests replaced is as it was for the next file of the same process. */
afterAll(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
  vi.unstubAllEnvs();
  vi.unstubAllGlobals();
});
