import { type Bars, LEVELS, type Level, USUAL_BARS, traitsOf } from "@eremos/core/guards";
import type { GuardName, Protection, Visibility } from "@eremos/server/contract";
import { say } from "@eremos/words/page/folders";

/** The guards and visibilities in words: in one place, so that every view says the same. */
export const GUARD_NAMES: Readonly<Record<GuardName, string>> = {
  sealed: say("sealed"),
  barred: say("barred"),
  sight: say("out-sight"),
};
export const VISIBILITY_NAMES: Readonly<Record<Visibility, string>> = {
  view: say("in-view"),
  hidden: say("hidden-in-place"),
  tucked: say("tucked-away"),
};

export const GUARD_TEXTS: Readonly<Record<GuardName, string>> = {
  sealed: say("encrypted-where-it-is-names"),
  barred: say("system-refuses-by-your-rules"),
  sight: say("only-hidden-in-instant-whatever"),
};

export const VISIBILITY_TEXTS: Readonly<Record<Visibility, string>> = {
  view: say("it-stays-at-its-place"),
  hidden: say("its-name-is-gone-with"),
  tucked: say("nothing-is-left-where-it"),
};

export const LEVEL_WORDS: Readonly<Record<Level, string>> = {
  nothing: "nothing",
  list: say("see-names-in-it"),
  read: say("read-it"),
  change: say("read-and-change-its-files"),
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
    title: say("anybody-whatever-they-try"),
    text: say("also-administrator-or-somebody-with"),
    protection: { guard: "sealed", visibility: "hidden", ...NO_COVER, bars: null },
  },
  accounts: {
    title: say("other-accounts-on-this-computer"),
    text: say("system-lets-them-in-no"),
    protection: { guard: "barred", visibility: "view", ...NO_COVER, bars: USUAL_BARS },
  },
  glances: {
    title: say("glances-at-this-screen"),
    text: say("it-is-not-be-seen"),
    protection: { guard: "sight", visibility: "tucked", ...NO_COVER, bars: null },
  },
  slips: {
    title: say("my-own-mistakes"),
    text: say("nothing-in-it-is-changed"),
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
      ? say("others-may-this-account-may", {
          others: bars.others === "nothing" ? say("do-nothing") : LEVEL_WORDS[bars.others],
          own: bars.own,
          level: bars.own === "nothing" ? say("do-nothing") : LEVEL_WORDS[bars.own],
        })
      : "";
  return `${GUARD_NAMES[guard]}, ${VISIBILITY_NAMES[visibility].toLowerCase()}${visibility === "view" && cover !== null ? say("as", { cover }) : ""}${barred}`;
}
