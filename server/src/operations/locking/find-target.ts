import { EremosError, type Located, displayPath, isEncrypting, isEremosError, traitsOf } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { whereverIs } from "../../look/where-is";
import type { FolderRecord } from "../../ledger/registry";
import { decodePath, encodePath, fullPath } from "../../paths";
import { said, say } from "@eremos/words/server/locking";

export interface Target {
  readonly record: FolderRecord;
  readonly located: Located;
}

/**
 * A protected folder by its id, its ordinary path, or the path it has now. @throws EremosError `not-protected` |
 * `not-found`
 */
export function findTarget(eremos: Eremos, pathOrId: string, from: string): Target {
  const { record, located } = whereverIs(eremos, findRecord(eremos, pathOrId, from));
  if (!located) {
    throw new EremosError("not-found", said("is-not-at-its-place", { path: decodePath(record.path).toString("utf8") }));
  }
  const exchanged = whyExchanged(record, located);
  if (exchanged) throw exchanged;
  return { record, located };
}

/**
 * What stands in the place of a protected folder is what the list says that it is: guarded in the same way, and, where
 * nothing is encrypted, by a record that this computer wrote. Everything else may have been put there; null where it is
 * the same.
 */
export function whyExchanged(record: FolderRecord, { inspection, realPath }: Located): EremosError | null {
  if (inspection.isOwn || (isEncrypting(inspection) && isEncrypting(record))) return null;
  const how =
    inspection.guard === record.guard
      ? say("by-record-that-this-computer")
      : say("as-and-list-knows-it", { word: traitsOf(inspection.guard).word, listed: traitsOf(record.guard).word });
  return new EremosError("unvouched", said("what-stands-at-is-protected", { path: displayPath(realPath), how }), {
    what: "guard",
  });
}

/** What the list says of it, wherever it is. @throws EremosError `not-protected` */
export function findRecord(eremos: Eremos, pathOrId: string, from: string): FolderRecord {
  const records = eremos.registry.list(eremos.requireKeys());
  const byId = records.find((record) => record.id === pathOrId);
  if (byId) return byId;
  const path = fullPath(pathOrId, eremos.settings.home, from);
  const isAt = (record: FolderRecord): boolean => standsAt(eremos, record, path);
  const byPath = records.filter((record) => record.path === encodePath(path));
  const [only] = byPath.length > 1 ? byPath.filter(isAt) : byPath;
  if (only) return only;
  if (byPath.length > 1)
    throw new EremosError(
      "usage",
      said("protected-folders-belong-at-nothing", {
        byPath: byPath.length,
        path: displayPath(path),
        ids: byPath.map(({ id }) => id).join(", "),
      }),
    );
  const byRealPath = records.find(isAt);
  if (byRealPath) return byRealPath;
  throw new EremosError("not-protected", said("is-not-folder-that-eremos", { pathOrId }));
}

/**
 * At the path it has now, or, where its drive is mounted elsewhere now, would have there. The trouble of one is its own.
 */
function standsAt(eremos: Eremos, record: FolderRecord, path: Buffer): boolean {
  try {
    const { record: now, located } = whereverIs(eremos, record);
    const belongsThere = now.path !== record.path && now.path === encodePath(path);
    return located !== null && (located.realPath.equals(path) || belongsThere);
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
}
