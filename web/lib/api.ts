import type {
  ActivityView,
  BackSecret,
  ClosedUp,
  Consent,
  CopyView,
  DesktopView,
  Dropped,
  DroppedFound,
  Effort,
  EffortsView,
  ErrorView,
  FolderSecret,
  FolderView,
  HiddenView,
  Insurance,
  InsuranceView,
  InterruptionView,
  JobView,
  KeyholdersView,
  LastLockView,
  LockingRules,
  MailServerView,
  NewKeysView,
  OffLimitsView,
  OnlookView,
  OpeningMode,
  PasswordChanged,
  PermissionsView,
  PlaceEntry,
  PlaceListing,
  PlanView,
  PracticeView,
  PreferencesView,
  Protection,
  ReachView,
  RescueFile,
  ScanView,
  SettingsView,
  SharesLook,
  ShownCode,
  SignedIn,
  StateView,
  TakeInSecret,
  TakenIn,
  TypedFolderPassword,
  VisitCall,
  VisitReply,
  VisitView,
} from "@eremos/server/contract";
import { CALL_TYPE, encodeCall } from "@eremos/server/call-body";
import { readTab } from "./tab";

/** An error the server explained: what happened, what is safe, what to do next. */
export class ApiError extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly data: Readonly<Record<string, unknown>> = {},
  ) {
    super(message);
  }
}

