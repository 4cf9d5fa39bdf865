import { parentPort, workerData } from "node:worker_threads";
import { fromSystemError } from "../errors/eremos-error";
import { linuxDisk } from "../platform/linux/linux-disk";
import { type EngineRequest, type FromWorker, perform, reviveBytes } from "./protocol";

interface Start {
  readonly request: EngineRequest;
  readonly cancel: SharedArrayBuffer;
}

const { request, cancel } = workerData as Start;
const flag = new Int32Array(cancel);
const say = (message: FromWorker): void => parentPort?.postMessage(message);

perform(linuxDisk, reviveBytes(request), {
  progress: (progress) => say({ kind: "progress", progress }),
  cancelled: () => Atomics.load(flag, 0) !== 0,
}).then(
  (outcome) => say({ kind: "done", outcome }),
  (error: unknown) => {
    const { code, message, data } = fromSystemError(error, "working");
    say({ kind: "failed", code, message, data });
  },
);
