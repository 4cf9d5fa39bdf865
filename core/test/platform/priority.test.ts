import * as os from "node:os";
import * as path from "node:path";
import { Worker } from "node:worker_threads";
import { afterAll, expect, it } from "vitest";
import { silentHooks } from "../../src/engine/ground/hooks";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { openssl } from "../../src/platform/linux/openssl";
import { createEngine } from "../../src/worker/engine";
import type { EngineRequest } from "../../src/worker/protocol";
import { bundleProcess } from "../support/own-process";
import { newDirectory, removeDirectory } from "../support/world";

const base = newDirectory();
afterAll(() => removeDirectory(base));

it("one thread gives way to others, and the rest of its process stays where it was", async () => {
  const bundled = path.join(base, "priority.mjs");
  await bundleProcess("core/src/platform/linux/priority.ts", bundled);
  const before = os.getPriority();
  const thread = new Worker(
    `const os = require("node:os");
    import(${JSON.stringify(bundled)}).then(({ giveWay }) => {
      giveWay();
      require("node:worker_threads").parentPort.postMessage(os.getPriority());
    });`,
    { eval: true },
  );
  const inside = await new Promise((resolve) => thread.once("message", resolve));
  expect(inside).toBe(Math.max(before, 4));
  expect(os.getPriority()).toBe(before);
});

it.each([
  ["preview", 1],
  ["reach", 1],
  ["lock", 0],
  ["unlock", 0],
  ["overwrite", 0],
] as const)("%s, which only looks or does something, gives way %i times", async (verb, times) => {
  let given = 0;
  const engine = createEngine({ disk: linuxDisk, ciphers: openssl, giveWay: () => given++ });
  await engine.perform({ verb, input: {} } as EngineRequest, silentHooks).catch(() => undefined);
  expect(given).toBe(times);
});
