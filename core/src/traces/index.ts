/**
 * Traces: what lies outside a protected folder and tells of it, kind by kind.
 * Each kind is found by a file of its own; what one can't read keeps no other from being looked for. What is cleared
 * is kept first, encrypted for the owner alone, and can be put back.
 */
export { type CountInput, type FoundTraces, type TracesInput, countTraces, findTraces } from "./find";
export { type ClearInput, type Cleared, clearTraces } from "./clear";
export { KEPT_DAYS, type KeptHead, forgetKept, keptTracesIn } from "./kept";
export { type TracesBack, type TracesBackInput, putTracesBack } from "./put-back";
export type { TraceHome } from "./trace";
