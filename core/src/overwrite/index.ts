export { finishOverwriting } from "./begun";
export { type FreeSpaceFilled, type FreeSpaceInput, overwriteFreeSpace } from "./free-space";
export { type NotOverwritten, type OverwriteInput, type Overwritten, overwrite } from "./overwrite";
export { mediumAt, whatOverwritingReaches } from "./reaching";
