import type { FolderSecret } from "@eremos/core";
import type { Protection } from "../../contract";
import type { Eremos } from "../../eremos";
import type { Target } from "./find-target";
import { lock } from "./lock-folder";
import { openToChange } from "./open-folder";
import { protectionOf } from "../../protection";

/**
 * From sealed to a guard that leaves contents as they are, or back, while it stays locked to everybody else: opened for
 * this account alone, then locked in the new way. Where that fails, it is locked as it was. Returns the job of the
 * first half; both bear the same verb.
 * @throws EremosError
 */
export async function changeGuard(
  eremos: Eremos,
  target: Target,
  protection: Protection,
  secret: FolderSecret | null,
): Promise<string> {
  if (target.located.inspection.busy) throw eremos.glance.busyWith(target.located.realPath);
  const opening = await openToChange(eremos, target, protection, secret);
  // Whoever looks is told by the jobs.
  void lockAnew(eremos, target, protection, opening.outcome).catch(() => undefined);
  return opening.id;
}

async function lockAnew(
  eremos: Eremos,
  { record }: Target,
  protection: Protection,
  opened: Promise<{ readonly path: Buffer }>,
): Promise<void> {
  const { path } = await opened;
  const relock = async (asked: Protection): Promise<void> => {
    const locking = await lock(eremos, {
      path,
      protection: asked,
      inUseAnyway: false,
      verb: "reguard",
      from: "/",
    });
    await locking.outcome;
  };
  try {
    await relock(protection);
  } catch {
    await relock(protectionOf(record)).catch((error: unknown) =>
      lockSoon(eremos, record.id, protectionOf(record), error),
    );
  }
}

/** It is closed to others meanwhile; the keeper tries again. */
function lockSoon(eremos: Eremos, id: string, protection: Protection, error: unknown): never {
  const note = eremos.data.note(id);
  if (note) eremos.ledger.renoted({ ...note, ...protection, locksAt: Date.now() });
  throw error;
}
