/**
 * Looking into a sealed folder and changing it with nothing readable on the disk; what changed, what came from elsewhere.
 * A visit writes whole states, as a lock does.
 */
export { type Change, type ChangesInput, type ChangesOutcome, changesSinceLock } from "./changes";
export { forksAt, letForkGo } from "./forks";
export {
  type CopyComparison,
  type CopyInput,
  type MergeInput,
  type Merged,
  compareCopy,
  mergeCopy,
} from "./merge-copy";
export { type TakeBackInput, type TakenBack, takeBackMoved } from "./take-back-moved";
export { Upload } from "./upload";
export { type DirNode, type FileNode, type Node, isWithin, keyOf } from "./visit-tree";
export { type Committed, type PutBackInput, Visit, type VisitInput, putBackFolder } from "./visit";
