import { say } from "@eremos/words/page/settings";

/** Where each part of the Settings stands, and its heading, in their order there. */
export const SETTINGS_SECTIONS = [
  ["look", say("look")],
  ["master-password", say("master-password")],
  ["recovery-code", say("recovery-code")],
  ["pin", say("pin")],
  ["stay", say("stay-signed-in")],
  ["leaving-open", say("when-folders-are-left-open")],
  ["keep-earlier", say("earlier-states")],
  ["check-every", say("checks-by-itself")],
  ["notices", say("notifications")],
  ["desktop", say("on-your-desktop")],
  ["data", say("where-things-are")],
  ["guessing", say("what-guessing-costs")],
  ["places", say("places")],
  ["synced", say("synced-directories")],
  ["off-limits", say("off-limits")],
  ["taking-off", say("taking-eremos-off")],
] as const;
