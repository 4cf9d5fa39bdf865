import * as z from "zod";
import type { LockingRules, OpeningMode } from "./contract";

/** When a folder that lies open locks by itself. */
const minutes = z
  .int()
  .min(1)
  .max(7 * 24 * 60);
export const rulesSchema = z.strictObject({
  afterMinutes: minutes.nullable(),
  idleMinutes: minutes.nullable(),
  atSignOut: z.enum(["lock", "ask", "leave"]),
  atStop: z.boolean(),
  atSleep: z.boolean().default(true),
});

export const STANDARD_RULES: LockingRules = {
  afterMinutes: null,
  idleMinutes: 30,
  atSignOut: "lock",
  atStop: true,
  atSleep: true,
};
export const UNTIL_LOCKED: LockingRules = {
  afterMinutes: null,
  idleMinutes: null,
  atSignOut: "leave",
  atStop: false,
  atSleep: false,
};
/** Open only for as long as it takes to lock it in another way. */
export const UNTIL_CHANGED: LockingRules = { ...UNTIL_LOCKED, atStop: true };

export const modeSchema = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("usual") }),
  z.strictObject({ kind: z.literal("until-locked") }),
  z.strictObject({ kind: z.literal("while"), minutes }),
  z.strictObject({ kind: z.literal("leaving") }),
]);

export const MINUTE_MS = 60_000;

/** The moment a folder opened at `openedAt` locks, used or not; null: at none. Milliseconds since 1970. */
export function deadlineOf(rules: LockingRules, openedAt: number): number | null {
  return rules.afterMinutes === null ? null : openedAt + rules.afterMinutes * MINUTE_MS;
}

/** What an opening mode means, given what is usual for the folder. */
export function rulesFor(mode: OpeningMode, usual: LockingRules): LockingRules {
  switch (mode.kind) {
    case "usual":
      return usual;
    case "until-locked":
      return UNTIL_LOCKED;
    case "while":
      return { afterMinutes: mode.minutes, idleMinutes: null, atSignOut: "lock", atStop: true, atSleep: true };
    case "leaving":
      return { afterMinutes: null, idleMinutes: null, atSignOut: "ask", atStop: true, atSleep: true };
  }
}
