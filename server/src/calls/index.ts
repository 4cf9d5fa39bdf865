/**
 * Every call there is: who may make it, what goes in, what comes out. The server's answers, the page's client, the tests
 * of who may what, and docs/API.md follow from this one table. Pure: the pages read it too.
 */
import * as z from "zod";
import { ACTIVITY_CALLS } from "./activity-calls";
import { ENTRANCE_CALLS } from "./entrance-calls";
import { FOLDER_CALLS } from "./folder-calls";
import { HAND_OVER_CALLS } from "./hand-over-calls";
import { SETTINGS_CALLS } from "./settings-calls";
import type { Typed } from "./shapes/secrets";
import { VISIT_CALLS } from "./visit-calls";
import { WAYS_BACK_CALLS } from "./ways-back-calls";

/** By what they are about, in the order in which they are told. */
export const CALL_GROUPS = {
  "The gate": ENTRANCE_CALLS,
  "Folders, places, work": FOLDER_CALLS,
  Visits: VISIT_CALLS,
  "Hand-over": HAND_OVER_CALLS,
  "Ways back": WAYS_BACK_CALLS,
  Activity: ACTIVITY_CALLS,
  Settings: SETTINGS_CALLS,
} as const;

/** By their addresses below `/api/`. */
export const CALLS = {
  ...ENTRANCE_CALLS,
  ...FOLDER_CALLS,
  ...VISIT_CALLS,
  ...HAND_OVER_CALLS,
  ...WAYS_BACK_CALLS,
  ...ACTIVITY_CALLS,
  ...SETTINGS_CALLS,
} as const;

export { ONE_AT_A_TIME } from "./shapes/folders";
export { PACKAGE_ENDINGS } from "./shapes/hand-over";

export type CallName = keyof typeof CALLS;
/** As the page gives it: passwords as they are typed. */
export type Asked<N extends CallName> = Typed<z.input<(typeof CALLS)[N]["input"]>>;
/** As an operation gets it. */
export type Checked<N extends CallName> = z.output<(typeof CALLS)[N]["input"]>;
export type Answer<N extends CallName> = z.output<(typeof CALLS)[N]["output"]>;

/** For a page, whose policy lets no text become code: schemas would else try. */
export function readWithoutEval(): void {
  z.config({ jitless: true });
}
