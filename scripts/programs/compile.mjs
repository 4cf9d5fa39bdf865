/**
 * Starts one program as it is started, lets it do a little, and keeps what the engine has compiled of it by then:
 * `node compile.mjs PROGRAM KIND`. It begins without anything to do, and what it says is not heard.
 */
import { rmSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { fileURLToPath } from "node:url";
import { compiledOf } from "./list.mjs";
import { Worker, isMainThread, workerData } from "node:worker_threads";

const require = createRequire(import.meta.url);
const [, , program = workerData?.program, kind] = process.argv;

if (isMainThread && kind === "thread") {
  const nothingToDo = {
    request: { verb: "nothing" },
    cancel: new SharedArrayBuffer(4),
    identity: new Uint8Array(32).fill(1),
  };
  new Worker(fileURLToPath(import.meta.url), { workerData: { program, ...nothingToDo } });
} else {
  const cache = compiledOf(program);
  rmSync(cache, { force: true });
  process.argv = [process.argv[0], program, "status"];
  process.on("exit", () => {
    writeFileSync(cache, require.cache[program]?.exports.createCachedData());
    process.exitCode = 0;
  });
  require(program);
}
