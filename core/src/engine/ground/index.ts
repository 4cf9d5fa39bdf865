/**
 * What every room stands on: a folder and Eremos' directory in it, small files and records in two copies, entries and their modes.
 * Nothing here knows a key, a guard or what a folder's contents mean.
 */
export { emptyDir, moveAside, moveFreely, namesFor, removeEntry, removeWhatGoes } from "./entries";
export { keepingTimes, withFile, within } from "./handles";
export { hasOtherForms, holdsNames, withHeldNames } from "./held-names";
export { holdsAll, holdsAttribute, isSameTime } from "./holding";
export {
  MOST_PASSES,
  type Overwriting,
  overwriteFile,
  overwriteOpen,
  type GoingOver,
  overwriteWhatGoes,
  removeNameless,
} from "./overwrite";
export { type Hooks, Meter, type Progress, silentHooks } from "./hooks";
export { FileIds, type FileId, IdentityWriter, fileIdOf } from "./identity";
export { refuseInUse } from "./in-use";
export {
  FOR_OTHERS,
  type Modes,
  OWNER_ALL,
  closeTop,
  modeOf,
  restoreModes,
  restoreTopMode,
  topModeOf,
  topModes,
  widen,
} from "./modes";
export { commitFile, ensureDir, holdsBytes, readIfWhole, readSmallFile } from "./small-files";
export {
  type MetaOf,
  NO_PATH,
  NO_REFUSALS,
  type Owners,
  type Survey,
  isMovable,
  metaOf,
  ownersOf,
  pathInto,
  refuse,
  removingFrom,
  shownPath,
  survey,
} from "./survey";
export { takeBack } from "./take-back";
export {
  type Candidate,
  type DamagedCopy,
  type Loaded,
  allWhole,
  candidatesIn,
  commitRecord,
  firstWhole,
  hasRecord,
  isRecordName,
  readTwins,
  recordsIn,
  removeRecord,
  twinOf,
  writeTwins,
} from "./twins";
export { fileAddress, pathInAddress, percentDecoded, percentEncoded } from "./file-address";
export {
  type Folder,
  type HeldFolder,
  ICON_NAME,
  ITEM_NAME,
  LONGEST_NAME,
  NAMES,
  PAGE_NAME,
  OWN_DIR_NAME,
  busyWith,
  closeFolder,
  containerOf,
  displayPath,
  dropLock,
  fileAt,
  fileRecordIn,
  holdFolder,
  isHiddenName,
  isMountPoint,
  isNotContents,
  isOwnDirectory,
  joinPath,
  letGo,
  openFolder,
  splitPath,
} from "./own-dir";
