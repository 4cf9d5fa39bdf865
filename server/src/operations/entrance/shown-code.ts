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
import { said } from "@eremos/words/server/entrance";

const GROUPS_ASKED = 2;

interface Pending<T> extends ShownCode {
  readonly purpose: T;
}

/**
 * Recovery codes that were shown and wait for proof that they were kept: one for each Eremos, in memory only. Nothing
 * is written before that.
 */
export class ShownCodes<T> {
  private readonly pending = new WeakMap<Eremos, Pending<T>>();

  show(eremos: Eremos, purpose: T): ShownCode {
    const first = (randomBytes(1)[0] ?? 0) % CODE_GROUPS;
    const ask = Array.from({ length: GROUPS_ASKED }, (_, i) => (first + i * 3) % CODE_GROUPS).sort((a, b) => a - b);
    const shown = { id: toBase64(randomBytes(16)), recoveryCode: newRecoveryCode(), ask };
    this.pending.set(eremos, { ...shown, purpose });
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
    this.pending.delete(eremos);
  }
}
