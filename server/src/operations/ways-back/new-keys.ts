import {
  EremosError,
  type OwnerEnvelope,
  type Password,
  ProvenOwner,
  newRecoveryCode,
  openWithPassword,
  wipe,
  withNewKeys,
} from "@eremos/core";
import type { NewKeysView, ShownCode } from "../../contract";
import type { Eremos } from "../../eremos";
import { Keys } from "../../session/keys";
import { costOfChoice } from "../entrance/password-cost";
import { refuseUnfit } from "../entrance/password-strength";
import { newKeysView, renewFolders, sealRowsOfBefore } from "./renew-folders";
import { renewHeaders } from "./renew-headers";
import { ShownCodes } from "../entrance/shown-code";
import { provePassword } from "../entrance/sign-in";
import { said } from "@eremos/words/server/ways-back";

/**
 * *Somebody knows it*: the master password, the recovery code, or a file that leads to them is in other hands. The
 * owner gets new keys throughout; every sealed folder gets a new key as soon as it is within reach, and its contents
 * are sealed anew at leisure. What somebody copied before opens with what they know for ever.
 */
const shown = new ShownCodes<null>();

/**
 * First half: a new recovery code, shown to whoever knows the master password. Nothing is changed before {@link
 * finishNewKeys}. @throws EremosError `wrong-password`
 */
export async function beginNewKeys(eremos: Eremos, current: Password): Promise<ShownCode> {
  eremos.requireKeys();
  await provePassword(eremos, current);
  return shown.show(eremos, null);
}

interface Chosen {
  readonly password: Password;
  readonly hint: string | null;
}

export interface NewKeysAsked extends Chosen {
  readonly id: string;
  /** The groups of the new code that are asked for. */
  readonly typed: readonly string[];
}

/**
 * Second half. The session goes on with the new keys; every other one ends, a PIN and staying signed in with it.
 * @throws EremosError `wrong-code` | `weak-password` | `hint-gives-away`; nothing was changed
 */
export async function finishNewKeys(eremos: Eremos, { id, typed, ...asked }: NewKeysAsked): Promise<NewKeysView> {
  const { code } = shown.requireProof(eremos, id, typed);
  await makeNewKeys(eremos, code, asked);
  shown.forget(eremos);
  return follow(eremos);
}

/** Both in one, for whoever sees the code and keeps it without typing it back. @throws EremosError as both */
export async function newKeysAtOnce(
  eremos: Eremos,
  { current, ...asked }: { readonly current: Password } & Chosen,
): Promise<{ readonly recoveryCode: string }> {
  await provePassword(eremos, current);
  const recoveryCode = newRecoveryCode();
  await makeNewKeys(eremos, recoveryCode, asked);
  await follow(eremos);
  return { recoveryCode };
}

async function makeNewKeys(eremos: Eremos, code: string, asked: Chosen): Promise<void> {
  const { password, hint } = { ...asked, ...(await refuseUnfit(asked)) };
  await eremos.visits.endAll();
  await eremos.holding(async (keys) => {
    const before = eremos.requireOwner();
    if (await isPasswordOf(before, password))
      throw new EremosError("weak-password", said("that-is-master-password-that"));
    await eremos.registry.takeIn(keys);
    const { envelope, rootKey } = await withNewKeys(before, keys.rootKey, {
      password,
      code,
      cost: await costOfChoice(eremos, before),
      at: Date.now(),
    });
    try {
      const proven = await ProvenOwner.prove(envelope, rootKey, [
        { kind: "password", password },
        { kind: "code", code },
      ]);
      eremos.requireSame(keys);
      eremos.data.writeOwner(proven, before);
    } catch (error) {
      wipe(rootKey);
      throw error;
    }
    eremos.gate.setHint(hint);
    eremos.stay.turnOff(before);
    eremos.exchange(keys, new Keys(envelope, rootKey));
  });
}

async function isPasswordOf(owner: OwnerEnvelope, password: Password): Promise<boolean> {
  const opened = await openWithPassword(owner, password).catch(() => null);
  wipe(opened?.rootKey);
  return opened !== null;
}

/** Rows, records and folders within reach. */
function follow(eremos: Eremos): Promise<NewKeysView> {
  return eremos.holding(async (keys) => {
    sealRowsOfBefore(eremos, keys);
    eremos.ledger.allKnown(
      keys,
      eremos.registry.list(keys).map((record) => ({ ...record, codeProvenAt: null })),
    );
    await eremos.ledger.happened("", "new-keys");
    await renewHeaders(eremos, keys);
    await renewFolders(eremos, keys);
    eremos.announce({ topic: "session" });
    const view = newKeysView(eremos);
    if (!view) throw new RangeError("new keys were made");
    return view;
  });
}
