/** The one door of the server: its operations, and the server itself. */
import type { Settings } from "./settings";

export { Eremos } from "./eremos";
export { causedBy } from "./ledger/cause";
export { type Settings, readSettings } from "./settings";
export { closeUp, noteNamed, openNow } from "./operations/locking/close-up";
export { changePassword } from "./operations/entrance/change-password";
export { folderPasswordOf, prepareFolderPassword, setFolderPassword } from "./operations/locking/folder-password";
export { listFolders } from "./operations/folders/list-folders";
export { fullPath } from "./paths";
export { type LockRequest, lock } from "./operations/locking/lock-folder";
export { lockNew } from "./operations/locking/lock-new";
export { finishCutOff, mediumView, overwrite, overwriteFree, overwrittenView } from "./operations/folders/overwriting";
export { putBackFromTrash, removeNow, removeToTrash } from "./operations/locking/remove";
export { csvOf, exportedEntries } from "./operations/activity/export";
export { chartsOf } from "./operations/activity/charts";
export { activityOf, folderNamed } from "./operations/activity/history";
export { clearTraces, clearedView, keptTraces, putTracesBack, tracesOf } from "./operations/folders/traces";
export { onlook } from "./operations/folders/look";
export { check, checkWithoutKey } from "./operations/folders/check";
export { COMMAND_RESULTS, type CommandName, type FailedOne, type ResultOf } from "./calls/commands";
export { INSURANCES } from "./calls/shapes/ways-back";
export { insuranceView, insure, repair } from "./operations/folders/insurance";
export { release, unlock } from "./operations/locking/open-folder";
export { passwordStrength } from "./strength";
export { recoverInterrupted } from "./operations/ways-back/recover-interrupted";
export { setupAtOnce } from "./operations/entrance/setup";
export { type GateOpened, signIn, signOut } from "./operations/entrance/sign-in";
export { answerDesktop } from "./desktop/application";
export { askOnPage, meantBy, showPage } from "./desktop/launcher";
export { MENU_ACTS, type MenuAct } from "./desktop/file-managers";
export { readOwnerAt } from "./operations/entrance/owner-at";
export { handOver } from "./operations/handover/hand-over";
export { receive } from "./operations/handover/receive";
export { packageWords } from "./strength";
export { packageFormSchema } from "./calls/shapes/hand-over";
export { sayOnDesktop } from "./desktop/notifications";
export { desktopParts, setDesktop } from "./desktop/integrate";
export type { ProtectionRequest } from "./protection";
export type { Progress } from "@eremos/core";
export type {
  ActivityView,
  BackSecret,
  ClearedView,
  FolderView,
  Insurance,
  JobVerb,
  JobView,
  MediumView,
  TraceKind,
  TracesView,
} from "./contract";
export { startVisit } from "./operations/folders/visit";
export { systemWideFiles } from "./desktop/linux";
export { statusOf } from "./operations/entrance/status";
export { mountCommandOf } from "./visit/mount";
export { drop, moveIn, takeBackMovedIn } from "./operations/folders/drop";
export { resetPassword } from "./operations/entrance/forgotten-password";
export { returnOwner, scanPlaces, takeIn, takeInFound } from "./operations/ways-back/find-folders";
export { mend } from "./operations/ways-back/mend";
export { keyholdersView, nameKeyholders, sharesOf } from "./operations/ways-back/keyholders";
export { newKeysAtOnce } from "./operations/ways-back/new-keys";
export { goOnWithoutTerminal, onEndSignals } from "./end-signals";
export { newKeysView } from "./operations/ways-back/renew-folders";
export { practice } from "./operations/entrance/practice";

/** Loaded only where it is wanted: a command starts in half the time without it. As `serveUntilStopped` in http. */
export async function serve(settings: Settings, ready: (address: string) => void, development = false): Promise<void> {
  const http = await import("./http/serve");
  return http.serveUntilStopped(settings, ready, development);
}
