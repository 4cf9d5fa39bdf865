/** What goes over the wire between the page and the server, as the table of calls has it. Types only. */
export type { Answer, Asked, CallName, Checked } from "./calls";
export type { Dropped } from "./calls/folder-calls";
export type * from "./calls/shapes/activity";
export type * from "./calls/shapes/folders";
export type * from "./calls/shapes/hand-over";
export type * from "./calls/shapes/owner";
export type {
  AtSignOut,
  DeskView,
  Effort,
  KeepHistory,
  LockingRules,
  NoticeKind,
  NoticesPreference,
  OffLimitsView,
  OpeningMode,
} from "./calls/shapes/rules";
export type { BackSecret, FolderSecret, TakeInSecret, TypedFolderPassword } from "./calls/shapes/secrets";
export type * from "./calls/shapes/visits";
export type * from "./calls/shapes/ways-back";
export type { VisitCall } from "./calls/visit-calls";
export type { Consent } from "@eremos/core/choices";
