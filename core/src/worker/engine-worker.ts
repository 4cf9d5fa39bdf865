import { parentPort, workerData } from "node:worker_threads";
import { failureOf } from "../errors/eremos-error";
import { linuxPlatform } from "../platform/linux/platform";
import { createEngine } from "./engine";
import { type EngineRequest, type FromWorker, reviveBytes } from "./protocol";
import { said } from "@eremos/words/core/errors";

interface Start {
  readonly request: EngineRequest;
  readonly cancel: SharedArrayBuffer;
  readonly identity: Uint8Array;
}

const { request, cancel, identity } = workerData as Start;
const flag = new Int32Array(cancel);
const tell = (message: FromWorker): void => parentPort?.postMessage(message);

createEngine(linuxPlatform(identity))
  .perform(reviveBytes(request), {
    progress: (progress) => tell({ kind: "progress", progress }),
    cancelled: () => Atomics.load(flag, 0) !== 0,
  })
  .then(
    (outcome) => tell({ kind: "done", outcome }),
    (error: unknown) => tell({ kind: "failed", failure: failureOf(error, said("working")) }),
  );
