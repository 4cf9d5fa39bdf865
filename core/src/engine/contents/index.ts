/**
 * The encrypted tree: sealing, loading, restoring, earlier states, and what is swept when nothing needs it any more.
 * Plain files are read and written here, and never removed.
 */
export { followCommitWhole } from "./after-commit";
export type { Sealed } from "./as-sealed";
export {
  type Difference,
  type Earlier,
  type EarlierState,
  type Opener,
  countUnderEarlierKeys,
  differences,
  listEarlier,
  requireEarlier,
  sweepKeeping,
} from "./earlier";
export {
  IndexReader,
  type LoadedTree,
  loadTree,
  openIndex,
  openPack,
  openSegment,
  packReader,
  segmentReader,
} from "./load-tree";
export type { SealingInput, OpenNote } from "./sealing-input";
export { type SealedInput, headToRenew, knownHead, lookAtSealed, openHeads, openSealed } from "./open-sealed";
export { readOpened, writeOpened } from "./opened";
export {
  PackReaders,
  type Restored,
  applyLinkMeta,
  applyMeta,
  fittingMode,
  forEachChunk,
  groupName,
  isPutOnByAnybody,
  restoreLink,
  restoreTree,
  unlessDamaged,
  writeWhole,
} from "./restore-tree";
export { type Anew, isOfEarlierEpoch, sealPackAnew } from "./seal-anew";
export {
  type SealedContent,
  type SealingOf,
  type Writing,
  type WrittenSegment,
  loadOpened,
  prepare,
  sealContent,
  sealedBefore,
  sealedFor,
  writeGenerationOf,
  writeRecordOf,
} from "./seal-generation";
export { type Base, changedWhileLocking } from "./seal-tree";
export {
  type Amount,
  type Room,
  type Strategy,
  bytesForWhole,
  changedSince,
  chooseStrategy,
  roomForBoth,
  roomForRound,
} from "./space";
export { type Swept, discardWork, forgetGeneration, sweep } from "./sweep";
