import type { Looked } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { mountsIn } from "../../look/mounts";
import { toLookAt } from "../../look/where-is";
import type { Keys } from "../../session/keys";
import { encodePath } from "../../paths";

/** One look at every folder of the list, by whoever looks at disks. */
export function lookAtAll(eremos: Eremos, keys: Keys): Promise<readonly Looked[]> {
  return eremos.looker.folders({
    folders: eremos.registry.list(keys).map(toLookAt),
    mounts: mountsIn(eremos.mounts),
  });
}

/**
 * The list knows where drives are mounted now: after a sign-in, and whenever one comes or goes. Returns how many folders
 * came to be elsewhere.
 */
export function followDrives(eremos: Eremos, keys: Keys, looked: readonly Looked[]): number {
  const records = new Map(eremos.registry.list(keys).map((record) => [record.id, record]));
  let moved = 0;
  for (const { id, path, located } of looked) {
    const record = located && records.get(id);
    if (!record || encodePath(path) === record.path) continue;
    eremos.ledger.moved(keys, record, path);
    moved++;
  }
  return moved;
}
