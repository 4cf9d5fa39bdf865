import { EremosError, type FolderSecret, type Password, type WaysIn, isEncrypting, waysInto, wipe } from "@eremos/core";
import type { Eremos } from "../../eremos";
import type { FolderRecord } from "../../ledger/registry";
import { folderKeyBy } from "../../session/folder-key";
import { type Keys, accessOf } from "../../session/keys";
import type { Target } from "../locking/find-target";
import { costLikeOwners } from "../entrance/password-cost";
import { sealedInput } from "../locking/sealed-input";
import { said } from "@eremos/words/server/ways-back";

/** What Eremos' own data tells of the ways into a folder; null where it keeps no header of it. */
export function waysOf(eremos: Eremos, { id }: Pick<FolderRecord, "id">): WaysIn | null {
  return eremos.registry.ways(id, eremos.requireOwner());
}

interface Own {
  readonly folderKey: Buffer;
  readonly password: Password;
  readonly hint: string | null;
}

/** The key first, and what is known of it written down, before anything is sealed under it. */
export async function giveKey(
  eremos: Eremos,
  keys: Keys,
  { record, located }: Target,
  own: Own | null = null,
  accept: readonly "unvouched"[] = [],
): Promise<FolderRecord> {
  const password = own && { password: own.password, hint: own.hint, cost: costLikeOwners(eremos.requireOwner()) };
  const input = {
    ...sealedInput(eremos, { record, located }, { accept, folderKey: own?.folderKey ?? null }, keys),
    password,
  };
  const header = await eremos.run<"renew">({ verb: "renew", input });
  const { publicKey } = waysInto(header, eremos.requireOwner());
  const renewed = { ...(eremos.registry.list(keys).find(({ id }) => id === record.id) ?? record), publicKey };
  eremos.ledger.keyed(keys, renewed, header, eremos.glance.ownDirPlace(located.realPath));
  return renewed;
}

/**
 * Before a folder is opened in any way: its key, where it has none from after its owner made new ones. One that has a
 * password of its own gets it with that alone. Returns what is known of it then. @throws EremosError
 * `needs-folder-password` | `wrong-password` | `unvouched`
 */
export async function ensureKey(
  eremos: Eremos,
  target: Target,
  secret: FolderSecret | null,
  accept: readonly string[],
): Promise<void> {
  const { record, located } = target;
  const ways = isEncrypting(located.inspection) ? waysOf(eremos, record) : null;
  if (!ways?.hasEarlierKeys) return;
  await eremos.holding(async (keys) => {
    const agreed = accept.includes("unvouched") ? (["unvouched"] as const) : [];
    if (!ways.hasPassword) return void (await giveKey(eremos, keys, target, null, agreed));
    await withOwn(eremos, keys, target, secret, (own) => giveKey(eremos, keys, target, own, agreed));
  });
}

async function withOwn<T>(
  eremos: Eremos,
  keys: Keys,
  { record, located }: Target,
  secret: FolderSecret | null,
  use: (own: Own) => Promise<T>,
): Promise<T> {
  const hint = waysOf(eremos, record)?.hint ?? null;
  if (secret?.kind !== "password")
    throw new EremosError("needs-folder-password", said("you-have-made-new-keys"), hint === null ? {} : { hint });
  const input = {
    path: located.realPath,
    access: accessOf(keys, eremos.requireOwner(), eremos.data.device.publicKey),
    keptHeader: eremos.registry.header(record.id),
  };
  const folderKey = await folderKeyBy(eremos, record.id, input, secret, "keys-before");
  try {
    return await use({ folderKey, password: secret.password, hint });
  } finally {
    wipe(folderKey);
  }
}
