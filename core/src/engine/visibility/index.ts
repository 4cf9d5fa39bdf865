/**
 * How a locked folder shows: hidden in place, tucked away, in view under its own or another name, with a page and an icon.
 * Moves and signs only; contents and keys are none of its business.
 */
export {
  type Grounds,
  HELD_NAME,
  type Hiding,
  IN_VIEW,
  type Showing,
  heldAreasAbove,
  hide,
  hidingFor,
  hidingOrBack,
  showAtOrdinaryPath,
  showsName,
} from "./hide";
export { type Signs, hasIcon, isSign, placeSigns, removeSigns, removeWrittenSigns, shownBy, writeSigns } from "./signs";
