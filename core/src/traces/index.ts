/**
 * Traces: what lies outside a protected folder and tells of it, kind by kind.
 * Each kind is found by a file of its own; what one can't read keeps no other from being looked for.
 */
export { type FoundTraces, type TracesInput, findTraces } from "./find";
export type { TraceHome } from "./trace";