async function call<T>(name: string, body: object = {}): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api/${name}`, {
      method: "POST",
      headers: { "Content-Type": CALL_TYPE, "X-Eremos-Tab": readTab() },
      body: encodeCall(body),
    });
  } catch {
    throw new ApiError(
      "unreachable",
      "Eremos does not answer. It may have been stopped; your folders stay as they are. Start it again, then reload this page.",
    );
  }
  const answer: unknown = await response.json();
  if (response.ok) return answer as T;
  const { error } = answer as { readonly error: ErrorView };
  throw new ApiError(error.code, error.message, error.data);
}

export const api = {
  state: () => call<StateView>("state"),
  ownDataTold: () => call<object>("own-data/told"),
  beginSetup: (password: string, hint: string | null) => call<ShownCode>("setup/begin", { password, hint }),
  finishSetup: (id: string, groups: readonly string[]) => call<SignedIn>("setup/finish", { id, groups }),
  beginNewCode: (current: string) => call<ShownCode>("code/begin", { current }),
  finishNewCode: (id: string, groups: readonly string[]) => call<PasswordChanged>("code/finish", { id, groups }),
  newKeys: () => call<{ readonly view: NewKeysView | null }>("new-keys"),
  beginNewKeys: (current: string) => call<ShownCode>("new-keys/begin", { current }),
  finishNewKeys: (id: string, typed: readonly string[], password: string, hint: string | null) =>
    call<NewKeysView>("new-keys/finish", { id, typed, password, hint }),
  renewFolder: (folder: string, secret: FolderSecret | null, accept: readonly "unvouched"[]) =>
    call<{ readonly view: NewKeysView | null }>("new-keys/folder", { folder, secret, accept }),
  signIn: (password: string) => call<SignedIn>("sign-in", { password }),
  checkCode: (code: string) => call<{ readonly wrong: readonly number[] }>("code/check", { code }),
  forgotten: (secret: BackSecret, password: string, hint: string | null) =>
    call<SignedIn & PasswordChanged>("forgotten", { secret, password, hint }),
  /** Each share by itself, of this owner's set or of that of a folder that was found; null: there are no keyholders. */
  lookAtShares: (shares: readonly string[], at: string | null) =>
    call<{ readonly look: SharesLook | null }>("shares/look", { shares, at }),
  keyholders: () => call<{ readonly keyholders: KeyholdersView | null }>("keyholders"),
  nameKeyholders: (named: {
    readonly current: string;
    readonly of: string;
    readonly threshold: number;
    readonly holders: readonly { readonly name: string; readonly mail: string | null }[];
  }) => call<PasswordChanged>("keyholders/name", named),
  dropKeyholders: (current: string) => call<PasswordChanged>("keyholders/drop", { current }),
  /** A PDF, base64. */
  shareSheet: (number: number) => call<{ readonly pdf: string }>("keyholders/sheet", { number }),
  mailShare: (number: number) => call<object>("keyholders/mail", { number }),
  mailServer: () => call<{ readonly server: MailServerView | null }>("mail-server"),
  setMailServer: (server: (MailServerView & { readonly password: string }) | null) =>
    call<object>("mail-server/set", { server }),
  scan: (upTo: number) => call<ScanView>("scan", { upTo }),
  startScan: (places: readonly string[] | null) => call<object>("scan/start", { places }),
  stopScan: () => call<object>("scan/stop"),
  takeIn: (path: string, secret: TakeInSecret | null, accept: readonly Consent[] = []) =>
    call<{ readonly folder: string }>("scan/take-in", { path, secret, accept }),
  takeInAll: () => call<TakenIn>("scan/take-in-all"),
  returnOwner: (path: string, secret: FolderSecret, password: string | null, hint: string | null) =>
    call<SignedIn & TakenIn>("return", { path, secret, password, hint }),
  /** A PDF, base64. */
  sheet: (code: string) => call<{ readonly pdf: string }>("sheet", { code }),
  rescueFiles: () => call<readonly RescueFile[]>("rescue-files"),
  practice: (secret: BackSecret) => call<PracticeView>("practice", { secret }),
  /** What was written anew. */
  mend: (path: string, secret: FolderSecret | null) =>
    call<{ readonly mended: readonly string[] }>("mend", { path, secret }),
  permissions: (folder: string, secret: FolderSecret | null, repair: boolean) =>
    call<PermissionsView>("permissions", { folder, secret, repair }),
  compareCopies: (path: string, fork: string | null) => call<CopyView>("copies/compare", { path, fork }),
  letForkGo: (folder: string, fork: string) => call<object>("copies/let-go", { folder, fork }),
  takeFromCopy: (path: string, fork: string | null, ids: readonly string[]) =>
    call<{ readonly job: string }>("copies/take", { path, fork, ids }),
  hidden: () => call<HiddenView>("hidden"),
  startHidden: (places: readonly string[] | null) => call<object>("hidden/start", { places }),
  stopHidden: () => call<object>("hidden/stop"),
  bringBack: (id: string) => call<{ readonly path: string }>("hidden/bring", { id }),
  /** Null: the folder it hides was not found. */
  undoScriptLock: (id: string) => call<{ readonly path: string | null }>("hidden/script", { id }),
  hideAgain: (id: string) => call<object>("hidden/again", { id }),
  interruptions: () => call<readonly InterruptionView[]>("interruptions"),
  forgetInterruption: (folder: string) => call<object>("interruptions/forget", { folder }),
  putRight: () => call<{ readonly folders: readonly string[] }>("put-right"),
  signOut: (leaveOpen = false) => call<object>("sign-out", { leaveOpen }),
  setPin: (pin: string | null) => call<object>("pin", { pin }),
  returnWithPin: (pin: string) => call<SignedIn>("pin/return", { pin }),
  setStay: (current: string | null) => call<object>("stay/set", { current }),
  returnStaying: () => call<SignedIn>("stay/return"),
  slot: (folder: string) => call<{ readonly takes: boolean }>("slot", { folder }),
  touch: () => call<object>("touch"),
  changePassword: (current: string, password: string, hint: string | null) =>
    call<PasswordChanged>("password", { current, password, hint }),
  efforts: () => call<EffortsView>("efforts"),
  setEffort: (current: string, effort: Effort) => call<PasswordChanged>("efforts/set", { current, effort }),
  folders: () => call<FolderView[]>("folders"),
  jobs: () => call<JobView[]>("jobs"),
  cancelJob: (job: string) => call<{ readonly asked: boolean }>("jobs/cancel", { job }),
  placeRoots: () => call<PlaceEntry[]>("places/roots"),
  listPlace: (path: string) => call<PlaceListing>("places/list", { path }),
  completePath: (typed: string) => call<string[]>("places/complete", { typed }),
  findDropped: (dropped: Dropped) => call<DroppedFound>("places/find", dropped),
  onlooker: (path: string, subject: string | null) => call<OnlookView>("onlooker", { path, subject }),
  reach: (folder: string) => call<ReachView[]>("reach", { folder }),
  makeRoom: (path: string) => call<{ readonly path: string }>("places/make-room", { path }),
  plan: (path: string, { guard, visibility }: Protection) => call<PlanView>("plan", { path, guard, visibility }),
  /** Without a protection: as the folder was locked before. */
  lock: (
    path: string,
    protection: Protection | null,
    inUseAnyway = false,
    password: TypedFolderPassword | null = null,
  ) => call<{ readonly job: string }>("lock", { path, protection, inUseAnyway, password }),
  unlock: (folder: string, mode: OpeningMode, secret: FolderSecret | null = null, accept: readonly Consent[] = []) =>
    call<{ readonly job: string }>("unlock", { folder, mode, secret, accept }),
  setFolderPassword: (folder: string, secret: FolderSecret | null, password: TypedFolderPassword | null) =>
    call<object>("folder-password", { folder, secret, password }),
  closeUp: (inUseAnyway = false) => call<ClosedUp>("close-up", { inUseAnyway }),
  closeUpAtGate: () => call<{ readonly locking: number; readonly left: number }>("gate/close-up"),
  keepOpen: (folder: string, minutes: number) => call<object>("keep-open", { folder, minutes }),
  setProtection: (folder: string, protection: Protection, secret: FolderSecret | null) =>
    call<{ readonly job: string | null }>("protection", { folder, protection, secret }),
  setRules: (folder: string, rules: LockingRules | null) => call<object>("rules", { folder, rules }),
  setOffLimits: (edits: OffLimitsView) => call<object>("off-limits", edits),
  setPreferences: (change: Partial<Omit<PreferencesView, "effort">>) => call<object>("preferences", change),
  startVisit: (folder: string, minutes: number | null, secret: FolderSecret | null, accept: readonly Consent[] = []) =>
    call<VisitView>("visit/start", { folder, minutes, secret, accept }),
  endVisit: (folder: string) => call<object>("visit/end", { folder }),
  visit: (folder: string, asked: VisitCall) => call<VisitReply>("visit/call", { folder, call: asked }),
  mountVisit: (folder: string) => call<object>("visit/mount", { folder }),
  /** The address of one archive with all of it. */
  archive: (folder: string, hrefs: readonly string[]) =>
    call<{ readonly href: string }>("visit/archive", { folder, hrefs }),
  lastLock: (folder: string, secret: FolderSecret | null) => call<LastLockView>("last-lock", { folder, secret }),
  putBack: (folder: string, generation: number, hrefs: readonly string[] | null, secret: FolderSecret | null) =>
    call<{ readonly job: string }>("put-back", { folder, generation, hrefs, secret }),
  release: (folder: string, secret: FolderSecret | null = null, accept: readonly Consent[] = []) =>
    call<{ readonly job: string }>("release", { folder, secret, accept }),
  check: (folder: string, secret: FolderSecret | null, sample: boolean) =>
    call<{ readonly job: string }>("check", { folder, secret, sample }),
  insurance: (folder: string) => call<InsuranceView>("insurance", { folder }),
  insure: (folder: string, insurance: Insurance | null) =>
    call<{ readonly job: string }>("insurance/set", { folder, insurance }),
  repair: (folder: string, secret: FolderSecret | null) => call<{ readonly job: string }>("repair", { folder, secret }),
  desktop: () => call<DesktopView>("desktop"),
  setDesktop: (part: keyof DesktopView, on: boolean) => call<DesktopView>("desktop/set", { part, on }),
  activity: () => call<ActivityView[]>("activity"),
  settings: () => call<SettingsView>("settings"),
};
