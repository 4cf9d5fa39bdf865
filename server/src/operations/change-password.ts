import { type Effort, measurePasswordCost, measurePasswordCosts, withPassword } from "@eremos/core";
import type { EffortsView, PasswordChanged } from "../contract";
import type { Eremos } from "../eremos";
import { nameFolder } from "./paths";
import { refuseUnfit } from "./password-strength";
import { renewHeaders } from "./renew-headers";
import { provePassword } from "./sign-in";

export interface PasswordChange {
  readonly current: string;
  readonly password: string;
  readonly hint: string | null;
}

export interface EffortChange {
  readonly current: string;
  readonly effort: Effort;
}

/** Another effort for each try of the same master password, in every header within reach. @throws EremosError `wrong-password` */
export async function changeEffort(eremos: Eremos, { current, effort }: EffortChange): Promise<PasswordChanged> {
  const keys = eremos.requireKeys();
  await provePassword(eremos, current);
  eremos.data.writeOwner(await withPassword(eremos.requireOwner(), keys.rootKey, current, await measurePasswordCost(effort)));
  eremos.preferences.set({ effort });
  const left = await renewHeaders(eremos);
  eremos.announce({ topic: "session" });
  return { left: left.map(nameFolder) };
}

/** What each effort costs on this machine, measured now. */
export async function efforts(eremos: Eremos): Promise<EffortsView> {
  eremos.requireKeys();
  const costs = await measurePasswordCosts();
  return { chosen: eremos.preferences.get().effort, seconds: { light: costs.light.milliseconds / 1000, standard: costs.standard.milliseconds / 1000, heavy: costs.heavy.milliseconds / 1000 } };
}

/**
 * Another master password and hint. The owner's own record is written first, then the headers of all folders within reach; the rest is
 * listed, and caught up when it returns. The recovery code stays as it is. @throws EremosError `wrong-password` | `weak-password` | `hint-gives-away`
 */
export async function changePassword(eremos: Eremos, change: PasswordChange): Promise<PasswordChanged> {
  const keys = eremos.requireKeys();
  const { hint } = await refuseUnfit(change);
  await provePassword(eremos, change.current);
  const owner = await withPassword(eremos.requireOwner(), keys.rootKey, change.password, await measurePasswordCost(eremos.preferences.get().effort));
  eremos.data.writeOwner(owner);
  eremos.gate.setHint(hint);
  const left = await renewHeaders(eremos);
  await eremos.registry.record(keys, owner, { at: Date.now(), folder: "", kind: "password", signedIn: true });
  eremos.announce({ topic: "session" });
  return { left: left.map(nameFolder) };
}
