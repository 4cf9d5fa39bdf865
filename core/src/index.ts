/** The one door of the core: verbs, types, error codes. Nothing outside imports anything else of it. */
export { ERROR_CLASSES, type ErrorClass, type ErrorCode } from "./errors/codes";
export { EremosError, type ErrorData, fromSystemError, isEremosError, systemCode } from "./errors/eremos-error";
export { equalBytes, fromBase64, randomBytes, sha256, toBase64, wipe } from "./crypto/bytes";
export { type BoxFailure, openBox, sealBox } from "./crypto/box";
export { type ChunkCipher, chunkCipher } from "./crypto/chunk-cipher";
export { type Envelope, openEnvelope, sealTo } from "./crypto/envelope";
export { LEAST_COST, type PasswordCost, hkdf, measurePasswordCost, parsePasswordHashing } from "./crypto/kdf";
export { type SigningKey, generateSigningKey } from "./crypto/signature";
export {
  type OwnerEnvelope, type OwnerKeys, createOwner, openSealingKey, openWithCode, openWithPassword, readOwner, withPassword, writeOwner,
} from "./format/owner";
export { CODE_GROUPS, isGroupRight, newRecoveryCode, normaliseCodeText, parseRecoveryCode } from "./format/recovery-code";
export { headerOwner } from "./format/header";
export { HIDDEN_NAME } from "./format/ids";
export type { FolderState } from "./format/state";
export type { DirEntry, Entry, FileEntry, LinkEntry, Listing } from "./format/tree";
export type { Hooks, Phase, Progress } from "./engine/hooks";
export { changeVisibility } from "./engine/change-visibility";
export { changeOwner } from "./engine/change-owner";
export { type CheckInput, type CheckOutcome, type Damage, checkFolder } from "./engine/check";
export { type OwnerAccess } from "./engine/keys";
export { type Located, locateFolder, protectedAbove } from "./engine/locate";
export { type LockInput, type LockOutcome, type LockPreview, type OpenNote, type Signer, lockFolder, previewLock } from "./engine/lock";
export { type OffLimits, type OffLimitsEdits, defaultOffLimits, editedOffLimits, isInPlaces, refuseOffLimits, whyOffLimits } from "./engine/off-limits";
export { type Inspection, type Recovery, inspectFolder, recoverFolder } from "./engine/recover";
export { SealedReader } from "./engine/sealed-reader";
export { type Strategy, roomForBoth } from "./engine/space";
export { type UnlockInput, type UnlockOutcome, releaseFolder, releaseOpenFolder, unlockFolder } from "./engine/unlock";
export { PAGE_NAME, VAULT_NAME, displayPath, joinPath, splitPath } from "./engine/vault";
export { ONLOOKER_KINDS, type OnlookerKind, type SeenEntry } from "./onlooker/kinds";
export { type Onlook, type View, lookAs } from "./onlooker/onlooker";
export { hiddenNamesIn, isHiddenByDesktop } from "./onlooker/hiding";
export type { Disk } from "./platform/port";
export { linuxDisk as disk } from "./platform/linux/linux-disk";
export { type Running, runEngine } from "./worker/run-engine";
export type { EngineRequest, Outcomes } from "./worker/protocol";
