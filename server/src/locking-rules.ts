import type { LockingRules, OpeningMode } from "./contract";

export const STANDARD_RULES: LockingRules = {
  afterMinutes: null,
  idleMinutes: 30,
  letGoSeconds: null,
  atLetGo: "lock",
  atSignOut: "lock",
  atStop: true,
  atSleep: true,
  clears: [],
  overwrites: 0,
};
export const UNTIL_LOCKED: LockingRules = {
  afterMinutes: null,
  idleMinutes: null,
  letGoSeconds: null,
  atLetGo: "lock",
  atSignOut: "leave",
  atStop: false,
  atSleep: false,
  clears: [],
  overwrites: 0,
};
/** Open only for as long as it takes to lock it in another way. */
export const UNTIL_CHANGED: LockingRules = { ...UNTIL_LOCKED, atStop: true };

/** No longer than its owner is there. */
const WITH_ME: LockingRules = { ...STANDARD_RULES, idleMinutes: null };
/** Programs close a file for a moment when they save it. */
const LET_GO_SECONDS = 10;

export const MINUTE_MS = 60_000;

/** The moment a folder opened at `openedAt` locks, used or not; null: at none. Milliseconds since 1970. */
export function deadlineOf(rules: LockingRules, openedAt: number): number | null {
  return rules.afterMinutes === null ? null : openedAt + rules.afterMinutes * MINUTE_MS;
}

/** What an opening mode means, given what is usual for the folder. */
export function rulesFor(mode: OpeningMode, usual: LockingRules): LockingRules {
  return { ...timesFor(mode, usual), clears: usual.clears, overwrites: usual.overwrites };
}

function timesFor(mode: OpeningMode, usual: LockingRules): LockingRules {
  switch (mode.kind) {
    case "usual":
      return usual;
    case "until-locked":
      return UNTIL_LOCKED;
    case "while":
      return { ...WITH_ME, afterMinutes: mode.minutes };
    case "leaving":
      return { ...WITH_ME, atSignOut: "ask" };
    case "programs":
    case "programs-ask":
      // Where no program ever takes a file of it, it locks as an idle one does.
      return {
        ...WITH_ME,
        idleMinutes: usual.idleMinutes ?? STANDARD_RULES.idleMinutes,
        letGoSeconds: LET_GO_SECONDS,
        atLetGo: mode.kind === "programs" ? "lock" : "ask",
      };
  }
}
