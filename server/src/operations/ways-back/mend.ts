import { type FolderSecret, directorySource, findLocked, isEremosError, wipe } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { folderKeyBy } from "../../session/folder-key";
import { accessOf } from "../../session/keys";
import { encodePath, fullPath } from "../../paths";

export interface MendRequest {
  /** Where it lies now. */
  readonly path: string;
  readonly secret: FolderSecret | null;
}

/**
 * Writes damaged records of a sealed folder anew, from their copies or from Eremos' data. Returns which. @throws
 * EremosError as {@link mendFolder}
 */
export async function mend(eremos: Eremos, { path: typed, secret }: MendRequest): Promise<readonly string[]> {
  const keys = eremos.requireKeys();
  const path = fullPath(typed, eremos.settings.home);
  const id =
    (await folderAt(path)) ?? eremos.registry.list(keys).find((record) => record.path === encodePath(path))?.id ?? "";
  const keptHeader = eremos.registry.header(id);
  const access = accessOf(keys, eremos.requireOwner(), eremos.data.device.publicKey);
  const folderKey = secret && (await folderKeyBy(eremos, id, { path, access, keptHeader }, secret));
  try {
    const input = { path, access: { ...access, folderKey }, keptHeader };
    const { mended, header } = await eremos.ask<"mend">({ verb: "mend", input });
    const record = eremos.registry.list(keys).find((known) => known.id === id);
    if (mended.length > 0) await eremos.ledger.happened(id, "mended");
    if (record) eremos.ledger.known(keys, record, header);
    eremos.announce({ topic: "folders" });
    eremos.announce({ topic: "scan" });
    return mended;
  } finally {
    wipe(folderKey);
  }
}

/** As a header in it tells; null where none can be read. */
async function folderAt(path: Buffer): Promise<string | null> {
  try {
    return (await findLocked(directorySource(path))).folder;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}
