import type { ZxcvbnFactory } from "@zxcvbn-ts/core";
import type { StrengthView } from "./contract";
import { say } from "@eremos/words/strength";

export const LEAST_LENGTH = 8;
const LEAST_SCORE = 1;
/** Longer input adds nothing and makes the estimate slow. */
const LONGEST_LOOKED_AT = 128;

let estimator: Promise<ZxcvbnFactory> | null = null;

/** The word lists are large; only who chooses a password loads them. */
async function loadEstimator(): Promise<ZxcvbnFactory> {
  const [{ ZxcvbnFactory: Factory }, common, english] = await Promise.all([
    import("@zxcvbn-ts/core"),
    import("@zxcvbn-ts/language-common"),
    import("@zxcvbn-ts/language-en"),
  ]);
  return new Factory({
    dictionary: { ...common.dictionary, ...english.dictionary, eremos: ["eremos", "master", "folder"] },
    graphs: common.adjacencyGraphs,
    translations: english.translations,
  });
}

/**
 * How hard a master password is to guess, for somebody who has the disk and guesses without being slowed down by the
 * gate. Runs in the page's own worker while a password is typed, so that it leaves the page only when it is chosen, and
 * here once more before it is taken.
 */
export async function passwordStrength(password: string): Promise<StrengthView> {
  estimator ??= loadEstimator();
  const result = (await estimator).check(password.slice(0, LONGEST_LOOKED_AT));
  return {
    score: result.score,
    guessTime: String(result.crackTimes.offlineSlowHashingXPerSecond.display),
    warning: result.feedback.warning ?? null,
    suggestions: result.feedback.suggestions,
    refusal: refusalOf(password, result.score),
  };
}

function refusalOf(password: string, score: number): string | null {
  if ([...password].length < LEAST_LENGTH) return say("use-at-least-characters", { leastLength: LEAST_LENGTH });
  if (score < LEAST_SCORE) return say("this-one-would-be-guessed");
  return null;
}
