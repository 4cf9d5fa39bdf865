/**
 * What lies in Eremos' directory: states, generations and what they name, keys, encrypted objects, and the order of states of several computers.
 * Records are read, believed or not, and written here; what they lead to is decided above.
 */
export {
  type Fork,
  NOTHING_HERE,
  type Newer,
  ancestorsOf,
  arrivalOf,
  forkRecords,
  forksIn,
  hasForks,
  hasObjects,
  neededByOthers,
  newerThan,
  parentsFrom,
  stillArriving,
} from "./in-step";
export { FolderKeys, type OwnerAccess, believedOf, deviceAtWork, ownerSignature } from "./keys";
export { type LastChangeInput, lastChange } from "./last-change";
export {
  LONGEST_PIECE,
  type LookedAt,
  ObjectReader,
  ObjectWriter,
  hashOf,
  isFileWhole,
  mendBeginning,
  objectLength,
  readOrLost,
  removeObject,
  wholeChunks,
  withObjectDir,
} from "./object-io";
export {
  type FoundHead,
  commitDropRecord,
  commitGenerationRecord,
  commitHead,
  damagedRecords,
  dropNames,
  dropRecordName,
  insuredName,
  isInsuredRecord,
  loadDropRecord,
  loadGeneration,
  loadHeads,
  loadKeyRecords,
  loadManifest,
  mendCopies,
  mendHead,
  recordsToInsure,
  removeDropRecord,
  removeGenerationRecord,
  generationsIn,
  wholeGenerations,
  writeGenerationRecord,
  writeManifest,
  writeNewHead,
} from "./records";
export { bringRemainsOut, countRemains, isRemains, removeStaging } from "./remains";
export {
  commitState,
  hasState,
  isFromElsewhere,
  isOwnState,
  joinIn,
  loadState,
  otherStates,
  placeIn,
  placeOf,
} from "./states";
