import { type Password, withCode } from "@eremos/core";
import type { PasswordChanged, ShownCode } from "../../contract";
import type { Eremos } from "../../eremos";
import { nameFolder } from "../../paths";
import { foldersWithEarlierCode, renewHeaders } from "../ways-back/renew-headers";
import { replaceOwner } from "./replace-owner";
import { ShownCodes } from "./shown-code";
import { provePassword } from "./sign-in";

const shown = new ShownCodes<null>();

/**
 * Another recovery code, first half: shown to whoever knows the master password. The old one holds until {@link
 * finishNewCode}. @throws EremosError `wrong-password`
 */
export async function beginNewCode(eremos: Eremos, current: Password): Promise<ShownCode> {
  eremos.requireKeys();
  await provePassword(eremos, current);
  return shown.show(eremos, null);
}

/**
 * Second half: the groups typed back prove that it was kept. Returns the folders that the old code still opens: those
 * out of reach, and those with a password of their own, until they are opened. Copies made earlier open with the old
 * code for ever.
 */
export function finishNewCode(eremos: Eremos, id: string, typed: readonly string[]): Promise<PasswordChanged> {
  return eremos.holding(async (keys) => {
    const { code } = shown.requireProof(eremos, id, typed);
    const owner = await replaceOwner(eremos, keys, (before, rootKey) => withCode(before, rootKey, code), [
      { kind: "code", code },
    ]);
    shown.forget(eremos);
    eremos.ledger.allKnown(
      keys,
      eremos.registry.list(keys).map((record) => ({ ...record, codeProvenAt: null })),
    );
    const left = [...(await renewHeaders(eremos, keys)), ...foldersWithEarlierCode(eremos, keys, owner)];
    await eremos.ledger.happened("", "code");
    eremos.announce({ topic: "session" });
    return { left: left.map(nameFolder) };
  });
}
