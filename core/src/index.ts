/** The one door of the core: verbs, types, error codes. Nothing outside imports anything else of it. */
import { useCiphers } from "./crypto/ciphers";
import { openssl } from "./platform/linux/openssl";

// What is done on this thread, without an engine of its own, uses the platform's too.
useCiphers(openssl);

export { ERROR_CLASSES, type ErrorClass, type ErrorCode } from "./errors/codes";
export {
  EremosError,
  type ErrorData,
  type Failure,
  errorOf,
  failureOf,
  fromSystemError,
  isEremosError,
  systemCode,
} from "./errors/eremos-error";
export { type Fault, noteFault, noteFaultsBy } from "./errors/faults";
export { equalBytes, fromBase64, randomBytes, sha256, toBase64, wipe } from "./crypto/bytes";
export { type BoxFailure, openBox, sealBox } from "./crypto/box";
export { type ChunkCipher, chunkCipher } from "./crypto/chunk-cipher";
export { type Envelope, openEnvelope, sealTo } from "./crypto/envelope";
export {
  EFFORTS,
  type Effort,
  LEAST_COST,
  type MeasuredCost,
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
  type OwnerDevice,
  type OwnerEnvelope,
  type OwnerKeys,
  type OwnerSecret,
  ProvenOwner,
  deviceId,
  deviceName,
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
  withoutDevice,
  writeOwner,
} from "./format/owner";
export {
  CODE_GROUPS,
  isGroupRight,
  mistypedGroups,
  newRecoveryCode,
  parseRecoveryCode,
} from "./format/codes/recovery-code";
export { normaliseCodeText } from "./format/codes/code-groups";
export { SHARE_GROUPS, type ShareLook, lookAtShares, mistypedShareGroups } from "./format/keyholders";
export { type FolderSecret, type WaysIn, keyholdersOf, waysInto } from "./format/header";
export type { FolderPassword } from "./format/slot";
export { HIDDEN_NAME, newId, whyNotCover } from "./format/ids";
export type { FolderState } from "./format/state";
export {
  CONSENTS,
  type Consent,
  LEAST_THRESHOLD,
  MOST_KEYHOLDERS,
  VISIBILITIES,
  type Visibility,
} from "./format/choices";
export type { DirEntry, Entry, FileEntry, LinkEntry, Listing } from "./format/tree";
export type { Hooks, Phase, Progress } from "./engine/ground";
export { closeToOthers } from "./engine/upkeep";
export { type Adopted, adoptFolder } from "./engine/access";
export { changeFolderPassword, changeOwner, openFolderKey } from "./engine/access";
export type { Change, ChangesOutcome, TakenBack } from "./engine/visiting";
export type { SealedInput } from "./engine/contents";
export { type CheckOutcome, type CheckRequest, type Damage, checkFolder } from "./engine/upkeep";
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
export type { OpenNote, Signer } from "./engine/contents";
export { lockFolder, releaseFolder, unlockFolder } from "./engine/guards";
export { type InsuranceFacts, type Priced, insuranceFactsOf, isInsured, priceOf, setInsurance } from "./insurance";
export type { InsuranceLevel } from "./format/insurance";
export { type DamagedMember, type RepairOutcome, repairFolder } from "./engine/upkeep";
export { type FindHiddenInput, type HiddenFound, findHidden } from "./hidden/find-hidden";
export type { Means } from "./hidden/means";
export type { ScriptLock } from "./hidden/script-locks";
export { type Undo, bringBack, putBackHidden, removeScript } from "./hidden/bring-back";
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
export { type Inspection, inspectFolder, isChangeAlone, isLocked, recoverFolder } from "./engine/guards";
export type { Recovery } from "./engine/guards";
export { renewGuardOwner } from "./engine/guards";
export type { Guarding, Locked, SealedFacts, Sealing, Unlocked, UnsealedFacts, Unsealing } from "./engine/guards";
export { type Grounds, HELD_NAME } from "./engine/visibility";
export type { CopyComparison, CopyDifference } from "./engine/visiting";
export { forksAt, letForkGo } from "./engine/visiting";
export type { Arrival, Fork } from "./engine/records";
export { type AccessProblem, accessProblems, repairAccess } from "./engine/access";
export type { Ownership, PermissionChange, PermissionsOutcome } from "./engine/upkeep";
export type { EarlierState } from "./engine/contents";
export type { Upload } from "./engine/visiting";
export { type RenewInput, type SealedAnew, openFolderKeyBefore, renewFolder, sealAnew } from "./engine/access";
export type { Pieces } from "./engine/upkeep";
export { type Committed, type DirNode, type FileNode, type Node, Visit, type VisitInput } from "./engine/visiting";
export { isWithin } from "./engine/visiting";
export { isName } from "./format/tree";
export { type Strategy, roomForBoth } from "./engine/contents";
export { wholeDresser } from "./engine/upkeep";
export { makeFolder, stepAside, unmakeFolder } from "./engine/upkeep";
export { fileAddress, pathInAddress, percentDecoded, percentEncoded } from "./engine/ground";
export { ITEM, PAGE, SIGN_NAMES } from "./format/state";
export type { Received } from "./handover/receive";
export type { HandOverInput, HandedOver, PackageForm } from "./handover/hand-over";
export { PAGE_NAME, OWN_DIR_NAME, busyWith, displayPath, isMountPoint, joinPath, splitPath } from "./engine/ground";
export { ONLOOKER_KINDS, type OnlookerKind, type SeenEntry } from "./onlooker/kinds";
export type { Answer } from "./onlooker/surroundings";
export { type Onlook, type View, lookAs } from "./onlooker/onlooker";
export { type Cell, type Reach } from "./onlooker/reach";
export { hiddenNamesIn, isHiddenByDesktop } from "./onlooker/hiding";
export type { Dir, Disk, Identity } from "./platform/port";
export { isPrintable, printable, printableJson } from "./errors/printable";
export { type Endpoint, accountOfPeer, listedAccount } from "./platform/linux/connections";
export { type HeldPort, LOOPBACKS, type Loopback, givenPorts, holdPort, letGoPort } from "./platform/linux/ports";
export { closeMemory } from "./platform/linux/memory";
export { giveWay } from "./platform/linux/priority";
export { linuxDisk as disk, linuxDiskOf as diskOf } from "./platform/linux/linux-disk";
export { type Running, runEngine } from "./worker/run-engine";
export type { EngineRequest, Outcomes } from "./worker/protocol";
export { reviveBytes } from "./worker/protocol";
export { type Each, type ShortOutcomes, type ShortRequest, performShort } from "./worker/short";
export { type LockedFolder, type RescueSecret, findLocked, openLocked, readGuardOwner } from "./rescue/on-disk";
export { type RescueProgress, type RescueReport, rescue } from "./rescue/to-directory";
export { type ScanEnd, type ScanFound, type ScanInput, type ScanProgress, scan } from "./rescue/scan";
export { describeFound, describeReport } from "./rescue/words";
export { directorySource } from "./rescue/directory-source";
export type { Drop } from "./engine/slot";
export { DropUpload, type DropSlot, ownDirPlace, type MovedIn } from "./engine/slot";
export {
  type ClearInput,
  type Cleared,
  KEPT_DAYS,
  type KeptHead,
  type TraceHome,
  type TracesInput,
  forgetKept,
  keptTracesIn,
} from "./traces";
export {
  type FreeSpaceFilled,
  type NotOverwritten,
  type Overwritten,
  type Reaching,
  mediumAt,
  whatOverwritingReaches,
} from "./overwrite";
export { sweepErased } from "./engine/guards";
export { MOST_PASSES } from "./engine/ground";
export { TRACE_KINDS } from "./format/choices";
export { readPlanted } from "./platform/planted";
