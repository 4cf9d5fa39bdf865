import { CODE_GROUPS, EremosError, createOwner, isGroupRight, measurePasswordCost, newRecoveryCode, normaliseCodeText, randomBytes, toBase64, wipe } from "@eremos/core";
import type { SetupBegun } from "../contract";
import type { Eremos } from "../eremos";
import { deriveKeys } from "../session/keys";
import { refuseHint, refuseWeak } from "./password-strength";

/** A first run that has shown its code and waits for proof that it was kept. In memory only. */
interface Pending {
  readonly password: string;
  readonly hint: string | null;
  readonly code: string;
  readonly ask: readonly number[];
}
const pending = new WeakMap<Eremos, Map<string, Pending>>();
const GROUPS_ASKED = 2;

export interface SetupInput {
  readonly password: string;
  readonly hint: string | null;
}

async function check(eremos: Eremos, input: SetupInput): Promise<string | null> {
  if (eremos.data.owner()) throw new EremosError("already-set-up", "Eremos already has a master password. Nothing was changed.");
  await refuseWeak(input.password);
  const hint = input.hint?.trim() || null;
  if (hint !== null) refuseHint(hint, input.password);
  return hint;
}

/** First run, first half: takes the password and shows the recovery code. Nothing is written until {@link finishSetup}. */
export async function beginSetup(eremos: Eremos, input: SetupInput): Promise<SetupBegun> {
  const hint = await check(eremos, input);
  const setup = toBase64(randomBytes(16));
  const first = (randomBytes(1)[0] ?? 0) % CODE_GROUPS;
  const ask = Array.from({ length: GROUPS_ASKED }, (_, i) => (first + i * 3) % CODE_GROUPS).sort((a, b) => a - b);
  const code = newRecoveryCode();
  pending.set(eremos, new Map([[setup, { password: input.password, hint, code, ask }]]));
  return { setup, recoveryCode: code, ask };
}

/** First run, second half: the groups typed back prove that the code was kept. Signs in. */
export async function finishSetup(eremos: Eremos, setup: string, typed: readonly string[]): Promise<void> {
  const begun = pending.get(eremos)?.get(setup);
  if (!begun) throw new EremosError("not-set-up", "This first run is not known any more (Eremos was restarted, or it was begun again elsewhere). Nothing was written; begin again.");
  const groups = begun.code.split("-");
  const wrong = begun.ask.filter((group, i) => normaliseCodeText(typed[i] ?? "") !== groups[group] || !isGroupRight(group, typed[i] ?? ""));
  if (wrong.length > 0) {
    const named = wrong.map((group) => String(group + 1));
    throw new EremosError("wrong-code", `${named.length === 1 ? `Group ${named.join("")} is` : `Groups ${named.join(" and ")} are`} not as on your sheet. Look again; nothing is lost.`, { groups: named });
  }
  await write(eremos, begun);
  pending.delete(eremos);
}

/** The first run of the command line: the code is printed, and keeping it is left to the person. */
export async function setupAtOnce(eremos: Eremos, input: SetupInput): Promise<{ recoveryCode: string }> {
  const hint = await check(eremos, input);
  const code = newRecoveryCode();
  await write(eremos, { password: input.password, hint, code, ask: [] });
  return { recoveryCode: code };
}

async function write(eremos: Eremos, begun: Pending): Promise<void> {
  if (eremos.data.owner()) throw new EremosError("already-set-up", "Eremos already has a master password. Nothing was changed.");
  const { envelope, rootKey } = await createOwner(begun.password, begun.code, await measurePasswordCost("standard"));
  try {
    eremos.data.writeOwner(envelope);
    eremos.gate.setHint(begun.hint);
    eremos.keep(deriveKeys(envelope, rootKey));
  } catch (error) {
    wipe(rootKey);
    throw error;
  }
  eremos.announce({ topic: "session" });
}
