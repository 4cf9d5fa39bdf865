import type { ZxcvbnFactory } from "@zxcvbn-ts/core";
import type { PackageForm, StrengthView } from "./contract";
import { say } from "@eremos/words/strength";
import { KNOWN_PHRASES } from "./known-phrases";

export const LEAST_LENGTH = 8;
const LEAST_SCORE = 1;
/** Longer input adds nothing and makes the estimate slow. */
const LONGEST_LOOKED_AT = 128;

/**
 * What somebody who has the disk, or a package, is reckoned to try in a second: of a slow hash, or of the thousand
 * passes of PBKDF2 that an archive of the usual form has, which graphics cards do by the million.
 */
const TRIES_A_SECOND = { slow: 10_000, archive: 10_000_000 } as const;
const DAY_S = 86_400;
/** From then on it is fair, good, very good: what is guessed within days is never called good. */
const LEVELS_S = [30 * DAY_S, 10 * 365 * DAY_S, 1000 * 365 * DAY_S] as const;

/** The estimator puts the number in where the message has `{base}`. */
const BASE = { base: "{base}" };
const TRANSLATIONS = {
  warnings: {
    straightRow: say("warning-straight-row"),
    keyPattern: say("warning-key-pattern"),
    simpleRepeat: say("warning-simple-repeat"),
    extendedRepeat: say("warning-extended-repeat"),
    sequences: say("warning-sequences"),
    recentYears: say("warning-recent-years"),
    dates: say("warning-dates"),
    topTen: say("warning-top-ten"),
    topHundred: say("warning-top-hundred"),
    common: say("warning-common"),
    similarToCommon: say("warning-similar-to-common"),
    wordByItself: say("warning-word-by-itself"),
    namesByThemselves: say("warning-names-by-themselves"),
    commonNames: say("warning-common-names"),
    userInputs: say("warning-user-inputs"),
    pwned: say("warning-pwned"),
  },
  suggestions: {
    l33t: say("suggestion-l33t"),
    reverseWords: say("suggestion-reverse-words"),
    allUppercase: say("suggestion-all-uppercase"),
    capitalization: say("suggestion-capitalization"),
    dates: say("suggestion-dates"),
    recentYears: say("suggestion-recent-years"),
    associatedYears: say("suggestion-associated-years"),
    sequences: say("suggestion-sequences"),
    repeated: say("suggestion-repeated"),
    longerKeyboardPattern: say("suggestion-longer-keyboard-pattern"),
    anotherWord: say("suggestion-another-word"),
    useWords: say("suggestion-use-words"),
    noNeed: say("suggestion-no-need"),
    pwned: say("suggestion-pwned"),
  },
  timeEstimation: {
    ltSecond: say("time-lt-second"),
    second: say("time-second", BASE),
    seconds: say("time-seconds", BASE),
    minute: say("time-minute", BASE),
    minutes: say("time-minutes", BASE),
    hour: say("time-hour", BASE),
    hours: say("time-hours", BASE),
    day: say("time-day", BASE),
    days: say("time-days", BASE),
    month: say("time-month", BASE),
    months: say("time-months", BASE),
    year: say("time-year", BASE),
    years: say("time-years", BASE),
    centuries: say("time-centuries"),
  },
};
/** Of a unit its seconds, and its words. */
const UNITS = [
  [365 * DAY_S, "year", "years"],
  [30 * DAY_S, "month", "months"],
  [DAY_S, "day", "days"],
  [3600, "hour", "hours"],
  [60, "minute", "minutes"],
  [1, "second", "seconds"],
] as const;
const CENTURY_S = 100 * 365 * DAY_S;

let estimator: Promise<ZxcvbnFactory> | null = null;

/** The word lists are large; only who chooses a password loads them. */
async function loadEstimator(): Promise<ZxcvbnFactory> {
  const [{ ZxcvbnFactory: Factory }, common, english] = await Promise.all([
    import("@zxcvbn-ts/core"),
    import("@zxcvbn-ts/language-common"),
    import("@zxcvbn-ts/language-en"),
  ]);
  return new Factory({
    dictionary: {
      ...common.dictionary,
      ...english.dictionary,
      eremos: ["eremos", "master", "folder"],
      phrases: KNOWN_PHRASES,
    },
    graphs: common.adjacencyGraphs,
    translations: TRANSLATIONS,
  });
}

/** As the estimator says it of the attacks that it knows. */
function timeWords(seconds: number): string {
  const words = TRANSLATIONS.timeEstimation;
  if (seconds >= CENTURY_S) return words.centuries;
  const unit = UNITS.find(([each]) => seconds >= each);
  if (!unit) return words.ltSecond;
  const [each, one, many] = unit;
  const count = Math.round(seconds / each);
  return words[count === 1 ? one : many].replace(BASE.base, String(count));
}

/**
 * How hard a master password is to guess, for somebody who has the disk and guesses without being slowed down by the
 * gate. Runs in the page's own worker while a password is typed, so that it leaves the page only when it is chosen, and
 * here once more before it is taken.
 */
export async function passwordStrength(password: string): Promise<StrengthView> {
  return (await estimated(password, "slow")).view;
}

/**
 * The same of a package's password, by its form: whoever gets it may try for ever, so that one that is guessed within
 * days is refused.
 */
export async function packageStrength(password: string, form: PackageForm): Promise<StrengthView> {
  const { view, seconds } = await estimated(password, form === "zip" ? "archive" : "slow");
  const isWeak = seconds < LEVELS_S[0];
  return { ...view, refusal: view.refusal ?? (isWeak ? say("guessed-too-soon", { guessTime: view.guessTime }) : null) };
}

async function estimated(
  password: string,
  against: keyof typeof TRIES_A_SECOND,
): Promise<{ readonly view: StrengthView; readonly seconds: number }> {
  estimator ??= loadEstimator();
  const result = (await estimator).check(password.slice(0, LONGEST_LOOKED_AT));
  const seconds = result.guesses / TRIES_A_SECOND[against];
  const view = {
    score: result.score < LEAST_SCORE ? 0 : 1 + LEVELS_S.filter((s) => seconds >= s).length,
    guessTime: timeWords(seconds),
    warning: result.feedback.warning ?? null,
    suggestions: result.feedback.suggestions,
    refusal: refusalOf(password, result.score),
  };
  return { view, seconds };
}

const WORDS_OF_A_PACKAGE = 5;
/** Easy to say and to type. */
const FIT_WORD = /^[a-z]{4,8}$/;

/** Words by chance, a password for a package: each of some 6,000, so 62 bits. */
export async function packageWords(): Promise<string> {
  const { dictionary } = await import("@zxcvbn-ts/language-common");
  const words = dictionary["diceware-common"].map(String).filter((word) => FIT_WORD.test(word));
  return Array.from({ length: WORDS_OF_A_PACKAGE }, () => words[below(words.length)] ?? "").join(" ");
}

/** By chance, each alike. */
function below(end: number): number {
  const most = 2 ** 32 - (2 ** 32 % end);
  for (;;) {
    const [drawn = 0] = crypto.getRandomValues(new Uint32Array(1));
    if (drawn < most) return drawn % end;
  }
}

function refusalOf(password: string, score: number): string | null {
  if ([...password].length < LEAST_LENGTH) return say("use-at-least-characters", { leastLength: LEAST_LENGTH });
  if (score < LEAST_SCORE) return say("this-one-would-be-guessed");
  return null;
}
