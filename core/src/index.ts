/** The one door of the core: verbs, types, error codes. Nothing outside imports anything else of it. */
import { useCiphers } from "./crypto/ciphers";
import { openssl } from "./platform/linux/openssl";

// What is done on this thread, without an engine of its own, uses the platform's too.
useCiphers(openssl);

export type { ErrorClass } from "./errors/codes";
export {
  EremosError,
  type Failure,
  errorOf,
  failureOf,
  fromSystemError,
  isEremosError,
  systemCode,
} from "./errors/eremos-error";
export { type Fault, noteFaultsBy } from "./errors/faults";
export { equalBytes, fromBase64, randomBytes, sha256, toBase64, wipe } from "./crypto/bytes";
export { openBox, sealBox } from "./crypto/box";
export { chunkCipher } from "./crypto/chunk-cipher";
export { openEnvelope, sealTo } from "./crypto/envelope";
export {
  type Effort,
  LEAST_COST,
  type Password,
  type PasswordCost,
  heavierCost,
  hkdf,
  measurePasswordCost,
  measurePasswordCosts,
  parsePasswordHashing,
} from "./crypto/kdf";
export { type SigningKey, generateSigningKey, isSignedBy, signWith } from "./crypto/signature";
export {
  type NewDevice,
  type OwnerEnvelope,
  type OwnerSecret,
  ProvenOwner,
  deviceId,
  createOwner,
  earlierRoots,
  earlierSealingKeys,
  isRootKeyOf,
  openOwner,
  openSealingKey,
  openWithCode,
  openWithPassword,
  readOwner,
  withCode,
  withDevice,
  withKeyholders,
  withNewKeys,
  withPassword,
  writeOwner,
} from "./format/owner";
export { CODE_GROUPS, isGroupRight, mistypedGroups, newRecoveryCode } from "./format/codes/recovery-code";
export { normaliseCodeText } from "./format/codes/code-groups";
export { SHARE_GROUPS, lookAtShares } from "./format/keyholders";
export { type FolderSecret, type WaysIn, keyholdersOf, waysInto } from "./format/header";
export type { FolderPassword } from "./format/slot";
export { HIDDEN_NAME, newId, whyNotCover } from "./format/ids";
export {
  CONSENTS,
  type Consent,
  LEAST_THRESHOLD,
  MOST_KEYHOLDERS,
  VISIBILITIES,
  type Visibility,
} from "./format/choices";
export type { Entry, Listing } from "./format/tree";
export type { Progress } from "./engine/ground";
export { closeToOthers } from "./engine/upkeep";
export type { Adopted } from "./engine/access";
export { openFolderKey } from "./engine/access";
export type { Change, TakenBack } from "./engine/visiting";
export type { SealedInput } from "./engine/contents";
export type { CheckOutcome, Damage } from "./engine/upkeep";
export type { OwnerAccess } from "./engine/records";
export {
  type FolderToLookAt,
  type Located,
  type LookRequest,
  type Looked,
  locateAnywhere,
  locateFolder,
  lookAtFolder,
  notAnswering,
  protectedAbove,
} from "./engine/upkeep";
export { lockFolder, releaseFolder, unlockFolder } from "./engine/guards";
export { isInsured, priceOf } from "./insurance";
export type { InsuranceLevel } from "./format/insurance";
export { type FindHiddenInput, type HiddenFound, findHidden } from "./hidden/find-hidden";
export type { ScriptLock } from "./hidden/script-locks";
export { type Undo, bringBack } from "./hidden/bring-back";
export { mendFolder } from "./engine/upkeep";
export {
  type OffLimits,
  type OffLimitsEdits,
  defaultOffLimits,
  editedOffLimits,
  isInPlaces,
  refuseOffLimits,
  whyOffLimits,
} from "./engine/upkeep";
export {
  type Bars,
  GUARDS,
  type GuardName,
  LEVELS,
  type Level,
  NO_BARS,
  USUAL_BARS,
  isEncrypting,
  traitsOf,
  barsSchema,
} from "./format/guards";
export { type Inspection, inspectFolder, isChangeAlone, isLocked } from "./engine/guards";
export type { Recovery } from "./engine/guards";
export type { Guarding, Locked, SealedFacts, Sealing, Unlocked, UnsealedFacts } from "./engine/guards";
export { type Grounds, HELD_NAME } from "./engine/visibility";
export { letForkGo } from "./engine/visiting";
export type { AccessProblem } from "./engine/access";
export type { Ownership } from "./engine/upkeep";
export type { EarlierState } from "./engine/contents";
export type { Upload } from "./engine/visiting";
export { openFolderKeyBefore, renewFolder } from "./engine/access";
export type { Pieces } from "./engine/upkeep";
export { type Committed, type DirNode, type FileNode, type Node, Visit, type VisitInput } from "./engine/visiting";
export { isWithin } from "./engine/visiting";
export { isName } from "./format/tree";
export { wholeDresser } from "./engine/upkeep";
export { makeFolder } from "./engine/upkeep";
export { fileAddress, pathInAddress } from "./engine/ground";
export { ITEM, PAGE, SIGN_NAMES } from "./format/state";
export type { Received } from "./handover/receive";
export type { HandOverInput, HandedOver, PackageForm } from "./handover/hand-over";
export { OWN_DIR_NAME, busyWith, displayPath, isMountPoint, joinPath, splitPath } from "./engine/ground";
export type { OnlookerKind } from "./onlooker/kinds";
export type { Answer } from "./onlooker/surroundings";
export { type Onlook, type View, lookAs } from "./onlooker/onlooker";
export { hiddenNamesIn, isHiddenByDesktop } from "./onlooker/hiding";
export type { Dir, Disk, Identity, Looks } from "./platform/port";
export { isPrintable, printable, printableJson } from "./errors/printable";
export { accountOfPeer } from "./platform/linux/connections";
export { type HeldPort, LOOPBACKS, givenPorts, holdPort, letGoPort } from "./platform/linux/ports";
export { closeMemory } from "./platform/linux/memory";
export { giveWay } from "./platform/linux/priority";
export { linuxDisk as disk, linuxDiskOf as diskOf } from "./platform/linux/linux-disk";
export { type Running, runEngine } from "./worker/run-engine";
export type { EngineRequest, Outcomes } from "./worker/protocol";
export { reviveBytes } from "./worker/protocol";
export { type Each, type ShortOutcomes, type ShortRequest, performShort } from "./worker/short";
export { type LockedFolder, type RescueSecret, findLocked, openLocked, readGuardOwner } from "./rescue/on-disk";
export type { RescueReport } from "./rescue/bring-out/report";
export { rescue } from "./rescue/bring-out/to-directory";
export { type ScanEnd, type ScanFound, type ScanInput, type ScanProgress, scan } from "./rescue/scan";
export { describeFound, describeReport } from "./rescue/words";
export { directorySource } from "./rescue/directory-source";
export type { Drop } from "./engine/slot";
export { DropUpload, type DropSlot, ownDirPlace } from "./engine/slot";
export {
  type ClearInput,
  type Cleared,
  KEPT_DAYS,
  type KeptHead,
  type TraceHome,
  type TracesInput,
  keptTracesIn,
} from "./traces";
export {
  type FreeSpaceFilled,
  type NotOverwritten,
  type Overwritten,
  mediumAt,
  whatOverwritingReaches,
} from "./overwrite";
export { sweepErased } from "./engine/guards";
export { TRACE_KINDS } from "./format/choices";
export { readPlanted } from "./platform/planted";
