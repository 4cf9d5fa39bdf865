import { CALL_TYPE, encodeCall } from "@eremos/server/call-body";
import { type Answer, type Asked, CALLS, type CallName, readWithoutEval } from "@eremos/server/calls";
import type {
  ActivityFilter,
  BackSecret,
  Consent,
  DesktopView,
  Dropped,
  Effort,
  ErrorView,
  ExportFormat,
  FolderSecret,
  Insurance,
  KeepHistory,
  LockingRules,
  MailServerView,
  OffLimitsView,
  OpeningMode,
  PreferencesView,
  Protection,
  TakeInSecret,
  TypedFolderPassword,
  VisitCall,
} from "@eremos/server/contract";
import { readTab } from "./tab";
import { say } from "@eremos/words/page/shell";

/** The page's own policy lets no text become code, which schemas would else try. */
readWithoutEval();

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

async function call<N extends CallName>(
  name: N,
  ...[asked]: Record<never, never> extends Asked<N> ? [Asked<N>?] : [Asked<N>]
): Promise<Answer<N>> {
  let response: Response;
  try {
    response = await fetch(`/api/${name}`, {
      method: "POST",
      headers: { "Content-Type": CALL_TYPE, "X-Eremos-Tab": readTab() },
      body: encodeCall(asked ?? {}),
    });
  } catch {
    throw new ApiError("unreachable", say("eremos-does-not-answer-it"));
  }
  const answer: unknown = await response.json();
  if (!response.ok) {
    const { error } = answer as { readonly error: ErrorView };
    throw new ApiError(error.code, error.message, error.data);
  }
  const parsed = CALLS[name].output.safeParse(answer);
  if (parsed.success) return parsed.data as Answer<N>;
  throw new ApiError("unreachable", say("eremos-answered-in-form-that"));
}

/** What becomes of what is cleared of traces. */
export type WhatThen = "kept" | "gone" | "overwritten";

