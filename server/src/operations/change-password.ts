import { measurePasswordCost, withPassword } from "@eremos/core";
import type { PasswordChanged } from "../contract";
import type { Eremos } from "../eremos";
import { nameFolder } from "./paths";
import { refuseHint, refuseWeak } from "./password-strength";
import { renewHeaders } from "./renew-headers";
import { provePassword } from "./sign-in";

export interface PasswordChange {
  readonly current: string;
  readonly password: string;
  readonly hint: string | null;
}

/**
 * Another master password and hint. The owner's own record is written first, then the headers of all folders within reach; the rest is
 * listed, and caught up when it returns. The recovery code stays as it is. @throws EremosError `wrong-password` | `weak-password` | `hint-gives-away`
 */
export async function changePassword(eremos: Eremos, change: PasswordChange): Promise<PasswordChanged> {
  const keys = eremos.requireKeys();
  const hint = change.hint?.trim() || null;
  await refuseWeak(change.password);
  if (hint !== null) refuseHint(hint, change.password);
  await provePassword(eremos, change.current);
  const owner = await withPassword(eremos.requireOwner(), keys.rootKey, change.password, await measurePasswordCost());
  eremos.data.writeOwner(owner);
  eremos.gate.setHint(hint);
  const left = await renewHeaders(eremos);
  await eremos.registry.record(keys, owner, { at: Date.now(), folder: "", kind: "password", signedIn: true });
  eremos.announce({ topic: "session" });
  return { left: left.map(nameFolder) };
}
