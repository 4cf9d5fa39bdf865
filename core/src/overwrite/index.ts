export { finishOverwriting } from "./begun";
export { type FreeSpaceFilled, type FreeSpaceInput, overwriteFreeSpace } from "./free-space";
export { type NotOverwritten, type OverwriteInput, type Overwritten, overwrite } from "./overwrite";
export { type HelpsInstead, type Reaching, type WhyNotReached, mediumAt, whatOverwritingReaches } from "./reaching";
