import { type Effort, type Password, measurePasswordCost, measurePasswordCosts, withPassword } from "@eremos/core";
import type { EffortsView, PasswordChanged } from "../../contract";
import type { Eremos } from "../../eremos";
import { nameFolder } from "../../paths";
import { costOfChoice } from "./password-cost";
import { refuseUnfit } from "./password-strength";
import { renewHeaders } from "../ways-back/renew-headers";
import { replaceOwner } from "./replace-owner";
import { provePassword } from "./sign-in";

export interface PasswordChange {
  readonly current: Password;
  readonly password: Password;
  /** Null: as it is; empty: none any more. */
  readonly hint: string | null;
}

export interface EffortChange {
  readonly current: Password;
  readonly effort: Effort;
}

/**
 * Another effort for each try of the same master password, in every header within reach. @throws EremosError
 * `wrong-password`
 */
export function changeEffort(eremos: Eremos, { current, effort }: EffortChange): Promise<PasswordChanged> {
  return eremos.holding(async (keys) => {
    await provePassword(eremos, current);
    const cost = await measurePasswordCost(effort);
    await replaceOwner(eremos, keys, (owner, rootKey) => withPassword(owner, rootKey, current, cost), [
      { kind: "password", password: current },
    ]);
    eremos.preferences.set({ effort });
    await eremos.ledger.happened("", "settings");
    const left = await renewHeaders(eremos, keys);
    eremos.announce({ topic: "session" });
    return { left: left.map(nameFolder) };
  });
}

/** What each effort costs on this machine, measured now. */
export async function efforts(eremos: Eremos): Promise<EffortsView> {
  eremos.requireKeys();
  const costs = await measurePasswordCosts();
  return {
    chosen: eremos.preferences.get().effort,
    seconds: {
      light: costs.light.milliseconds / 1000,
      standard: costs.standard.milliseconds / 1000,
      heavy: costs.heavy.milliseconds / 1000,
    },
  };
}

/**
 * Another master password and hint. The owner's own record is written first, then the headers of all folders within
 * reach; the rest is listed, and caught up when it returns. The recovery code stays as it is. @throws EremosError
 * `wrong-password` | `weak-password` | `hint-gives-away`
 */
export function changePassword(
  eremos: Eremos,
  { current, password, ...change }: PasswordChange,
): Promise<PasswordChanged> {
  return eremos.holding(async (keys) => {
    const { hint } = await refuseUnfit({ password, hint: change.hint ?? eremos.gate.hint });
    await provePassword(eremos, current);
    const cost = await costOfChoice(eremos, eremos.requireOwner());
    await replaceOwner(eremos, keys, (before, rootKey) => withPassword(before, rootKey, password, cost), [
      { kind: "password", password },
    ]);
    eremos.gate.setHint(hint);
    const left = await renewHeaders(eremos, keys);
    await eremos.ledger.happened("", "password");
    eremos.announce({ topic: "session" });
    return { left: left.map(nameFolder) };
  });
}
