/** The one door of the server: its operations, and the server itself. */
import type { Settings } from "./settings";

export { Eremos } from "./eremos";
export { DataDirectory } from "./data-directory";
export { type Settings, readSettings } from "./settings";
export { closeUp } from "./operations/close-up";
export { changePassword } from "./operations/change-password";
export { folderPasswordOf, prepareFolderPassword, setFolderPassword } from "./operations/folder-password";
export { listFolders } from "./operations/list-folders";
export { fullPath } from "./operations/paths";
export { type LockRequest, lock } from "./operations/lock-folder";
export { onlook } from "./operations/look";
export { check } from "./operations/check";
export { INSURANCES, insuranceView, insure, repair } from "./operations/insurance";
export { type OpenRequest, release, unlock } from "./operations/open-folder";
export { passwordStrength } from "./strength";
export { recoverInterrupted } from "./operations/recover-interrupted";
export { setupAtOnce } from "./operations/setup";
export { signIn, signOut } from "./operations/sign-in";
export { ensureServer, showInBrowser } from "./desktop/launcher";
export { commandOf, desktopParts, setDesktop } from "./operations/integrate";
export { GUARDS, type ProtectionRequest, USUAL_BARS } from "./protection";
export type { StartedJob } from "./jobs";
export type { Progress } from "@eremos/core";
export type { BackSecret, FolderView, Insurance, JobVerb, JobView } from "./contract";
export { startVisit } from "./operations/visit";
export { mountCommandOf } from "./visit/mount";
export { drop } from "./operations/drop";
export { resetPassword } from "./operations/forgotten-password";
export { returnOwner, scanPlaces } from "./operations/find-folders";
export { mend } from "./operations/mend";
export { keyholdersView, nameKeyholders, sharesOf } from "./operations/keyholders";
export { practice } from "./operations/practice";

/** Loaded only where it is wanted: a command starts in half the time without it. As `serveUntilStopped` in http. */
export async function serveUntilStopped(
  settings: Settings,
  ready: (address: string) => void,
  development = false,
): Promise<void> {
  const http = await import("./http/serve");
  return http.serveUntilStopped(settings, ready, development);
}
