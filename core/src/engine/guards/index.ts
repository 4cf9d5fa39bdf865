/**
 * The guards, one directory each behind one interface (guard.ts), and what holds for all of them: looking, recovering, the
 * verbs, the single file. A plain file goes, or changes its permissions, in here and nowhere else.
 */
export {
  type ChangeInput,
  type Changed,
  type EraseInput,
  type Guarding,
  type Inspection,
  type LockInput,
  type LockPreview,
  type PreviewInput,
  type Locked,
  type Recovery,
  type SealedFacts,
  type Sealing,
  type UnlockInput,
  type Unlocked,
  type UnsealedFacts,
  isLocked,
} from "./guard";
export { guardNamed, isChangeAlone } from "./guards";
export { inspectFolder } from "./inspect";
export { recoverFolder } from "./recover";
export { samePermissions } from "./unencrypted/bars";
export { commitGuard, loadGuard } from "./unencrypted/guard-records";
export { ACCESS_LIST, permissionsOf, setPermissions } from "./unencrypted/permissions";
export { renewGuardOwner } from "./unencrypted/verbs";
export { sweepErased } from "./erase";
export { changeFolder, eraseFolder, lockFolder, previewLock, releaseFolder, unlockFolder } from "./verbs";
