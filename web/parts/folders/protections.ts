import { type Bars, LEVELS, type Level, USUAL_BARS, traitsOf } from "@eremos/core/guards";
import type { GuardName, Protection, Visibility } from "@eremos/server/contract";

/** The guards and visibilities in words: in one place, so that every view says the same. */
export const GUARD_NAMES: Readonly<Record<GuardName, string>> = {
  sealed: "Sealed",
  barred: "Barred",
  sight: "Out of sight",
};
export const VISIBILITY_NAMES: Readonly<Record<Visibility, string>> = {
  view: "In view",
  hidden: "Hidden in place",
  tucked: "Tucked away",
};

export const GUARD_TEXTS: Readonly<Record<GuardName, string>> = {
  sealed: "Encrypted where it is, names too. Stops everybody without your password, even with the disk in hand.",
  barred: "The system refuses, by your rules. Not encrypted: administrators and whoever holds the disk get past it.",
  sight: "Only hidden, in an instant, whatever its size. Whoever finds it can read it.",
};

export const VISIBILITY_TEXTS: Readonly<Record<Visibility, string>> = {
  view: "It stays at its place and is seen to be locked.",
  hidden: "Its name is gone. With hidden files shown, a random one stands there.",
  tucked: "Nothing is left where it was; it lies hidden higher up on the same disk.",
};

export const LEVEL_WORDS: Readonly<Record<Level, string>> = {
  nothing: "nothing",
  list: "see the names in it",
  read: "read it",
  change: "read, and change its files",
  everything: "everything",
};

function isAtMost(level: Level, most: Level): boolean {
  return LEVELS.indexOf(level) <= LEVELS.indexOf(most);
}

/** Another guard, with what goes with it. */
export function withGuard({ visibility, cover, icon, bars }: Protection, guard: GuardName): Protection {
  const { encrypts, hasBars, worksInView } = traitsOf(guard);
  return {
    guard,
    cover,
    icon: encrypts ? icon : null,
    visibility: !worksInView && visibility === "view" ? "hidden" : visibility,
    bars: hasBars ? (bars ?? USUAL_BARS) : null,
  };
}

/** What others may never exceeds what this account may. */
export function withBars(protection: Protection, bars: Bars, changed: keyof Bars): Protection {
  if (isAtMost(bars.others, bars.own)) return { ...protection, bars };
  return { ...protection, bars: changed === "others" ? { ...bars, own: bars.others } : { ...bars, others: bars.own } };
}

const NO_COVER = { cover: null, icon: null };

/** Who it is meant to stop, and what is recommended against them. */
export const AGAINST = {
  anybody: {
    title: "Anybody, whatever they try",
    text: "Also an administrator, or somebody with the disk in hand.",
    protection: { guard: "sealed", visibility: "hidden", ...NO_COVER, bars: null },
  },
  accounts: {
    title: "Other accounts on this computer",
    text: "The system lets them in no more. You go on using it as ever.",
    protection: { guard: "barred", visibility: "view", ...NO_COVER, bars: USUAL_BARS },
  },
  glances: {
    title: "Glances at this screen",
    text: "It is not to be seen when somebody looks around here.",
    protection: { guard: "sight", visibility: "tucked", ...NO_COVER, bars: null },
  },
  slips: {
    title: "My own mistakes",
    text: "Nothing in it is changed or deleted by mistake. Others stay out.",
    protection: { guard: "barred", visibility: "view", ...NO_COVER, bars: { others: "nothing", own: "read" } },
  },
} as const satisfies Readonly<Record<string, { title: string; text: string; protection: Protection }>>;
export type Against = keyof typeof AGAINST;

export function isSame(a: Protection, b: Protection): boolean {
  return (
    a.guard === b.guard &&
    a.visibility === b.visibility &&
    a.cover === b.cover &&
    a.icon === b.icon &&
    a.bars?.others === b.bars?.others &&
    a.bars?.own === b.bars?.own
  );
}

/** A protection in a few words. */
export function protectionWords({ guard, visibility, cover, bars }: Protection): string {
  const barred =
    bars && traitsOf(guard).hasBars
      ? `: others may ${bars.others === "nothing" ? "do nothing" : LEVEL_WORDS[bars.others]}${bars.own === "everything" ? "" : `, this account may ${bars.own === "nothing" ? "do nothing" : LEVEL_WORDS[bars.own]}`}`
      : "";
  return `${GUARD_NAMES[guard]}, ${VISIBILITY_NAMES[visibility].toLowerCase()}${visibility === "view" && cover !== null ? ` as ${cover}` : ""}${barred}`;
}
