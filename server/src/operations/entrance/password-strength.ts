import { EremosError, type Password, isPrintable } from "@eremos/core";
import { passwordStrength } from "../../strength";
import { said } from "@eremos/words/server/entrance";

/** @throws EremosError `weak-password` */
async function refuseWeak(password: string): Promise<void> {
  const { refusal } = await passwordStrength(password);
  if (refusal !== null) throw new EremosError("weak-password", said("nothing-was-changed", { refusal }));
}

/** A new password with its hint, trimmed; none is null. @throws EremosError `weak-password` | `hint-gives-away` */
export async function refuseUnfit({
  password,
  hint,
}: {
  readonly password: Password;
  readonly hint: string | null;
}): Promise<{ password: Password; hint: string | null }> {
  // What is looked at is text, which stays until the session ends; it is chosen once.
  const chosen = typeof password === "string" ? password : Buffer.from(password).toString("utf8");
  await refuseWeak(chosen);
  const trimmed = hint?.trim() || null;
  if (trimmed !== null) refuseHint(trimmed, chosen);
  return { password, hint: trimmed };
}

function letters(text: string): string {
  return text
    .normalize("NFKD")
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]/gu, "");
}

/**
 * Whether a hint gives the password away: one holds the other, forwards or backwards, or they share a long run or most
 * of their words.
 */
export function hintGivesAway(hint: string, password: string): boolean {
  const [h, p] = [letters(hint), letters(password)];
  if (p === "" || h === "") return password.includes(hint.trim()) || hint.includes(password);
  const reversed = [...p].reverse().join("");
  if (h.includes(p) || h.includes(reversed) || (h.length >= 3 && p.includes(h))) return true;
  if (
    longestShared(h, p) >= Math.max(4, Math.ceil(p.length / 2)) ||
    longestShared(h, reversed) >= Math.max(4, Math.ceil(p.length / 2))
  )
    return true;
  const words = password
    .split(/[^\p{L}\p{N}]+/u)
    .map(letters)
    .filter((word) => word.length >= 3);
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
  if (hint.length > 200) throw new EremosError("hint-gives-away", said("hint-is-at-most-200"));
  if (!isPrintable(hint)) throw new EremosError("hint-gives-away", said("hint-is-one-line-plain"));
  if (hintGivesAway(hint, password)) throw new EremosError("hint-gives-away", said("this-hint-gives-password-away"));
}
