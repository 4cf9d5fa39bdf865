import type { LockingRules, OpeningMode } from "./contract";

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
