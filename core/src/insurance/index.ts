/**
 * Parity for encrypted objects, and copies of what everything hangs on: what a disk spoils can be repaired.
 * Below the engine's commits, which keep it in step.
 */
export { type GroupFile, Shards, inMemberDir, isShardWhole, readGroups, readShards } from "./group-files";
export {
  type InsuranceFacts,
  insuranceFactsOf,
  isInsured,
  keepInsured,
  mendRecordCopies,
  parses,
  priceOf,
  renewInsurance,
  setInsurance,
} from "./insure";
export { reconstruct } from "./reed-solomon";
