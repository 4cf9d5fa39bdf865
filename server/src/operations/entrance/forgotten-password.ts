import { type Password, ProvenOwner, openOwner, wipe, withPassword } from "@eremos/core";
import type { BackSecret, PasswordChanged } from "../../contract";
import type { Eremos } from "../../eremos";
import { throughGate } from "../../session/gate";
import { Keys } from "../../session/keys";
import { nameFolder } from "../../paths";
import { costOfChoice } from "./password-cost";
import { refuseUnfit } from "./password-strength";
import { foldersBehind } from "../ways-back/renew-headers";
import { afterSignIn } from "./sign-in";

export interface ForgottenPassword {
  readonly secret: BackSecret;
  readonly password: Password;
  /** Null: as it is. */
  readonly hint: string | null;
}

/**
 * Another master password for whoever has the recovery code, or enough keyholders' shares; signs in. Returns the
 * folders out of reach, which open with the old password until they are there again. Code and shares stay as they are.
 * @throws EremosError `wrong-code` | `wrong-share` | `too-few-shares` | `too-many-tries` | `weak-password` |
 * `hint-gives-away`
 */
export async function resetPassword(
  eremos: Eremos,
  { secret, ...chosen }: ForgottenPassword,
): Promise<PasswordChanged & { readonly failedTries: number }> {
  const owner = eremos.requireOwner();
  const { password, hint } = {
    ...chosen,
    ...(await refuseUnfit({ ...chosen, hint: chosen.hint ?? eremos.gate.hint })),
  };
  const {
    opened: { rootKey },
    failedTries,
  } = await throughGate(eremos, secret.kind, () => openOwner(owner, secret));
  // Whoever visits by the old password does so no longer.
  await eremos.visits.endAll();
  try {
    const renewed = await withPassword(owner, rootKey, password, await costOfChoice(eremos, owner));
    eremos.data.writeOwner(await ProvenOwner.prove(renewed, rootKey, [{ kind: "password", password }]), owner);
    eremos.gate.setHint(hint);
    eremos.takeKeys(new Keys(renewed, rootKey), secret.kind);
  } catch (error) {
    wipe(rootKey);
    throw error;
  }
  return eremos.holding(async (keys) => {
    await eremos.ledger.happened("", "password");
    await afterSignIn(eremos, keys);
    return { failedTries, left: foldersBehind(eremos, keys, eremos.requireOwner()).map(nameFolder) };
  });
}
