import { type OwnerEnvelope, type OwnerSecret, ProvenOwner, isRootKeyOf } from "@eremos/core";
import type { Eremos } from "../../eremos";
import type { Keys } from "../../session/keys";

/**
 * The one way in which a signed-in owner's record is replaced: it is opened by everything new in it, the session is
 * still the same, and nobody else has written another meanwhile. Returns the record as it is now. @throws EremosError
 * `needs-sign-in` (signed out meanwhile) | `busy` | `damaged`; nothing was changed
 */
export async function replaceOwner(
  eremos: Eremos,
  keys: Keys,
  change: (owner: OwnerEnvelope, rootKey: Buffer) => OwnerEnvelope | Promise<OwnerEnvelope>,
  secrets: readonly OwnerSecret[],
): Promise<OwnerEnvelope> {
  const before = eremos.requireOwner();
  const proven = await ProvenOwner.prove(await change(before, keys.rootKey), keys.rootKey, secrets);
  eremos.requireSame(keys);
  eremos.data.writeOwner(proven, before);
  return proven.envelope;
}

/** Whether the record on disk leads to these keys: no header gets another one. */
export function isOwnRecord(owner: OwnerEnvelope, keys: Keys): boolean {
  return isRootKeyOf(owner, keys.rootKey);
}
