import type { Consent, SealedInput } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { type Keys, accessOf } from "../../session/keys";
import type { Target } from "./find-target";

export interface Opening {
  /** What the owner was told of it and goes on with. */
  readonly accept?: readonly Consent[];
  /** Of a folder with a password of its own. */
  readonly folderKey?: Buffer | null;
}

/** What every verb that opens a sealed folder is given: the keys, and what Eremos' own data knows of the folder. */
export function sealedInput(
  eremos: Eremos,
  { record, located }: Target,
  { accept = [], folderKey = null }: Opening = {},
  keys: Keys = eremos.requireKeys(),
): SealedInput {
  return {
    path: located.realPath,
    access: accessOf(keys, eremos.requireOwner(), eremos.data.device.publicKey, folderKey),
    keptHeader: eremos.registry.header(record.id),
    expected: record.generation > 0 ? { generation: record.generation, digest: record.digest } : null,
    accept,
  };
}
