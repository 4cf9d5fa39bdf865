import {
  EremosError,
  type Password,
  ProvenOwner,
  createOwner,
  equalBytes,
  measurePasswordCost,
  newRecoveryCode,
  wipe,
} from "@eremos/core";
import type { Effort, ShownCode } from "../../contract";
import type { Eremos } from "../../eremos";
import { Keys } from "../../session/keys";
import { refuseUnfit } from "./password-strength";
import { ShownCodes } from "./shown-code";
import { said } from "@eremos/words/server/entrance";

export interface SetupInput {
  readonly password: Password;
  readonly hint: string | null;
  /** How much work each try of the master password is; the standard one unless given. */
  readonly effort?: Effort;
}

const shown = new ShownCodes<SetupInput>(({ password }) => {
  if (typeof password !== "string") wipe(password);
});

async function check(eremos: Eremos, input: SetupInput): Promise<SetupInput> {
  if (eremos.data.owner()) throw new EremosError("already-set-up", said("eremos-already-has-master-password"));
  return { ...input, ...(await refuseUnfit(input)) };
}

/**
 * First run, first half: takes the password and shows the recovery code. Nothing is written until {@link finishSetup}.
 */
export async function beginSetup(eremos: Eremos, input: SetupInput): Promise<ShownCode> {
  const checked = await check(eremos, input);
  // It is needed until the code was proven kept, which is another call.
  const { password } = checked;
  const kept = typeof password === "string" ? password : Buffer.from(password);
  return shown.show(eremos, { ...checked, password: kept }, (before) =>
    equalBytes(Buffer.from(before.password), Buffer.from(kept)),
  );
}

/** First run, second half: the groups typed back prove that the code was kept. Signs in. */
export async function finishSetup(eremos: Eremos, id: string, typed: readonly string[]): Promise<void> {
  const { purpose, code } = shown.requireProof(eremos, id, typed);
  await write(eremos, purpose, code);
  shown.forget(eremos);
}

/** The first run of the command line: the code is printed, and keeping it is left to the person. */
export async function setupAtOnce(eremos: Eremos, input: SetupInput): Promise<{ recoveryCode: string }> {
  const checked = await check(eremos, input);
  const code = newRecoveryCode();
  await write(eremos, checked, code);
  return { recoveryCode: code };
}

async function write(eremos: Eremos, { password, hint, effort = "standard" }: SetupInput, code: string): Promise<void> {
  if (eremos.data.owner()) throw new EremosError("already-set-up", said("eremos-already-has-master-password"));
  const { envelope, rootKey } = await createOwner(password, code, await measurePasswordCost(effort), [
    eremos.data.computer,
  ]);
  try {
    eremos.data.writeOwner(
      await ProvenOwner.prove(envelope, rootKey, [
        { kind: "password", password },
        { kind: "code", code },
      ]),
      null,
    );
    eremos.gate.setHint(hint);
    eremos.preferences.set({ effort });
    eremos.takeKeys(new Keys(envelope, rootKey), "password");
  } catch (error) {
    wipe(rootKey);
    throw error;
  }
  eremos.announce({ topic: "session" });
}
