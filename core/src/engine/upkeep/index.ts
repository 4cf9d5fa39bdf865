/**
 * What a folder needs while it is not being locked or opened: checks, mending, finding it, its visibility, what may be protected at all.
 * Each a verb of its own, on top of all the others.
 */
export { type Pieces, type PiecesInput, checkPieces } from "./check-pieces";
export { type CheckOutcome, type CheckRequest, type Damage, checkFolder } from "./check";
export { closeToOthers } from "./close-to-others";
export { wholeDresser } from "./dress-rescued";
export {
  type FolderToLookAt,
  type LookRequest,
  type Looked,
  locateAnywhere,
  lookAtFolder,
  notAnswering,
} from "./look-at-folders";
export { type Located, locateFolder, protectedAbove } from "./locate";
export { type Mended, mendFolder } from "./mend";
export { type NewFile, type Written, writeNew } from "./new-file";
export { makeFolder, unmakeFolder } from "./new-folder";
export {
  type OffLimits,
  type OffLimitsEdits,
  defaultOffLimits,
  editedOffLimits,
  isInPlaces,
  refuseOffLimits,
  whyOffLimits,
} from "./off-limits";
export {
  type Ownership,
  type PermissionsInput,
  type PermissionsOutcome,
  permissionsSinceLock,
} from "./permissions-since";
export { type RepairInput, type RepairOutcome, repairFolder } from "./repair";
export { stepAside } from "./step-aside";
