import { type Committed, type Consent, EremosError, type FolderSecret, isEncrypting } from "@eremos/core";
import type { VisitView } from "../../contract";
import type { Eremos } from "../../eremos";
import { causedBy } from "../../ledger/cause";
import { MINUTE_MS } from "../../locking-rules";
import { ownAccount } from "../../session/keys";
import { type Target, findTarget } from "../locking/find-target";
import { wayInto, withFolderKey } from "../locking/folder-password";
import { sealedInput } from "../locking/sealed-input";
import { said } from "@eremos/words/server/folders";

export interface VisitAsked {
  readonly pathOrId: string;
  readonly from: string;
  /** After which it ends, used or not; null: when nobody has used it for a while. */
  readonly minutes: number | null;
  /** What the owner has been told of, and goes on with. */
  readonly accept: readonly Consent[];
  readonly secret: FolderSecret | null;
}

/** A visit that nobody uses ends after this. */
const IDLE_MINUTES = 15;

/**
 * Opens a sealed folder for looking and changing, with nothing decrypted on disk. @throws EremosError `unsupported`
 * where it is not sealed, and what an opening may refuse
 */
export async function startVisit(eremos: Eremos, asked: VisitAsked): Promise<VisitView> {
  const target = findTarget(eremos, asked.pathOrId, asked.from);
  if (!isEncrypting(target.located.inspection))
    throw new EremosError("unsupported", said("only-sealed-folder-is-visited"));
  return withFolderKey(
    eremos,
    target,
    asked.secret,
    (folderKey) => begin(eremos, target, asked, folderKey),
    asked.accept,
  );
}

async function begin(
  eremos: Eremos,
  target: Target,
  { minutes, accept, secret }: VisitAsked,
  folderKey: Buffer | null,
): Promise<VisitView> {
  const { record } = target;
  const account = ownAccount();
  let latest: Committed | null = null;
  const view = await eremos.visits.start({
    folder: record.id,
    user: eremos.requireKeys().visitorOf(record.id),
    input: {
      ...sealedInput(eremos, target, { accept, folderKey }),
      account,
      keepEarlier: eremos.preferences.get().keepEarlier,
    },
    idleMs: IDLE_MINUTES * MINUTE_MS,
    endsAt: minutes === null ? null : Date.now() + minutes * MINUTE_MS,
    onCommit: (committed) => {
      if (committed.generation > record.generation) latest = committed;
      note(eremos, record.id, latest);
    },
    onEnd: (why, looked) => {
      const itself =
        why === "asked" ? {} : { from: "itself" as const, why: why === "cut off" ? ("cut-off" as const) : why };
      causedBy(itself, () => {
        const { generation, files, bytes } = latest ?? record;
        if (latest) void eremos.ledger.noticed(record.id, "changed", { size: { generation, files, bytes } });
        void eremos.ledger.noticed(record.id, "visit-ended", { since: view.startedAt, count: looked });
      });
    },
    onWrong: (account, count) => eremos.count("wrong", record.id, account, count),
  });
  await eremos.ledger.happened(record.id, "visited", { way: wayInto(eremos, secret, folderKey) });
  return view;
}

/**
 * What the list knows of the folder follows each change; while nobody is signed in, it is found out at the next
 * opening.
 */
function note(eremos: Eremos, id: string, committed: Committed | null): void {
  const known = eremos.keys && committed ? eremos.registry.list(eremos.keys).find((record) => record.id === id) : null;
  if (eremos.keys && committed && known) eremos.ledger.known(eremos.keys, { ...known, ...committed });
}

/**
 * A folder to be opened, released, checked or locked in another way is not visited any more. @throws EremosError as
 * {@link findTarget}
 */
export async function findUnvisited(eremos: Eremos, pathOrId: string, from: string): Promise<Target> {
  const target = findTarget(eremos, pathOrId, from);
  if (!eremos.visits.of(target.record.id)) return target;
  await eremos.visits.end(target.record.id);
  return findTarget(eremos, target.record.id, from);
}
