/** Where processes and threads begin. `program`: how it is started; what it is made of lies beside it. */
export const PROGRAMS = [
  { source: "core/src/worker/engine-worker.ts", program: "core/dist/engine-worker.cjs", kind: "thread" },
  { source: "server/src/visit/visit-worker.ts", program: "server/dist/visit-worker.cjs", kind: "process" },
  { source: "server/src/http/session-main.ts", program: "server/dist/session-main.cjs", kind: "process" },
  { source: "server/src/look/looker-main.ts", program: "server/dist/looker-main.cjs", kind: "process" },
  { source: "cli/src/run.ts", program: "cli/dist/run.cjs", kind: "process" },
];

/** All of it, in one file. */
export const codeOf = (program) => program.replace(/\.cjs$/, ".code.cjs");
/** What the engine compiled of it. */
export const compiledOf = (program) => program.replace(/\.cjs$/, ".code.cache");
