import type { ZxcvbnFactory } from "@zxcvbn-ts/core";
import { EremosError } from "@eremos/core";
import type { StrengthView } from "../contract";

export const LEAST_LENGTH = 8;
const LEAST_SCORE = 1;
/** Longer input adds nothing and makes the estimate slow. */
const LONGEST_LOOKED_AT = 128;

let estimator: Promise<ZxcvbnFactory> | null = null;

/** The word lists are large; only who chooses a password loads them. */
async function loadEstimator(): Promise<ZxcvbnFactory> {
  const [{ ZxcvbnFactory: Factory }, common, english] = await Promise.all([import("@zxcvbn-ts/core"), import("@zxcvbn-ts/language-common"), import("@zxcvbn-ts/language-en")]);
  return new Factory({
    dictionary: { ...common.dictionary, ...english.dictionary, eremos: ["eremos", "master", "folder"] },
    graphs: common.adjacencyGraphs,
    translations: english.translations,
  });
}

/** How hard a master password is to guess, for somebody who has the disk and guesses without being slowed down by the gate. */
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
  if ([...password].length < LEAST_LENGTH) return `Use at least ${LEAST_LENGTH} characters.`;
  if (score < LEAST_SCORE) return "This one would be guessed at once. Use several words that don't belong together.";
  return null;
}

/** @throws EremosError `weak-password` */
async function refuseWeak(password: string): Promise<void> {
  const { refusal } = await passwordStrength(password);
  if (refusal !== null) throw new EremosError("weak-password", `${refusal} Nothing was changed.`);
}

/** A new password with its hint, trimmed; none is null. @throws EremosError `weak-password` | `hint-gives-away` */
export async function refuseUnfit({ password, hint }: { readonly password: string; readonly hint: string | null }): Promise<{ password: string; hint: string | null }> {
  await refuseWeak(password);
  const trimmed = hint?.trim() || null;
  if (trimmed !== null) refuseHint(trimmed, password);
  return { password, hint: trimmed };
}

function letters(text: string): string {
  return text.normalize("NFKD").toLowerCase().replace(/[^\p{L}\p{N}]/gu, "");
}

/** Whether a hint gives the password away: one holds the other, forwards or backwards, or they share a long run or most of their words. */
export function hintGivesAway(hint: string, password: string): boolean {
  const [h, p] = [letters(hint), letters(password)];
  if (p === "" || h === "") return password.includes(hint.trim()) || hint.includes(password);
  const reversed = [...p].reverse().join("");
  if (h.includes(p) || h.includes(reversed) || (h.length >= 3 && p.includes(h))) return true;
  if (longestShared(h, p) >= Math.max(4, Math.ceil(p.length / 2)) || longestShared(h, reversed) >= Math.max(4, Math.ceil(p.length / 2))) return true;
  const words = password.split(/[^\p{L}\p{N}]+/u).map(letters).filter((word) => word.length >= 3);
  return words.length > 0 && words.filter((word) => h.includes(word)).length * 2 >= words.length;
}

function longestShared(a: string, b: string): number {
  let best = 0;
  let row = new Array<number>(b.length + 1).fill(0);
  for (const letter of a) {
    const next = new Array<number>(b.length + 1).fill(0);
    for (let j = 1; j <= b.length; j++) {
      if (b.charAt(j - 1) === letter) next[j] = (row[j - 1] ?? 0) + 1;
      best = Math.max(best, next[j] ?? 0);
    }
    row = next;
  }
  return best;
}

/** @throws EremosError `hint-gives-away` */
function refuseHint(hint: string, password: string): void {
  if (hint.length > 200) throw new EremosError("hint-gives-away", "A hint is at most 200 characters long. Nothing was changed.");
  if (hintGivesAway(hint, password)) throw new EremosError("hint-gives-away", "This hint gives the password away: anybody at this keyboard can read it. Nothing was changed; choose one that reminds only you.");
}
