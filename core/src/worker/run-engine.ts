import { createRequire } from "node:module";
import { Worker } from "node:worker_threads";
import type { Progress } from "../engine/ground";
import { EremosError, errorOf, fromSystemError } from "../errors/eremos-error";
import { type EngineRequest, type FromWorker, type Outcomes, reviveBytes } from "./protocol";
import { said } from "@eremos/words/core/errors";

export interface Running<V extends keyof Outcomes> {
  readonly outcome: Promise<Outcomes[V]>;
  /** Asks it to stop and put everything back; it goes on when it is past the point where that is possible. */
  cancel(): void;
}

/**
 * Starts one verb in a worker thread. Keys are copied into it and die with it. `identity`: the secret by which this
 * computer knows its own records.
 */
export function runEngine<V extends keyof Outcomes>(
  request: EngineRequest & { readonly verb: V },
  onProgress: (progress: Progress) => void,
  identity: Uint8Array,
): Running<V> {
  const cancel = new SharedArrayBuffer(4);
  const worker = new Worker(createRequire(import.meta.url).resolve("@eremos/core/worker"), {
    workerData: { request, cancel, identity },
  });
  const outcome = new Promise<Outcomes[V]>((resolve, reject) => {
    worker.on("message", (message: FromWorker) => {
      if (message.kind === "progress") onProgress(message.progress);
      else if (message.kind === "done") resolve(reviveBytes(message.outcome) as Outcomes[V]);
      else reject(errorOf(message.failure));
    });
    worker.on("error", (error) => reject(fromSystemError(error, said("working"))));
    worker.on("exit", () => reject(new EremosError("interrupted", said("work-was-cut-off-nothing"))));
  });
  return { outcome, cancel: () => void Atomics.store(new Int32Array(cancel), 0, 1) };
}
