import { type Committed, EremosError, type FolderSecret, isEncrypting, wipe } from "@eremos/core";
import type { LastLockView, VisitEntry } from "../../contract";
import type { Eremos } from "../../eremos";
import { AS_BEFORE } from "../../protection";
import { ownAccount } from "../../session/keys";
import { hrefOf, pathOf, shownName } from "../../visit/hrefs";
import { type Target, findTarget } from "./find-target";
import { withFolderKey } from "./folder-password";
import { lock } from "./lock-folder";
import { openAgain } from "./open-folder";
import { sealedInput } from "./sealed-input";
import { decodePath } from "../../paths";
import { said } from "@eremos/words/server/locking";

/** So many changes are listed. */
const MOST_SHOWN = 500;

/** A sealed folder that lies open. @throws EremosError `not-open` | `unsupported` */
function findOpen(eremos: Eremos, folder: string): Target {
  const target = findTarget(eremos, folder, "/");
  const { inspection } = target.located;
  if (!isEncrypting(inspection)) throw new EremosError("unsupported", said("only-sealed-folder-has-copy"));
  if (inspection.state !== "open") throw new EremosError("not-open", said("this-folder-does-not-lie"));
  return target;
}

/** What changed in a folder that lies open since its last lock. Changes nothing. @throws EremosError */
export async function sinceLastLock(
  eremos: Eremos,
  folder: string,
  secret: FolderSecret | null,
): Promise<LastLockView> {
  const target = findOpen(eremos, folder);
  return withFolderKey(eremos, target, secret, async (folderKey) => {
    const { generation, files, changes, isCut } = await eremos.run<"changes">({
      verb: "changes",
      input: { ...sealedInput(eremos, target, { folderKey }), most: MOST_SHOWN },
    });
    if (files === 0 && target.record.files > 0) throw new EremosError("unsupported", said("there-was-no-room-for"));
    const entries = changes.map(({ path, kind, type, size, mtimeNs }): VisitEntry => ({
      name: path.map(shownName).join("/"),
      href: hrefOf(path),
      kind: type,
      size,
      modifiedAt: Number(mtimeNs / 1_000_000n),
      leadsTo: null,
      change: kind,
    }));
    return { generation, entries, isCut };
  });
}

export interface PutBackRequest {
  readonly folder: string;
  readonly generation: number;
  /** Null: everything. */
  readonly hrefs: readonly string[] | null;
  readonly secret: FolderSecret | null;
}

/**
 * Puts a folder that lies open, or entries of it, back as they were at its last lock: locks it as it is, which keeps
 * that as an earlier state; puts back; opens it again. Cut off on the way it is locked, with everything in it. Returns
 * the job of the first part; all bear the same verb. @throws EremosError
 */
export async function putBack(eremos: Eremos, { folder, generation, hrefs, secret }: PutBackRequest): Promise<string> {
  const target = findOpen(eremos, folder);
  const paths = hrefs?.map((href) => pathOf(href) ?? refuse()) ?? null;
  const rules = eremos.data.note(target.record.id)?.rules ?? target.record.rules ?? eremos.preferences.get().rules;
  const folderKey = await withFolderKey(eremos, target, secret, (key) => key && Buffer.from(key));
  const keepEarlier = Math.max(1, eremos.preferences.get().keepEarlier);
  try {
    const locking = await lock(eremos, {
      path: decodePath(target.record.path),
      protection: AS_BEFORE,
      inUseAnyway: false,
      verb: "put-back",
      keepEarlier,
      from: "/",
    });
    const rest = async (): Promise<void> => {
      await locking.outcome;
      const back = putBackLocked(
        eremos,
        findTarget(eremos, target.record.id, "/"),
        { generation, paths, keepEarlier },
        folderKey,
      );
      const isBack = await back.then(
        () => true,
        () => false,
      );
      openAgain(eremos, findTarget(eremos, target.record.id, "/"), { rules, keepEarlier, isBack }, folderKey);
    };
    // Whoever looks is told by the jobs.
    void rest()
      .catch(() => undefined)
      .finally(() => wipe(folderKey));
    return locking.id;
  } catch (error) {
    wipe(folderKey);
    throw error;
  }
}

function refuse(): never {
  throw new EremosError("usage", said("that-is-not-path-inside"));
}

interface Wanted {
  readonly generation: number;
  readonly paths: readonly (readonly Buffer[])[] | null;
  readonly keepEarlier: number;
}

function putBackLocked(eremos: Eremos, target: Target, wanted: Wanted, folderKey: Buffer | null): Promise<Committed> {
  const { record } = target;
  const account = ownAccount();
  return eremos.jobs.start({
    folder: record.id,
    verb: "put-back",
    request: { verb: "put-back", input: { ...sealedInput(eremos, target, { folderKey }), account, ...wanted } },
    before: () => undefined,
    after: async (committed) => {
      await eremos.ledger.happened(record.id, "put-back", {}, { record: { ...record, ...committed } });
      return null;
    },
    failed: async () => undefined,
  }).outcome;
}
