/** The one door of the core: verbs, types, error codes. Nothing outside imports anything else of it. */
export { ERROR_CLASSES, type ErrorClass, type ErrorCode } from "./errors/codes";
export { EremosError, type ErrorData, fromSystemError, isEremosError, systemCode } from "./errors/eremos-error";
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
  hkdf,
  measurePasswordCost,
  measurePasswordCosts,
  parsePasswordHashing,
} from "./crypto/kdf";
export { type SigningKey, generateSigningKey } from "./crypto/signature";
export {
  type OwnerEnvelope,
  type OwnerKeys,
  type OwnerSecret,
  ProvenOwner,
  createOwner,
  isRootKeyOf,
  openOwner,
  openSealingKey,
  openWithCode,
  openWithPassword,
  readOwner,
  withCode,
  withDevice,
  withKeyholders,
  withPassword,
  writeOwner,
} from "./format/owner";
export { CODE_GROUPS, isGroupRight, mistypedGroups, newRecoveryCode, parseRecoveryCode } from "./format/recovery-code";
export { normaliseCodeText } from "./format/code-groups";
export {
  LEAST_THRESHOLD,
  MOST_KEYHOLDERS,
  SHARE_GROUPS,
  type ShareLook,
  lookAtShares,
  mistypedShareGroups,
} from "./format/keyholders";
export { type FolderPassword, type FolderSecret, type WaysIn, keyholdersOf, waysInto } from "./format/header";
export { HIDDEN_NAME, whyNotCover } from "./format/ids";
export { type FolderState, VISIBILITIES, type Visibility } from "./format/state";
export { type Bars, LEVELS, type Level, NO_BARS, barsSchema } from "./format/guard-record";
export type { DirEntry, Entry, FileEntry, LinkEntry, Listing } from "./format/tree";
export type { Hooks, Phase, Progress } from "./engine/hooks";
export { closeToOthers } from "./engine/close-to-others";
export { changeVisibility } from "./engine/change-visibility";
export { type Adopted, adoptFolder } from "./engine/adopt";
export { changeFolderPassword, changeOwner, openFolderKey } from "./engine/change-owner";
export type { Change, ChangesOutcome } from "./engine/changes";
export { type Consent, CONSENTS, type SealedInput } from "./engine/open-sealed";
export { type CheckOutcome, type CheckRequest, type Damage, checkFolder } from "./engine/check";
export { type OwnerAccess } from "./engine/keys";
export { type Located, locateFolder, protectedAbove } from "./engine/locate";
export {
  type LockInput,
  type LockOutcome,
  type LockPreview,
  type OpenNote,
  type Signer,
  lockFolder,
  previewLock,
} from "./engine/lock";
export {
  type InsuranceFacts,
  type Priced,
  insuranceFactsOf,
  isInsured,
  priceOf,
  setInsurance,
} from "./insurance/insure";
export type { InsuranceLevel } from "./format/insurance";
export { type DamagedMember, type RepairOutcome, repairFolder } from "./insurance/repair";
export { type HiddenEnd, type HiddenFound, findHidden } from "./hidden/find-hidden";
export type { Means } from "./hidden/means";
export type { ScriptLock } from "./hidden/script-locks";
export { type Undo, bringBack, putBackHidden, removeScript } from "./hidden/bring-back";
export { mendFolder } from "./engine/mend";
export {
  type OffLimits,
  type OffLimitsEdits,
  defaultOffLimits,
  editedOffLimits,
  isInPlaces,
  refuseOffLimits,
  whyOffLimits,
} from "./engine/off-limits";
export { type Guard, type Inspection, type Recovery, inspectFolder, isLocked, recoverFolder } from "./engine/recover";
export { renewGuardOwner } from "./engine/guarded";
export type { GuardInput, GuardOutcome, GuardedInput, Guarding } from "./engine/guarded";
export { type Grounds, HELD_NAME, hidingFor } from "./engine/hide";
export type { CopyComparison, CopyDifference } from "./engine/merge-copy";
export { type Fork, forgetFork, forksAt } from "./engine/forks";
export { type AccessProblem, accessProblems, repairAccess } from "./engine/access";
export type { Ownership, PermissionChange, PermissionsOutcome } from "./engine/permissions-since";
export type { EarlierState } from "./engine/earlier";
export type { Upload } from "./engine/upload";
export { type Committed, type DirNode, type FileNode, type Node, Visit, type VisitInput } from "./engine/visit";
export { isWithin } from "./engine/visit-tree";
export { isName } from "./format/tree";
export { type Strategy, roomForBoth } from "./engine/space";
export { type UnlockInput, type UnlockOutcome, releaseFolder, releaseOpenFolder, unlockFolder } from "./engine/unlock";
export { PAGE_NAME, VAULT_NAME, displayPath, isMountPoint, joinPath, splitPath } from "./engine/vault";
export { ONLOOKER_KINDS, type OnlookerKind, type SeenEntry } from "./onlooker/kinds";
export { type Onlook, type View, lookAs } from "./onlooker/onlooker";
export { type Answer, type Cell, REACH_KINDS, type Reach, type ReachKind } from "./onlooker/reach";
export { hiddenNamesIn, isHiddenByDesktop } from "./onlooker/hiding";
export type { Disk, Identity } from "./platform/port";
export { isPrintable, printable, printableJson } from "./errors/printable";
export { type Endpoint, accountOfPeer, listedAccount } from "./platform/linux/connections";
export { type HeldPort, LOOPBACKS, type Loopback, holdPort, letGoPort } from "./platform/linux/ports";
export { closeMemory } from "./platform/linux/memory";
export { linuxDisk as disk, linuxDiskOf as diskOf } from "./platform/linux/linux-disk";
export { type Running, runEngine } from "./worker/run-engine";
export type { EngineRequest, Outcomes } from "./worker/protocol";
export { reviveBytes } from "./worker/protocol";
export {
  type LockedFolder,
  type RescueProgress,
  type RescueReport,
  type RescueSecret,
  type ScanEnd,
  type ScanFound,
  type ScanProgress,
  describeFound,
  describeReport,
  directorySource,
  findLocked,
  openLocked,
  readGuardOwner,
  rescue,
  scan,
} from "./rescue/on-disk";
export type { Drop } from "./engine/drop";
export { DropUpload, type Slot, vaultPlace } from "./engine/drop-in";
