import {
  CODE_GROUPS,
  EremosError,
  isGroupRight,
  newRecoveryCode,
  normaliseCodeText,
  randomBytes,
  toBase64,
} from "@eremos/core";
import type { ShownCode } from "../../contract";
import type { Eremos } from "../../eremos";
import { Since } from "../../steady-clock";
import { said } from "@eremos/words/server/entrance";

const GROUPS_ASKED = 2;

/** Within it, whoever begins again with the same is shown the same code: a page was loaded anew meanwhile. */
const SHOWN_AGAIN_MS = 30 * 60_000;

interface Pending<T> extends ShownCode {
  readonly purpose: T;
  readonly since: Since;
}

function shownOf({ id, recoveryCode, ask, isAnother }: ShownCode): ShownCode {
  return { id, recoveryCode, ask, isAnother };
}

/**
 * Recovery codes that were shown and wait for proof that they were kept: one for each Eremos, in memory only. Nothing
 * is written before that.
 */
export class ShownCodes<T> {
  private readonly pending = new WeakMap<Eremos, Pending<T>>();

  /** `wiped`: what a purpose holds is wiped once it is of no use. */
  constructor(private readonly wiped: (purpose: T) => void = () => undefined) {}

  /** `isSame`: whether a code that was shown for this stands for `purpose`, too. */
  show(eremos: Eremos, purpose: T, isSame: (before: T) => boolean = () => true): ShownCode {
    const before = this.pending.get(eremos);
    const isAgain = before && before.since.ms < SHOWN_AGAIN_MS && isSame(before.purpose);
    if (before) this.wiped(before.purpose);
    if (isAgain) {
      this.pending.set(eremos, { ...before, purpose });
      return shownOf(before);
    }
    const first = (randomBytes(1)[0] ?? 0) % CODE_GROUPS;
    const ask = Array.from({ length: GROUPS_ASKED }, (_, i) => (first + i * 3) % CODE_GROUPS).sort((a, b) => a - b);
    const shown = {
      id: toBase64(randomBytes(16)),
      recoveryCode: newRecoveryCode(),
      ask,
      isAnother: before !== undefined,
    };
    this.pending.set(eremos, { ...shown, purpose, since: new Since() });
    return shown;
  }

  /** @throws EremosError `wrong-code` naming the groups that are not as shown | `not-set-up` when no such code waits */
  requireProof(eremos: Eremos, id: string, typed: readonly string[]): { readonly purpose: T; readonly code: string } {
    const shown = this.pending.get(eremos);
    if (shown?.id !== id) throw new EremosError("not-set-up", said("this-recovery-code-is-not"));
    const groups = shown.recoveryCode.split("-");
    const wrong = shown.ask.filter(
      (group, i) => normaliseCodeText(typed[i] ?? "") !== groups[group] || !isGroupRight(group, typed[i] ?? ""),
    );
    if (wrong.length > 0) {
      const named = wrong.map((group) => String(group + 1));
      throw new EremosError(
        "wrong-code",
        said("groups-are-not-as-on", { named: named.length, one: named.join(""), all: named.join(" and ") }),
        { groups: named },
      );
    }
    return { purpose: shown.purpose, code: shown.recoveryCode };
  }

  forget(eremos: Eremos): void {
    const pending = this.pending.get(eremos);
    if (pending) this.wiped(pending.purpose);
    this.pending.delete(eremos);
  }
}
