/** The one door of the server: its operations, and the server itself. */
export { Eremos } from "./eremos";
export { type Settings, DEFAULT_PORT, readSettings } from "./settings";
export { serve, type RunningServer } from "./http/serve";
export { closeUp } from "./operations/close-up";
export { changePassword } from "./operations/change-password";
export { listFolders } from "./operations/list-folders";
export { fullPath } from "./operations/paths";
export { type LockRequest, lock } from "./operations/lock-folder";
export { onlook } from "./operations/look";
export { type OpenRequest, check, release, unlock } from "./operations/open-folder";
export { passwordStrength } from "./operations/password-strength";
export { recoverInterrupted } from "./operations/recover-interrupted";
export { setupAtOnce } from "./operations/setup";
export { signIn, signOut } from "./operations/sign-in";
export { GUARDS, type ProtectionRequest, USUAL_BARS } from "./protection";
export type { StartedJob } from "./jobs";
export type { Progress } from "@eremos/core";
export type { FolderView, JobVerb, JobView } from "./contract";
