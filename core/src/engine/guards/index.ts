/**
 * The guards, one directory each, and what holds for all of them: looking, recovering, holding a folder at rest, the single file.
 * A plain file goes, or changes its permissions, in here and nowhere else.
 */
export { samePermissions } from "./barred/bars";
export { commitGuard, loadGuard } from "./barred/guard-records";
export {
  type GuardInput,
  type GuardOutcome,
  type GuardedInput,
  type Guarding,
  changeGuarded,
  guardFolder,
  openGuarded,
  releaseGuarded,
  renewGuardOwner,
} from "./barred/guarded";
export { ACCESS_LIST, permissionsOf, setPermissions } from "./barred/permissions";
export { type Guard, type Inspection, holdAtRest, inspectFolder, isLocked, recoverFolder } from "./recover";
export { type LockOutcome, type LockPreview, lockFolder, previewLock } from "./sealed/lock";
export type { Recovery } from "./sealed/recover-sealed";
export { type UnlockInput, type UnlockOutcome, releaseFolder, releaseOpenFolder, unlockFolder } from "./sealed/unlock";
