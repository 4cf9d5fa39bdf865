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
  const record = findRecord(eremos, pathOrId, from);
  if (record.removed)
    throw new EremosError("not-found", said("is-in-the-trash", { path: decodePath(record.path).toString("utf8") }));
  return targetOf(eremos, record);
}

/** One in the trash; `orNot`: or in the list. @throws EremosError `not-found`, and as {@link findTarget} */
export function findRemoved(eremos: Eremos, pathOrId: string, from: string): RemovedTarget;
export function findRemoved(eremos: Eremos, pathOrId: string, from: string, orNot: true): Target;
export function findRemoved(eremos: Eremos, pathOrId: string, from: string, orNot = false): Target {
  const record = findRecord(eremos, pathOrId, from, !orNot);
  const target = targetOf(eremos, record);
  const { removed } = target.record;
  if (!removed && !orNot)
    throw new EremosError("not-found", said("is-not-in-the-trash", { path: decodePath(record.path).toString("utf8") }));
  return removed ? Object.assign(target, { removed }) : target;
}

interface RemovedTarget extends Target {
  readonly removed: NonNullable<FolderRecord["removed"]>;
}

function targetOf(eremos: Eremos, listed: FolderRecord): Target {
  const { record, located } = whereverIs(eremos, listed);
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

/**
 * What the list says of it, wherever it is. Where one in the trash and another have the same path, it is the other;
 * `inTrash`: it is the one in the trash. @throws EremosError `not-protected`
 */
export function findRecord(eremos: Eremos, pathOrId: string, from: string, inTrash = false): FolderRecord {
  const all = eremos.registry.list(eremos.requireKeys());
  const byId = all.find((record) => record.id === pathOrId);
  if (byId) return byId;
  const typed = encodePath(fullPath(pathOrId, eremos.settings.home, from));
  const [inTrashThere] = all.filter(({ path: its, removed }) => its === typed && removed !== null);
  if (inTrash && inTrashThere) return inTrashThere;
  const others = all.filter(({ removed }) => removed === null);
  const records = others.some(({ path: its }) => its === typed) || !inTrashThere ? others : all;
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