export const api = {
  state: () => call("state"),
  ownDataTold: () => call("own-data/told"),
  beginSetup: (password: string, hint: string | null) => call("setup/begin", { password, hint }),
  finishSetup: (id: string, groups: readonly string[]) => call("setup/finish", { id, groups }),
  beginNewCode: (current: string) => call("code/begin", { current }),
  finishNewCode: (id: string, groups: readonly string[]) => call("code/finish", { id, groups }),
  newKeys: () => call("new-keys"),
  beginNewKeys: (current: string) => call("new-keys/begin", { current }),
  finishNewKeys: (id: string, typed: readonly string[], password: string, hint: string | null) =>
    call("new-keys/finish", { id, typed, password, hint }),
  renewFolder: (folder: string, secret: FolderSecret | null, accept: readonly "unvouched"[]) =>
    call("new-keys/folder", { folder, secret, accept }),
  signIn: (password: string) => call("sign-in", { password }),
  checkCode: (code: string) => call("code/check", { code }),
  forgotten: (secret: BackSecret, password: string, hint: string | null) =>
    call("forgotten", { secret, password, hint }),
  /** Each share by itself, of this owner's set or of that of a folder that was found; null: there are no keyholders. */
  lookAtShares: (shares: readonly string[], at: string | null) => call("shares/look", { shares, at }),
  keyholders: () => call("keyholders"),
  nameKeyholders: (named: {
    readonly current: string;
    readonly of: string;
    readonly threshold: number;
    readonly holders: readonly { readonly name: string; readonly mail: string | null }[];
  }) => call("keyholders/name", named),
  dropKeyholders: (current: string) => call("keyholders/drop", { current }),
  /** A PDF, base64. */
  shareSheet: (number: number) => call("keyholders/sheet", { number }),
  mailShare: (number: number) => call("keyholders/mail", { number }),
  mailServer: () => call("mail-server"),
  setMailServer: (server: (MailServerView & { readonly password: string }) | null) =>
    call("mail-server/set", { server }),
  scan: (upTo: number) => call("scan", { upTo }),
  startScan: (places: readonly string[] | null) => call("scan/start", { places }),
  stopScan: () => call("scan/stop"),
  takeIn: (path: string, secret: TakeInSecret | null, accept: readonly "costly"[] = []) =>
    call("scan/take-in", { path, secret, accept }),
  takeInAll: () => call("scan/take-in-all"),
  returnOwner: (path: string, secret: FolderSecret, password: string | null, hint: string | null) =>
    call("return", { path, secret, password, hint }),
  /** A PDF, base64. */
  sheet: (code: string) => call("sheet", { code }),
  planHandOver: (path: string, hrefs: readonly string[] | null, secret: FolderSecret | null) =>
    call("hand-over/plan", { path, hrefs, secret }),
  handOver: (asked: Asked<"hand-over">) => call("hand-over", asked),
  handedOver: () => call("hand-over/made"),
  noteHandedOver: (id: string, to: string, note: string) => call("hand-over/note", { id, to, note }),
  forgetHandedOver: (id: string) => call("hand-over/forget", { id }),
  /** A PDF, base64. */
  packagePaper: (id: string, password: string) => call("hand-over/paper", { id, password }),
  mailPackagePaper: (id: string, password: string, name: string, mail: string) =>
    call("hand-over/mail", { id, password, name, mail }),
  receive: (asked: Asked<"receive">) => call("receive", asked),
  rescueFiles: () => call("rescue-files"),
  practice: (secret: BackSecret) => call("practice", { secret }),
  /** What was written anew. */
  mend: (path: string, secret: FolderSecret | null) => call("mend", { path, secret }),
  permissions: (folder: string, secret: FolderSecret | null, repair: boolean) =>
    call("permissions", { folder, secret, repair }),
  compareCopies: (path: string, fork: string | null) => call("copies/compare", { path, fork }),
  letForkGo: (folder: string, fork: string) => call("copies/let-go", { folder, fork }),
  takeFromCopy: (path: string, fork: string | null, ids: readonly string[]) => call("copies/take", { path, fork, ids }),
  hidden: () => call("hidden"),
  startHidden: (places: readonly string[] | null) => call("hidden/start", { places }),
  stopHidden: () => call("hidden/stop"),
  bringBack: (id: string) => call("hidden/bring", { id }),
  /** Null: the folder it hides was not found. */
  undoScriptLock: (id: string) => call("hidden/script", { id }),
  hideAgain: (id: string) => call("hidden/again", { id }),
  interruptions: () => call("interruptions"),
  forgetInterruption: (folder: string) => call("interruptions/forget", { folder }),
  putRight: () => call("put-right"),
  signOut: (leaveOpen = false) => call("sign-out", { leaveOpen }),
  setPin: (pin: string | null) => call("pin", { pin }),
  returnWithPin: (pin: string) => call("pin/return", { pin }),
  setStay: (current: string | null) => call("stay/set", { current }),
  returnStaying: () => call("stay/return"),
  slot: (folder: string) => call("slot", { folder }),
  touch: () => call("touch"),
  changePassword: (current: string, password: string, hint: string | null) =>
    call("password", { current, password, hint }),
  efforts: () => call("efforts"),
  setEffort: (current: string, effort: Effort) => call("efforts/set", { current, effort }),
  folders: () => call("folders"),
  jobs: () => call("jobs"),
  cancelJob: (job: string) => call("jobs/cancel", { job }),
  placeRoots: () => call("places/roots"),
  listPlace: (path: string) => call("places/list", { path }),
  completePath: (typed: string) => call("places/complete", { typed }),
  findDropped: (dropped: Dropped) => call("places/find", dropped),
  onlooker: (path: string, subject: string | null) => call("onlooker", { path, subject }),
  /** What lies elsewhere and tells of it. */
  traces: (folder: string, byInside: boolean) => call("traces", { folder, byInside }),
  clearTraces: (folder: string, ids: readonly string[], byInside: boolean, then: WhatThen) =>
    call("traces/clear", { folder, ids, byInside, keep: then === "kept", overwrite: then === "overwritten" ? 1 : 0 }),
  medium: (path: string) => call("medium", { path }),
  overwrite: (paths: readonly string[], passes: 1 | 3, allNames: boolean) =>
    call("overwrite", { paths, passes, allNames }),
  /** What was chosen in the file manager, for the page to ask about. */
  asked: () => call("asked"),
  overwriteFree: (path: string) => call("overwrite/free", { path }),
  remove: (folder: string, days: number) => call("remove", { folder, days }),
  putBackFromTrash: (folder: string) => call("remove/put-back", { folder }),
  removeNow: (
    folder: string,
    name: string,
    { passes, history, traces }: { readonly passes: 0 | 1 | 3; readonly history: boolean; readonly traces: boolean },
  ) => call("remove/now", { folder, name, passes, history, traces }),
  traceCounts: (folders: readonly string[]) => call("traces/counts", { folders }),
  keptTraces: () => call("traces/kept"),
  putTracesBack: (kept: string) => call("traces/put-back", { kept }),
  reach: (folder: string) => call("reach", { folder }),
  makeRoom: (path: string) => call("places/make-room", { path }),
  plan: (path: string, { guard, visibility }: Protection) => call("plan", { path, guard, visibility }),
  /** A private folder that is locked before anything is in it. */
  makeFolder: (path: string, protection: Protection, password: TypedFolderPassword | null = null) =>
    call("new", { path, protection, password }),
  moveIn: (folder: string, paths: readonly string[], originals: "remove" | "trash" | "stay") =>
    call("move-in", { folder, paths, originals }),
  takeBackMovedIn: (folder: string, secret: FolderSecret | null) => call("move-in/take-back", { folder, secret }),
  /** In the desktop's file manager. */
  show: (path: string, inside = false) => call("show", { path, in: inside ? "inside" : "manager" }),
  /** Of a visit, off the drive. */
  openVisited: (folder: string, href: string) => call("visit/open", { folder, href }),
  setEndsWithPrograms: (folder: string, on: boolean) => call("visit/ends-with-programs", { folder, on }),
  shortcut: () => call("shortcut"),
  openInProgram: (path: string) => call("show", { path, in: "program" }),
  /** Without a protection: as the folder was locked before. */
  lock: (
    path: string,
    protection: Protection | null,
    inUseAnyway = false,
    password: TypedFolderPassword | null = null,
    more: Partial<Pick<LockingRules, "overwrites">> = {},
  ) => call("lock", { path, protection, inUseAnyway, password, ...more }),
  unlock: (folder: string, mode: OpeningMode, secret: FolderSecret | null = null, accept: readonly Consent[] = []) =>
    call("unlock", { folder, mode, secret, accept }),
  setFolderPassword: (folder: string, secret: FolderSecret | null, password: TypedFolderPassword | null) =>
    call("folder-password", { folder, secret, password }),
  closeUp: (inUseAnyway = false) => call("close-up", { inUseAnyway }),
  closeUpAtGate: () => call("gate/close-up"),
  keepOpen: (folder: string, minutes: number) => call("keep-open", { folder, minutes }),
  setProtection: (folder: string, protection: Protection, secret: FolderSecret | null) =>
    call("protection", { folder, protection, secret }),
  setRules: (folder: string, rules: LockingRules | null) => call("rules", { folder, rules }),
  setOffLimits: (edits: OffLimitsView) => call("off-limits", edits),
  setPreferences: (change: Partial<Omit<PreferencesView, "effort">>) => call("preferences", change),
  startVisit: (folder: string, minutes: number | null, secret: FolderSecret | null, accept: readonly Consent[] = []) =>
    call("visit/start", { folder, minutes, secret, accept }),
  endVisit: (folder: string) => call("visit/end", { folder }),
  visit: (folder: string, asked: VisitCall) => call("visit/call", { folder, call: asked }),
  mountVisit: (folder: string) => call("visit/mount", { folder }),
  /** The address of one archive with all of it. */
  archive: (folder: string, hrefs: readonly string[]) => call("visit/archive", { folder, hrefs }),
  lastLock: (folder: string, secret: FolderSecret | null) => call("last-lock", { folder, secret }),
  putBack: (folder: string, generation: number, hrefs: readonly string[] | null, secret: FolderSecret | null) =>
    call("put-back", { folder, generation, hrefs, secret }),
  release: (folder: string, secret: FolderSecret | null = null, accept: readonly Consent[] = []) =>
    call("release", { folder, secret, accept }),
  check: (folder: string, secret: FolderSecret | null, sample: boolean) => call("check", { folder, secret, sample }),
  insurance: (folder: string) => call("insurance", { folder }),
  insure: (folder: string, insurance: Insurance | null) => call("insurance/set", { folder, insurance }),
  repair: (folder: string, secret: FolderSecret | null) => call("repair", { folder, secret }),
  desktop: () => call("desktop"),
  setDesktop: (part: keyof DesktopView, on: boolean) => call("desktop/set", { part, on }),
  activity: (filter: ActivityFilter, skip: number, limit: number) => call("activity", { filter, skip, limit }),
  charts: (of: string | null, from: number | null, until: number | null) =>
    call("activity/charts", { of, from, until }),
  sinceLastTime: () => call("activity/since"),
  keepHistory: (keep: KeepHistory) => call("activity/keep", { keep }),
  clearHistory: (of: string | null) => call("activity/clear", { of }),
  exportHistory: (format: ExportFormat, filter: ActivityFilter, path: string | null) =>
    call("activity/export", { format, filter, path }),
  settings: () => call("settings"),
};
