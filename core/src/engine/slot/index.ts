/**
 * The drop slot: files put into a locked folder, encrypted to its owner, by somebody who can't open it.
 * They wait beside the contents until they are taken in.
 */
export { DropUpload, type DropSlot, dropInto, sealNewcomers, ownDirPlace } from "./drop-in";
export { type MovedIn, type Originals, moveInto } from "./move-in";
export {
  type Drop,
  countDrops,
  countMovedIn,
  openDrops,
  ordinaryMode,
  refuseWaitingDrops,
  takeOutDrops,
  unreadableDrops,
  writeOut,
} from "./drop";
