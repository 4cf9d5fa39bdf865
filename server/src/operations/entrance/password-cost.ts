import {
  type OwnerEnvelope,
  type PasswordCost,
  heavierCost,
  measurePasswordCost,
  parsePasswordHashing,
} from "@eremos/core";
import type { Eremos } from "../../eremos";

/**
 * What one try of a password that is chosen now takes: the effort that the owner chose, as measured on this machine,
 * and never less than a try of their master password takes already. A busy machine seems slow, which must weaken no
 * password; and a folder that has their record of before must not ask for more work than they are known to take.
 */
export async function costOfChoice(eremos: Eremos, { password }: OwnerEnvelope): Promise<PasswordCost> {
  return heavierCost(
    await measurePasswordCost(eremos.preferences.get().effort),
    parsePasswordHashing(password.hashing),
  );
}

/**
 * What one try of a folder's own password takes: as much as one of the master password, which is what its owner is
 * known to take.
 */
export function costLikeOwners({ password }: OwnerEnvelope): PasswordCost {
  return parsePasswordHashing(password.hashing);
}
